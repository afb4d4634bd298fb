"""The JSON side of the service: one path for each thing that a book can be asked."""

from __future__ import annotations

from typing import Annotated, Any, Final

from fastapi import APIRouter, Depends, Path, Query, Request
from fastapi.responses import Response

from ulnager.filters.engines import TARGETS
from ulnager.filters.standards import STANDARDS
from ulnager.web.answers import Answer, BookAnswers
from ulnager.web.problems import MEDIA_TYPE
from ulnager.web.response_models import (
    BookAnswer,
    ConditionAnswer,
    PageAnswer,
    ReadingsAnswer,
    ResolutionAnswer,
    ScheduleAnswer,
    StateSent,
    ViewAnswer,
)
from ulnager.web.responses import answered, fields_of, state_of, worked_out

_WHY: Final = {
    400: "The request cannot be read, or sets the day where it may not.",
    404: "The book has nothing of that name.",
    413: "The body is too large.",
    414: "The path or the query is too long.",
    415: "The body is not JSON.",
    421: "The service does not answer to that host.",
    422: "What is asked for is wrong; the detail says how.",
    500: "Something went wrong inside.",
    503: "A source cannot be read, or the answer takes too long.",
}
_PROBLEM: Final = {"schema": {"$ref": "#/components/schemas/ProblemTold"}}


def responses(model: type[Any], told: str, *but: int) -> dict[int | str, dict[str, Any]]:
    """What may come back: the answer, that it has not changed, and the problems."""
    found: dict[int | str, dict[str, Any]] = {
        200: {"model": model, "description": told},
        304: {"description": "Whoever asks has the answer already."},
    }
    for status, why in _WHY.items():
        if status not in but:
            found[status] = {"description": why, "content": {MEDIA_TYPE: _PROBLEM}}
    return found


_FIELDS: Final = {
    "parameters": [
        {
            "name": "fields",
            "in": "query",
            "required": False,
            "style": "form",
            "explode": True,
            "description": "The fields of a form, a link or a stored state by their names: "
            "`dates=recent&dates.recent.n=14`. Names that belong to no picker are "
            "passed over.",
            "schema": {"type": "object", "additionalProperties": {"type": "string"}},
        }
    ]
}
_BODY: Final = {
    "requestBody": {
        "required": True,
        "description": "The fields as a form would send them.",
        "content": {"application/json": {"schema": StateSent.model_json_schema()}},
    }
}

Phrase = Annotated[
    str, Query(description="A phrase, or the name of a period of the book.", max_length=2_000)
]
Today = Annotated[
    str | None,
    Query(
        description="Another day as the clock's, in ISO 8601; only of a service that was started "
        "with --any-day.",
        max_length=40,
        json_schema_extra={"format": "date"},
    ),
]
Zone = Annotated[
    str | None, Query(description="The zone in which days begin: `America/Halifax`.", max_length=60)
]
Spoken = Annotated[
    str | None,
    Query(
        description="The language of labels and messages: `de`, `fr-CA`; the book's by default.",
        max_length=40,
    ),
]
Name = Annotated[str, Path(description="Its name in the book.", max_length=200)]
Codes = Annotated[
    str | None,
    Query(
        description="`true` for the codes of notes, problems and reasons beside them.",
        max_length=2_000,
        json_schema_extra={"enum": ["true"]},
    ),
]
Values = Annotated[bool, Query(description="Whether the numbers of its charts are asked for.")]


def routes(answers: BookAnswers) -> APIRouter:
    """The paths under ``/api``."""
    api = APIRouter(prefix="/api", tags=["book"], dependencies=[Depends(_with_codes)])
    body = (413, 415)

    @api.get("/book", responses=responses(BookAnswer, "The book at a glance.", 422, *body))
    async def book(request: Request) -> Response:
        """Every period with its dates now, and the names of pickers, pages and schedules."""
        return answered(request, await worked_out(request, answers.at_a_glance))

    @api.get("/resolve", responses=responses(ResolutionAnswer, "The dates.", *body))
    async def resolve(
        request: Request,
        phrase: Phrase,
        today: Today = None,
        as_of: Annotated[
            str | None,
            Query(description="The anchor: a date, or a point such as `latest`.", max_length=200),
        ] = None,
        tz: Zone = None,
        locale: Spoken = None,
    ) -> Response:
        """The dates of a phrase or of a period of the book, with the steps that led there."""
        day = answers.day(today)
        make = lambda: answers.resolution(phrase, day, as_of, tz, locale)  # noqa: E731
        return answered(request, await worked_out(request, make))

    @api.get("/readings", responses=responses(ReadingsAnswer, "The readings.", *body))
    async def readings(
        request: Request, phrase: Phrase, today: Today = None, tz: Zone = None
    ) -> Response:
        """Every way to read a phrase, side by side."""
        day = answers.day(today)
        make = lambda: answers.readings(phrase, day, tz)  # noqa: E731
        return answered(request, await worked_out(request, make))

    @api.get("/condition", responses=responses(ConditionAnswer, "The condition.", *body))
    async def condition(
        request: Request,
        phrase: Phrase,
        column: Annotated[str, Query(description="The column's name.", max_length=200)],
        target: Annotated[
            str,
            Query(
                description="The engine or the standard that it is for.",
                max_length=40,
                json_schema_extra={"enum": [*TARGETS, *STANDARDS]},
            ),
        ] = "ansi",
        column_type: Annotated[
            str,
            Query(
                description="What the column holds: `date`, `timestamp`, `timestamptz`, …",
                max_length=40,
            ),
        ] = "date",
        tz: Zone = None,
        live: Annotated[
            bool, Query(description="Whether the engine works the dates out itself.")
        ] = False,
        today: Today = None,
    ) -> Response:
        """The condition that keeps the rows of a period, frozen or live."""
        day = answers.day(today)

        def make() -> Answer:
            return answers.condition(
                phrase, column, target, column_type=column_type, tz=tz, live=live, today=day
            )

        return answered(request, await worked_out(request, make))

    @api.get(
        "/pickers/{name}",
        openapi_extra=_FIELDS,
        responses=responses(ViewAnswer, "The view.", *body),
    )
    async def picker(
        request: Request, name: Name, today: Today = None, locale: Spoken = None
    ) -> Response:
        """What a picker shows for the fields in the query."""
        fields, own = _fields(answers, request, today=today, locale=locale)
        return answered(
            request, await worked_out(request, lambda: answers.view(name, fields, **own))
        )

    @api.post("/pickers/{name}", openapi_extra=_BODY, responses=responses(ViewAnswer, "The view."))
    async def picker_of_state(
        request: Request, name: Name, today: Today = None, locale: Spoken = None
    ) -> Response:
        """What a picker shows for the fields in the body."""
        fields, day = await state_of(request), answers.day(today)
        make = lambda: answers.view(name, fields, day, locale)  # noqa: E731
        return answered(request, await worked_out(request, make, await request.body()))

    @api.get(
        "/pages/{name}", openapi_extra=_FIELDS, responses=responses(PageAnswer, "The page.", *body)
    )
    async def page(
        request: Request,
        name: Name,
        today: Today = None,
        locale: Spoken = None,
        values: Values = True,
    ) -> Response:
        """A page for the fields in the query: what governs each chart, its dates, its numbers."""
        fields, own = _fields(answers, request, today=today, locale=locale, values=values)
        return answered(
            request, await worked_out(request, lambda: answers.page(name, fields, **own))
        )

    @api.post("/pages/{name}", openapi_extra=_BODY, responses=responses(PageAnswer, "The page."))
    async def page_of_state(
        request: Request,
        name: Name,
        today: Today = None,
        locale: Spoken = None,
        values: Values = True,
    ) -> Response:
        """A page for the fields in the body."""
        fields, day = await state_of(request), answers.day(today)
        make = lambda: answers.page(name, fields, day, locale, values=values)  # noqa: E731
        return answered(request, await worked_out(request, make, await request.body()))

    @api.get("/schedules/{name}", responses=responses(ScheduleAnswer, "The moments.", *body))
    async def schedule(
        request: Request,
        name: Name,
        now: Annotated[
            str | None,
            Query(
                description="Another instant, in ISO 8601 with its offset; only of a "
                "service that was started with --any-day.",
                max_length=60,
                json_schema_extra={"format": "date-time"},
            ),
        ] = None,
    ) -> Response:
        """The next moments of a schedule, and what goes out at each."""
        return answered(request, await worked_out(request, lambda: answers.schedule(name, now)))

    return api


def _with_codes(codes: Codes = None) -> None:
    """Describes the parameter; ``answered`` reads it, and a picker may have its name."""


def _fields(
    answers: BookAnswers, request: Request, **own: Any
) -> tuple[dict[str, list[str]], dict[str, Any]]:
    """The fields of a query, and the parameters beside them, but for those whose name a picker has:
    then the field is the picker's."""
    known = {name: value for name, value in own.items() if name not in answers.pickers}
    answers.day(known.get("today"))
    return fields_of(request, *known), known

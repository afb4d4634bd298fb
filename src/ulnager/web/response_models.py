"""What the service sends, described field by field for its OpenAPI document."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from pydantic import BaseModel, ConfigDict, Field

from ulnager.choices.view_shape import DatesTold, ViewTold
from ulnager.core.errors import PeriodSyntaxError, UlnagerError
from ulnager.web.answers import Answer, BookAnswers
from ulnager.web.problems import MEDIA_TYPE, of_error

CODES: list[str] = Field(
    [], description="Their codes, for programs, in the same order, where codes are asked for."
)


class Described(BaseModel):
    model_config = ConfigDict(extra="forbid")


class _UntilThen(Described):
    until: str | None = Field(
        description="The instant at which the answer stops being true, in ISO 8601; null where the "
        "clock was given."
    )


class AnchorTold(Described):
    """What a period is measured from."""

    date: str = Field(description="The anchor's day.")
    running: bool = Field(description="Whether that day is still running.")
    from_: str = Field(alias="from", description="Where the day comes from.")


class SpanOfResolution(Described):
    """Dates without a gap; instants for a period of hours."""

    start: str | None = Field(description="The first date; null at an open side.")
    end: str | None = Field(description="The last date, which is in; null for instants.")
    stop: str | None = Field(description="The first date, or instant, that is out.")
    days: int | None = Field(description="How many days; null where a side is open.")


class ResolutionTold(Described):
    """A period worked out."""

    period: str = Field(description="The phrase in its canonical form.")
    anchor: AnchorTold = Field(description="What it is measured from.")
    calendar: dict[str, Any] = Field(description="The calendar in use, setting by setting.")
    spans: list[SpanOfResolution] = Field(description="Its dates, in order.")
    days: int | None = Field(description="How many days in all.")
    empty: bool = Field(description="Whether there are no dates.")
    label: str = Field(description="The dates for a person to read.")
    notes: list[str] = Field(description="What is worth knowing, such as other readings.")
    note_codes: list[str] = CODES
    steps: list[str] = Field(description="The steps that led there.")


class ReadingTold(ResolutionTold):
    """One way to read a phrase."""

    reading: str = Field(description="What the reading is called; 'near by' for other phrases.")


class ConditionTold(Described):
    """A condition for a column."""

    period: str = Field(description="The phrase in its canonical form.")
    live: bool = Field(description="Whether the engine works the dates out itself.")
    text: str = Field(description="The condition, with names for its parameters.")
    parameters: dict[str, str] = Field(description="The values of its parameters.")


class LinksTold(Described):
    """Links to a view, as query strings; null for one that there is not."""

    moving: str | None = Field(description="The choice and its inputs, which move on.")
    frozen: str | None = Field(description="The dates as they are now.")
    earlier: str | None = Field(description="One step back.")
    later: str | None = Field(description="One step on.")


class ChartTold(Described):
    """A chart of a page, and what governs its dates."""

    key: str = Field(description="Its key in the book.")
    label: str = Field(description="What is shown above it.")
    source: str = Field(description="The source that it reads.")
    column: str | None = Field(description="The column that its dates are of.")
    until: str | None = Field(None, description="The column of the last day of rows that last.")
    governed_by: str = Field(description="What governs its dates, in words.")
    by: str | None = Field(description="The unit that it is grouped by.")
    dates: DatesTold | None = Field(description="Its dates; null while there is a problem.")
    compared_with: DatesTold | None = Field(description="The dates beside its own, if any.")
    nothing: str | None = Field(description="Why no row can be in its dates; null where some can.")
    problems: list[str] = Field(description="Why it has no dates.")
    problem_codes: list[str] = CODES
    notes: list[str] = Field(description="What a viewer should know.")
    note_codes: list[str] = CODES
    values: dict[str, Any] | None = Field(
        description="Its numbers, bucket by bucket; null where there are none, and a note says why."
    )


class ValueTold(Described):
    """A value that is offered."""

    key: str = Field(description="What is sent back: the value as text.")
    label: str = Field(description="What is shown.")
    chosen: bool = Field(description="Whether it is chosen.")
    rows: int | None = Field(description="Its rows in the dates of the page, where that is known.")


class FilterTold(Described):
    """A filter by value."""

    key: str = Field(description="Its name, which is that of its field.")
    label: str = Field(description="What is shown beside it.")
    column: str = Field(description="The column that it is of.")
    several: bool = Field(description="Whether several values may be chosen.")
    fixed: bool = Field(description="Whether it can be chosen at all.")
    value: list[str] | None = Field(description="The keys that are chosen; null for all.")
    told: str = Field(description="The same in words.")
    problem: str | None = Field(description="Why its charts have no rows.")
    problem_code: str | None = Field(None, description="The code of that.")
    options: list[ValueTold] = Field(description="The values, those with the most rows first.")
    left_out: int = Field(description="How many more there are.")
    charts: list[str] = Field(description="The keys of the charts that it filters.")
    notes: list[str] = Field(description="What a viewer should know.")
    note_codes: list[str] = CODES


class PageTold(Described):
    """A page: its pickers, and its charts."""

    page: str = Field(description="The page's name.")
    label: str = Field(description="The page's label.")
    today: str = Field(description="The clock's day.")
    pickers: dict[str, ViewTold] = Field(description="What each picker shows, by its name.")
    charts: dict[str, ChartTold] = Field(description="Its charts by their keys, in order.")
    values: dict[str, FilterTold] = Field(description="Its filters by value, by their names.")
    nothing: dict[str, dict[str, str]] = Field(
        description="Of each picker the choices whose dates hold no row, and why."
    )


class NamedTold(Described):
    """Something of the book that has a name."""

    name: str = Field(description="Its name in the book.")
    label: str = Field(description="What viewers are shown.")


class PeriodTold(NamedTold):
    """A period of the book."""

    short: str = Field(description="Its short label; the label where it has none.")
    phrase: str = Field(description="Its phrase in canonical form.")
    dates: str | None = Field(description="Its dates now; null where viewers fill it in.")
    inputs: list[str] = Field(description="The names of its inputs.")


class SentTold(Described):
    """What a schedule sends at a moment."""

    schedule: str = Field(description="The schedule's name.")
    label: str = Field(description="The schedule's label.")
    moment: str = Field(description="When it goes out.")
    page: str = Field(description="The page's name.")
    today: str = Field(description="The day on which it goes out, in the schedule's zone.")
    pickers: dict[str, ViewTold] = Field(description="What each picker shows.")
    charts: dict[str, dict[str, Any]] = Field(description="The charts, without numbers.")
    links: dict[str, str | None] = Field(description="A frozen link for each picker.")
    notes: list[str] = Field(description="Whether it was reconstructed, as the data was then.")


class ResolutionAnswer(_UntilThen):
    """The dates of a phrase."""

    resolution: ResolutionTold = Field(description="The period worked out.")


class ReadingsAnswer(_UntilThen):
    """Every reading of a phrase."""

    readings: list[ReadingTold] = Field(description="The readings, the one in use first.")


class ConditionAnswer(_UntilThen):
    """A condition."""

    condition: ConditionTold = Field(description="The condition for a column.")


class ViewAnswer(_UntilThen):
    """What a picker shows."""

    view: ViewTold = Field(description="The view.")
    links: LinksTold = Field(description="Links to it, and one step away.")


class PageAnswer(_UntilThen):
    """A page with its numbers."""

    page: PageTold = Field(description="The page.")


class BookAnswer(_UntilThen):
    """The book at a glance."""

    periods: list[PeriodTold] = Field(description="Its periods, in order.")
    pickers: list[NamedTold] = Field(description="Its pickers.")
    pages: list[NamedTold] = Field(description="Its pages.")
    schedules: list[NamedTold] = Field(description="Its schedules.")


class ScheduleAnswer(_UntilThen):
    """The next moments of a schedule."""

    moments: list[SentTold] = Field(description="What goes out, moment by moment.")


class ProblemTold(BaseModel):
    """Problem details as in RFC 9457."""

    type: str = Field(description="A URI for the sort of problem: about:blank.")
    title: str = Field(description="The status in words.")
    status: int = Field(description="The status of the answer.")
    code: str = Field(description="A word for programs: phrase, setting, condition, dates, name, …")
    detail: str = Field(description="What is wrong, in a sentence.")
    phrase: str | None = Field(None, description="The phrase that cannot be read.")
    position: int | None = Field(None, description="Where in the phrase.")
    instead: list[str] | None = Field(None, description="The nearest phrases, ready to send.")


class StateSent(Described):
    """The body of a question for a view or a page."""

    state: dict[str, str | int | bool | list[str]] = Field(
        {}, description="Fields by their names, as in a form: dates, dates.recent.n."
    )


_PHRASE = "last 3 whole months"


class Description:
    """The description of a service, with answers of its book as examples.

    The examples are worked out once, when the service starts; asking for the description asks no
    data.
    """

    def __init__(self, app: FastAPI, answers: BookAnswers) -> None:
        self._app, self._answers = app, answers
        self._examples: dict[str, Any] | None = None

    def prepare(self) -> None:
        """Works the examples out; one whose source cannot be read is left out."""
        self._examples = _examples(self._answers)

    def __call__(self) -> dict[str, Any]:
        app = self._app
        if app.openapi_schema is None or not app.openapi_schema["paths"]:
            app.openapi_schema = get_openapi(
                title=app.title,
                version=app.version,
                description=app.description,
                routes=app.routes,
                servers=[{"url": "/", "description": "This service."}],
                tags=[{"name": "book", "description": "What a book answers."}],
            )
            schemas = app.openapi_schema["components"]["schemas"]
            schemas["ProblemTold"] = ProblemTold.model_json_schema()
            for name in ("HTTPValidationError", "ValidationError"):
                schemas.pop(name, None)
            _exemplify(app.openapi_schema["paths"], self._answers)
        if self._examples:
            for path, example in self._examples.items():
                for operation in app.openapi_schema["paths"].get(path, {}).values():
                    content = operation["responses"]["200"]["content"]["application/json"]
                    content["example"] = example
            self._examples = None
        return app.openapi_schema


def _named(answers: BookAnswers) -> dict[str, str | None]:
    return {
        "pickers": next(iter(answers.pickers), None),
        "pages": next(iter(answers.pages), None),
        "schedules": next(iter(answers.book.schedules), None),
    }


def _examples(answers: BookAnswers) -> dict[str, Any]:
    """Real answers by the paths that give them."""
    makes: dict[str, Callable[[], Answer]] = {
        "/api/book": answers.at_a_glance,
        "/api/resolve": lambda: answers.resolution(_PHRASE),
        "/api/readings": lambda: answers.readings("last 3 months"),
        "/api/condition": lambda: answers.condition(_PHRASE, "sold_on"),
    }
    for kind, name in _named(answers).items():
        if name is not None:
            makes[f"/api/{kind}/{{name}}"] = _of(answers, kind, name)
    found = {}
    for path, make in makes.items():
        with contextlib.suppress(UlnagerError):
            found[path] = make().to_dict()
    return found


def _exemplify(paths: dict[str, Any], answers: BookAnswers) -> None:
    """Values of this book for parameters, and what a phrase that cannot be read gives."""
    named = _named(answers)
    for path, methods in paths.items():
        name = named.get(path.split("/")[2]) if path.count("/") > 2 else None
        for operation in methods.values():
            for parameter in operation.get("parameters", ()):
                known = {"name": name, "phrase": _PHRASE, "column": "sold_on"}
                value = known.get(parameter["name"])
                if value is not None:
                    parameter["example"] = value
            told = operation["responses"].get("422")
            if told is not None and "phrase" in str(operation.get("parameters")):
                told["content"][MEDIA_TYPE]["example"] = _wrong(answers)


def _of(answers: BookAnswers, kind: str, name: str) -> Callable[[], Answer]:
    if kind == "pickers":
        return lambda: answers.view(name, {})
    if kind == "pages":
        return lambda: answers.page(name, {})
    return lambda: answers.schedule(name)


def _wrong(answers: BookAnswers) -> dict[str, Any]:
    try:
        answers.resolution("last 3 hole months")
    except PeriodSyntaxError as error:
        return of_error(error)
    return {}

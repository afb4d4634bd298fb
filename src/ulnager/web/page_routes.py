"""The page: a form with native controls that works without any script, rulers, charts, a link."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from datetime import date, datetime
from typing import Any, Final, NamedTuple
from urllib.parse import urlencode

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response, StreamingResponse

from ulnager.choices.input_values import Given, Inputs
from ulnager.choices.pages import OpenedPage, Page
from ulnager.choices.view import View
from ulnager.choices.view_shape import ViewTold
from ulnager.core.errors import SettingError
from ulnager.core.language.inputs import DayInput
from ulnager.core.words import words_of
from ulnager.filters.engines import ENGINES
from ulnager.sources.opening import within
from ulnager.web.answers import SECONDS, BookAnswers, has_hours, shown_on
from ulnager.web.chart_panels import HEIGHT, WIDE
from ulnager.web.problems import Refused
from ulnager.web.rendering import STATIC, drawn_chart, environment, static
from ulnager.web.responses import fields_of, tagged, worked_out
from ulnager.web.ruler import Ruler, ruler_of
from ulnager.web.trying import EXAMPLES, TRIED_TYPES, tried
from ulnager.web.viewers import discreet, links_of

DO: Final = "_do"
"""The field of buttons that do more than show; no picker can have that name."""


_SCRIPT: Final = ("Copied.", "Stopped.", "The end of the data.")
"""What the script says."""
_Links = Mapping[str, str | None]
"""Links to a view, by what they are."""


class Control(NamedTuple):
    """A field of the form: an input of the picker or of its choice, or the unit."""

    name: str
    id: str
    label: str
    kind: str
    text: str
    options: tuple[Any, ...]
    several: bool
    problem: str | None
    low: str
    high: str
    hint: str


class Sentence(NamedTuple):
    """A sentence with fields in it: its pieces, texts and controls, and what each other word in
    place of the chosen ones would give, with the query for it."""

    pieces: tuple[str | Control, ...]
    others: tuple[tuple[str, str, str], ...]


class RulerEnds(NamedTuple):
    """The fields of a first and a last day, which the ends of the ruler move."""

    first: str
    last: str
    names: tuple[str, str]
    low: str
    high: str
    fitting: tuple[str, str]
    """The days on which each may stand, where these are not all."""


class DrawnPicker(NamedTuple):
    """A picker as the page draws it."""

    view: View
    told: ViewTold
    controls: tuple[Control, ...]
    sentence: Sentence | None
    ruler: Ruler | None
    ends: RulerEnds | None
    earlier: str | None
    later: str | None
    played: str | None
    """The query of a step of playing."""
    problems: tuple[str, ...]
    notes: tuple[str, ...]
    ranges: int
    most_ranges: int
    is_narrow: bool
    meaning: str
    """The query by which it is told what its dates mean."""
    nothing: Mapping[str, str]
    """Of choices whose dates hold no row of any chart, why not."""


def problem_page(
    told: Mapping[str, Any], path: str, headers: Mapping[str, str] | None = None
) -> Response:
    """What went wrong, on a page with a way back."""
    template = environment().get_template("problem.html")
    text = template.render(
        title=told["title"], detail=told["detail"], lang="en", root="../" * (path.count("/") - 1)
    )
    return Response(
        text.encode(),
        told["status"],
        media_type="text/html",
        headers={"cache-control": "no-store", **(headers or {})},
    )


def html_routes(answers: BookAnswers) -> APIRouter:
    """The pages of the book, and what they are drawn with."""
    html = APIRouter(include_in_schema=False, default_response_class=Response)

    @html.get("/")
    async def front(request: Request) -> Response:
        if not (answers.pages or answers.book.periods or answers.book.pickers):
            return RedirectResponse("try", 302)
        if len(answers.pages) == 1 and not answers.book.pickers.keys() - _used(answers):
            return RedirectResponse(f"pages/{next(iter(answers.pages))}", 302)
        told = await worked_out(request, answers.at_a_glance)
        return _html(request, "book.html", title="The book at a glance", book=told.told, lang="en")

    @html.get("/try")
    async def trying(request: Request) -> Response:
        asked = {
            one: request.query_params.get(one) for one in ("phrase", "engine", "type", "as_of")
        }
        locale = _known(request.query_params.get("locale"))
        told = await worked_out(request, lambda: _trying(answers, asked, locale))
        return _html(request, "try.html", **told)

    @html.get("/pages/{name}")
    async def page(request: Request, name: str) -> Response:
        own = {
            one: request.query_params.get(one)
            for one in ("today", "locale")
            if one not in answers.pickers
        }
        fields = fields_of(request, *own)
        own["locale"] = _known(own.get("locale"))
        answers.day(own.get("today"))
        told = await worked_out(request, lambda: _context(answers, name, fields, **own))
        return _html(request, "page.html", base=name, **told)

    @html.get("/pages/{name}/{chart}.csv")
    async def rows(request: Request, name: str, chart: str) -> Response:
        fields = fields_of(
            request, *(one for one in ("today", "locale") if one not in answers.pickers)
        )
        today = request.query_params.get("today")
        answers.day(today)
        pieces = await worked_out(request, lambda: answers.csv(name, chart, fields, today))
        headers = {
            "content-disposition": f'attachment; filename="{name}-{chart}.csv"',
            "cache-control": "private, no-cache",
        }
        return StreamingResponse(
            iter(pieces), media_type="text/csv; charset=utf-8", headers=headers
        )

    @html.get("/static/{name}")
    async def drawn_with(request: Request, name: str) -> Response:
        if name not in STATIC:
            raise Refused(404, "path", "there is nothing at this path")
        return tagged(request, static(name), STATIC[name], "private, max-age=300")

    return html


def _trying(
    answers: BookAnswers, asked: Mapping[str, str | None], locale: str | None
) -> dict[str, Any]:
    """What is said of a phrase, for a template."""
    book = answers.book
    engine, column_type = asked["engine"] or "postgresql", asked["type"] or "date"
    with within(SECONDS):
        moment = book.moment(**answers.clock(locale=locale))
        phrase, as_of = asked["phrase"] or "", asked["as_of"]
        found = tried(book, phrase, moment, engine, column_type, as_of)
    words = moment.words
    return {
        "title": words.say("What does this mean?"),
        "lang": words.locale,
        "dir": words.direction,
        "today": words.day(moment.today),
        "say": words.say,
        "it": found,
        "as_of": as_of if as_of in book.anchors else None,
        "engine": engine,
        "engines": sorted(ENGINES),
        "column_type": column_type,
        "types": TRIED_TYPES,
        "examples": EXAMPLES,
        "pages": [(one.label, f"pages/{one.name}") for one in answers.pages.values()],
        "has_book": bool(answers.pages or book.periods or book.pickers),
    }


def _known(locale: str | None) -> str | None:
    """A locale that there is; a viewer's link may ask for another, and gets the book's language."""
    try:
        words_of(locale)
    except SettingError:
        return None
    return locale


def _used(answers: BookAnswers) -> set[str]:
    return {name for page in answers.pages.values() for name in page.pickers}


def _html(request: Request, name: str, **told: Any) -> Response:
    text = environment().get_template(name).render(**told)
    return tagged(request, text.encode(), "text/html; charset=utf-8", "private, no-cache")


def _context(
    answers: BookAnswers,
    name: str,
    fields: Mapping[str, Any],
    today: str | None = None,
    locale: str | None = None,
) -> dict[str, Any]:
    with within(SECONDS):
        opened = _opened(answers, name, dict(fields), today, locale)
        told: Any = opened.to_dict()
        charts = answers.drawn(opened, told, drawn_chart)
        links = {picker: links_of(view) for picker, view in opened.views.items()}
        pickers = tuple(_shown(opened, one, told["pickers"], links[one]) for one in opened.views)
    offered = [one for one in pickers if one.view.picker.viewers != "nothing"]
    stands = today is not None or answers.today is not None
    until, words = answers.until(today, opened.moment.tz), opened.moment.words
    # Where hours are shown it is true for this moment only.
    is_of_hours = has_hours(shown_on(opened))
    return {
        "title": opened._labelled(opened.page.label),
        "pickers": offered,
        "filters": tuple(opened.filters.values()),
        "whole": urlencode(
            {**({"today": today} if today else {}), **_state(opened)}, doseq=True, safe="/,"
        ),
        "charts": charts,
        "play": opened.page.play,
        "details": opened.page.details != "none",
        "height": HEIGHT,
        "wide": WIDE,
        "link": _link(opened, links, "moving"),
        "frozen": _link(opened, links, "frozen"),
        "do": DO,
        "today": words.day(opened.moment.today),
        "say": opened.said,
        "lang": words.locale,
        "dir": words.direction,
        "kept": {"today": today, "locale": locale},
        "script": {one: opened.said(one) for one in _SCRIPT},
        "until": until,
        "until_told": ""
        if until is None or is_of_hours
        else f"{words.day(until.date())} {until:%H:%M} {until.tzname() or ''}",
        "stands": opened.said("the clock stands still here") if stands else "",
        "others": [
            (one.label, f"{one.name}{_carried(opened, one, today, locale)}")
            for one in answers.pages.values()
            if one.name != name
        ],
    }


def _carried(opened: OpenedPage, other: Page, today: str | None, locale: str | None) -> str:
    """The query by which another page shows what was chosen here, of the pickers that both have."""
    found = {"today": today, "locale": locale}
    for name, view in opened.views.items():
        if name in other.pickers:
            found |= view.state
    names = {one.name for one in other.filters}
    values = {k: v for k, v in opened.values_state.items() if k.partition(".")[0] in names}
    query = urlencode({k: v for k, v in {**found, **values}.items() if v}, doseq=True, safe="/,")
    return f"?{query}" if query else ""


def _opened(
    answers: BookAnswers, name: str, fields: dict[str, Any], today: str | None, locale: str | None
) -> OpenedPage:
    """The page for the fields of a form, after what its button asks for."""
    asked = fields.pop(DO, [])
    opened = answers.opened(name, fields, today, locale)
    what, _, rest = (asked[-1] if asked else "").partition(".")
    picker, _, number = rest.partition(".")
    view = opened.views.get(picker)
    if view is None:
        return opened
    if what == "add":
        view = view.add_range()
    elif what == "drop" and number.isascii() and number.isdigit() and len(number) < 4:
        view = view.drop_range(int(number))
    elif what == "reset":
        view = view.reset()
    else:
        return opened
    views = {**opened.views, picker: view}
    clock = answers.clock(today, locale=locale)
    return opened.page.open(**clock, chosen=views, values=opened.values_state)


def _state(opened: OpenedPage) -> dict[str, Any]:
    """All that was chosen on a page."""
    found: dict[str, Any] = {}
    for name in opened.offered:
        found |= opened.views[name].state
    return {**found, **opened.values_state}


def _link(opened: OpenedPage, links: Mapping[str, _Links], which: str) -> str | None:
    """A link to all pickers of the page as they are; None where there is none."""
    parts = []
    for name, view in opened.views.items():
        part = links[name][which]
        if part is None:
            return None
        if part and not view.locked:
            parts.append(part)
    values = urlencode(opened.values_state, doseq=True)
    return "&".join([*parts, *([values] if values else [])])


def _shown(
    opened: OpenedPage, name: str, pickers: Mapping[str, ViewTold], links: _Links
) -> DrawnPicker:
    view = opened.views[name]
    told = pickers[name] if name in pickers else view.to_dict()
    controls = [
        _control(told_one, given, view)
        for told_one, given in zip(told["inputs"], view.inputs, strict=True)
    ]
    if told["by"] is not None and view.by is not None:
        controls.append(_unit(told["by"]))
    if compare := told.get("compare"):
        controls.append(_comparison(compare))
    chosen = view.chosen
    sentence = _sentence(opened, name, controls) if chosen is not None else None
    # What is said beside a field is not said above, too.
    said = [one.problem for one in controls if one.problem]
    problems = [view._in_words(discreet(one)) for one in view.problems]
    problems = [one for one in problems if not one.endswith(tuple(said))] if said else problems
    ruler = ruler_of(view)
    steps = {side: _step(opened, name, links[side]) for side in ("earlier", "later")}
    return DrawnPicker(
        view,
        told,
        tuple(one for one in controls if sentence is None or one not in sentence.pieces),
        sentence,
        ruler,
        _ends(view, told["inputs"], ruler),
        steps["earlier"],
        steps["later"],
        _played(opened, name, steps["later"]),
        tuple(problems),
        view.notes,
        1 if chosen is None else view._range_count(chosen),
        1 if chosen is None else chosen.ranges,
        view.picker.labels == "short",
        _meaning(view),
        opened.choices_without_rows(name),
    )


def _meaning(view: View) -> str:
    if view.resolution is None or view.chosen is None:
        return ""
    asked = {"phrase": str(view.resolution.period), "as_of": view._measured_from or ""}
    return urlencode({name: text for name, text in asked.items() if text})


_MOST_FITTING: Final = 1_500
"""Of a longer ruler an end with steps is not moved, but typed."""


def _ends(view: View, inputs: Sequence[Mapping[str, Any]], ruler: Ruler | None) -> RulerEnds | None:
    """The fields of own dates, where these are two days."""
    days = [one for one in inputs if one["kind"] == "day"]
    if len(days) != 2 or ruler is None or view.chosen is None:
        return None
    if any(one["problem"] or not one["value"] for one in days):
        return None
    reader, fitting = Inputs(view.picker, view.moment, view.chosen), []
    for given in view.inputs:
        if not isinstance(given.made, DayInput):
            continue
        if given.made.step is None and given.made.only is None:
            fitting.append("")
            continue
        if (ruler.high - ruler.low).days > _MOST_FITTING:
            return None
        fitting.append(",".join(map(str, reader.fitting(given.made, ruler.low, ruler.high))))
    first, last = days
    bounds = first["min"] or "", last["max"] or ""
    names = first["label"], last["label"]
    return RulerEnds(first["id"], last["id"], names, *bounds, (fitting[0], fitting[1]))


def _sentence(opened: OpenedPage, name: str, controls: list[Control]) -> Sentence | None:
    """The sentence of a choice that is put together, in the viewer's language."""
    view = opened.views[name]
    choice = view.chosen
    if choice is None or not choice.sentence:
        return None
    by_key = {one.name.rpartition(".")[2]: one for one in controls}
    count = by_key["n"].text
    many = int(count) if count.isascii() and count.isdigit() and len(count) < 6 else 2
    pieces: list[str | Control] = []
    for place, piece in enumerate(
        re.split(
            r"\{(\w+)\}", opened.said(choice.sentence, *(f"{{{one}}}" for one in choice.inputs))
        )
    ):
        if not place % 2:
            pieces.append(piece.strip())
        elif (control := by_key.get(piece)) is not None:
            options = tuple(
                {**one, "label": _in_prose(view, piece, one, many)} for one in control.options
            )
            controls[controls.index(control)] = control._replace(options=options)
            pieces.append(control._replace(options=options))
    others = []
    for one in by_key["how"].options:
        other = view.enter(how=one["key"])
        if one["key"] == by_key["how"].text or other.resolution is None:
            continue
        query = _step(opened, name, other.link()) or ""
        others.append((_in_prose(view, "how", one, many), other.resolution.label, query))
    return Sentence(tuple(one for one in pieces if one != ""), tuple(others))


def _in_prose(view: View, name: str, option: Mapping[str, Any], many: int) -> str:
    """A word of a sentence: a unit in its plural, others as they are."""
    if name == "unit":
        told = view.counted(many, option["key"])
        return re.sub(r"^[\d.,\s]+|[\d.,\s]+$", "", told) or option["label"]
    return str(option["label"])


def _played(opened: OpenedPage, name: str, later: str | None) -> str | None:
    """The query of a page that is played one step on, as the page says it; the period's own length
    where it says none."""
    by, view = opened.page.play.step, opened.views[name]
    if by is None or later is None or view.resolution is None:
        return later
    on = view._stepped(later=True, by=by)
    return None if on.state == view.state else _step(opened, name, on.link())


def _step(opened: OpenedPage, name: str, link: str | None) -> str | None:
    """The query of a page with one of its pickers a step away."""
    if link is None or opened.views[name].locked:
        return None
    others = []
    for other, view in opened.views.items():
        if other != name and view.state:
            others.append(urlencode(view.state, safe="/,"))
    values = opened.values_state
    others += [urlencode(values, doseq=True)] if values else []
    # An empty state says that a viewer chose these dates.
    return "&".join([f"{name}.state=", link, *others])


def _half_loaded(view: View, value: Any) -> str:
    """What is said of a day that the data does not hold whole."""
    extent = view.extent
    if not isinstance(value, date) or extent is None or extent.last_whole is None:
        return ""
    is_half = extent.last_whole < value <= extent.last
    return view._in_words("{0} is half loaded", view.day(value)) if is_half else ""


def _control(told: Mapping[str, Any], given: Given, view: View) -> Control:
    label = told["label"] if told["range"] == 1 else f"{told['label']} ({told['range']})"
    kind = told["kind"]
    text = given.shown
    low, high = ("" if told[one] is None else str(told[one]) for one in ("min", "max"))
    hint = f"{low} – {high}" if low and high else ""
    if half := _half_loaded(view, given.value):
        hint = f"{hint}; {half}" if hint else half
    if kind == "anchor" and any(one["key"] == "day" for one in told["options"]):
        kind = "anchor or day"
    if kind == "day" and not _is_day(text):
        kind = "text"  # A native field would hide what was typed.
    return Control(
        told["name"],
        told["id"],
        label,
        kind,
        text,
        tuple(told["options"]),
        told["several"],
        told["problem"],
        low,
        high,
        hint,
    )


def _is_day(text: str) -> bool:
    try:
        datetime.strptime(text, "%Y-%m-%d")
    except ValueError:
        return not text
    return len(text) == 10


def _unit(by: Mapping[str, Any]) -> Control:
    options = tuple(
        {
            "key": one["key"],
            "label": one["label"] + ("" if one["fits"] else f": {one['why']}"),
            "chosen": one["key"] == by["key"],
        }
        for one in by["options"]
    )
    return Control(
        by["name"], by["id"], by["label"], "unit", by["key"] or "", options, False, None, "", "", ""
    )


def _comparison(compare: Mapping[str, Any]) -> Control:
    """What charts are compared with, each with its dates."""
    options = tuple(
        {
            "key": one["key"],
            "label": one["label"] + (f": {one['dates']['label']}" if one["dates"] else ""),
            "chosen": one["chosen"],
        }
        for one in compare["options"]
    )
    name, key = compare["name"], compare["key"]
    return Control(
        name, compare["id"], compare["label"], "unit", key, options, False, None, "", "", ""
    )

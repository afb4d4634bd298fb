"""A phrase that is tried: its dates and readings, how it got there, and SQL for an engine."""

from __future__ import annotations

from typing import Any, Final, NamedTuple

from ulnager.book.book import Book
from ulnager.choices.picker import Picker
from ulnager.choices.picker_base import Choice
from ulnager.choices.resolver import Moment
from ulnager.core.errors import PeriodSyntaxError, UlnagerError
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import near_by
from ulnager.core.periods.resolution import Resolution
from ulnager.filters.conditions import condition, where
from ulnager.filters.engines import ENGINES
from ulnager.filters.sql_text import sql_text
from ulnager.web.ruler import Ruler, ruler_of
from ulnager.web.viewers import discreet

EXAMPLES: Final = (
    "last 3 months",
    "month to date except today",
    "last 5 whole business days",
    "previous week plus today",
    "month to date, 1 year earlier",
)
TRIED_TYPES: Final = ("date", "timestamp", "timestamptz")
_MOST: Final = 2_000


class Reading(NamedTuple):
    """A way to read a phrase, or a phrase near it, with its dates."""

    name: str
    phrase: str
    dates: str
    days: str


class Tried(NamedTuple):
    """What is said of a phrase."""

    phrase: str
    said: str
    """Its canonical form; empty where it cannot be read."""
    dates: str
    days: str
    problem: str
    readings: tuple[Reading, ...]
    steps: tuple[str, ...]
    ruler: Ruler | None
    frozen: str
    live: str
    """The condition that moves on, or why there is none."""


def tried(
    book: Book, phrase: str, moment: Moment, engine: str, column_type: str, as_of: str | None = None
) -> Tried:
    """What is to be said of a phrase at a moment, measured from an anchor of the book where one is
    named; nothing in it raises an error."""
    text = phrase.strip()[:_MOST]
    nothing = Tried(text, "", "", "", "", (), (), None, "", "")
    if not text:
        return nothing
    try:
        entry = book.periods.get(text)
        period = entry.period if entry is not None else book.read(text)
        if isinstance(period, OpenPeriod):
            slots = ", ".join(f"{{{name}}}" for name in period.inputs)
            return nothing._replace(
                said=str(period), problem=moment.words.say("viewers fill in {0}", slots)
            )
        closed = period._closed()
        anchor = as_of if as_of in book.anchors else None
        result = book._resolve_phrase(closed, as_of=anchor, entry=entry, moment=moment)
    except PeriodSyntaxError as error:
        near = tuple(_near(book, one, moment) for one in error.suggestions[:4])
        problem = str(error).splitlines()[0].partition("; did you mean")[0]
        return nothing._replace(problem=problem, readings=tuple(one for one in near if one))
    except UlnagerError as error:
        return nothing._replace(problem=discreet(str(error).splitlines()[0]))
    frozen, live = _conditions(closed, result, engine, column_type, moment)
    if anchor is not None:
        live = ""  # What it is measured from lies in the data of the book.
    words = moment.words
    return Tried(
        text,
        str(period),
        result.label,
        words.counted(result.days, "day") if result.days else "",
        "",
        tuple(_readings(book, closed, result, moment, anchor)),
        tuple(result.steps),
        None if anchor is not None else _ruler(closed, moment),
        frozen,
        live,
    )


def _near(book: Book, phrase: str, moment: Moment) -> Reading | None:
    try:
        found = book._resolve_phrase(book.read(phrase)._closed(), entry=None, moment=moment)
    except (UlnagerError, AttributeError):
        return None
    return _reading("nearest", phrase, found, moment)


def _readings(
    book: Book, period: Period, result: Resolution, moment: Moment, anchor: str | None
) -> Any:
    """The other ways to read it, and phrases near by."""
    ways = [(name, way) for name, way in period.readings().items() if way != period]
    ways = ways if len(period.readings()) > 1 else []
    for name, way in [*ways, *(("near by", one) for one in near_by(period, result))]:
        try:
            found = book._resolve_phrase(way, as_of=anchor, entry=None, moment=moment)
        except UlnagerError:
            continue
        yield _reading(name, str(way), found, moment)


def _reading(name: str, phrase: str, found: Resolution, moment: Moment) -> Reading:
    days = moment.words.counted(found.days, "day") if found.days else ""
    return Reading(name, phrase, found.label, days)


def _ruler(period: Period, moment: Moment) -> Ruler | None:
    choice = Choice("it", period, "", "")
    picker = Picker("it", "", (choice,), "it")
    try:
        return ruler_of(picker.open(today=moment.today))
    except UlnagerError:
        return None


def _conditions(
    period: Period, result: Resolution, engine: str, column_type: str, moment: Moment
) -> tuple[str, str]:
    target = engine if engine in ENGINES else "postgresql"
    held = column_type if column_type in TRIED_TYPES else "date"
    zone = str(moment.tz or "UTC") if held == "timestamptz" else None
    try:
        frozen = condition(result, "d", target=target, column_type=held, tz=zone, literal=True).text
    except UlnagerError as error:
        frozen = f"-- {str(error).splitlines()[0]}"
    try:
        live = sql_text(where(period, "d", column_type=held, tz=zone), target)
    except UlnagerError as error:
        live = f"-- {str(error).splitlines()[0]}"
    return frozen, live

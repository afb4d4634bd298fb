"""The ruler: a strip on which the chosen dates are measured out against the units of the calendar,
the end of the data, and the anchor. What is still to come is hatched.

Places are in per cent of the strip, so that it is as wide as the page and its letters are not.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any, Final, NamedTuple

from ulnager.choices.view import View
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import FIRST_DAY, LAST_DAY, date_of
from ulnager.core.errors import ResolveError
from ulnager.core.periods.resolution import InstantResolution
from ulnager.core.units import Unit
from ulnager.core.words import Words
from ulnager.pictures.paper import year_of

_UNITS: Final = (Unit.DAY, Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.YEAR)
_MOST_TICKS: Final = 45
_MOST_NAMES: Final = 9
_LETTER: Final = 1.8
"""How wide a letter is on a narrow screen, in per cent of the strip."""
_MONTH: Final = 30
_NEAR: Final = 1.2
"""What lies at most so many lengths of the period away is drawn; what is further is only named."""


class Tick(NamedTuple):
    """Where a unit begins; ``name`` is empty where there is no room for it."""

    at: float
    name: str
    is_spare: bool
    """Whether its name is left out on a narrow screen."""
    day: date | None = None


class Stretch(NamedTuple):
    """Chosen dates: what is over, or still to come."""

    at: float
    width: float
    is_to_come: bool


class DayMark(NamedTuple):
    """A day with a name, such as the anchor; ``side`` is where its name goes, ``line`` on which of
    the lines above the strip, the lowest being 0."""

    at: float
    name: str
    kind: str
    side: str
    line: int = 0


class Ruler(NamedTuple):
    """Everything that is drawn, and in words for those who do not see it."""

    ticks: tuple[Tick, ...]
    unit: str
    stretches: tuple[Stretch, ...]
    marks: tuple[DayMark, ...]
    beyond: tuple[str, ...]
    """What lies outside the strip, in words."""
    told: str
    low: date
    high: date
    """The first and the last day of the strip."""

    @property
    def lines(self) -> int:
        """How many lines of names stand above the strip."""
        return 1 + max((mark.line for mark in self.marks), default=0)


def ruler_of(view: View) -> Ruler | None:
    """The ruler of a view; None while it has no dates."""
    result = view.resolution
    if result is None or result.is_empty or view.problems or isinstance(result, InstantResolution):
        return None
    calendar = result.calendar
    today, extent = view.moment.today.toordinal(), view.extent
    anchor = result.anchor.day.toordinal()
    data = None if extent is None else (extent.first.toordinal(), extent.last.toordinal())
    ranges = _closed(result.ranges, data, today)
    first, last = ranges[0][0], ranges[-1][1] - 1
    named = {
        "today": (today, view._in_words("today")),
        "anchor": (anchor, view._in_words("anchor")),
    }
    if anchor == today:
        named = {"today": (today, view._in_words("today, the anchor"))}
    if data is not None:
        named["data"] = (data[1], view._in_words("data ends"))
        if data[1] == anchor and anchor != today:
            named["data"] = (data[1], view._in_words("anchor, data ends"))
            del named["anchor"]
    length = last - first + 1
    near = [
        day
        for day, _ in named.values()
        if first - _NEAR * length - 3 <= day <= last + _NEAR * length + 3
    ]
    pad = max(2, round(length * 0.12))
    low = max(FIRST_DAY, min([first, *near]) - pad)
    high = min(LAST_DAY, max([last, *near]) + pad)
    scale = _DayAxis(low, high)
    marks, beyond = [], []
    for kind, (day, name) in sorted(named.items(), key=lambda pair: pair[1]):
        told = f"{name} {view.day(date_of(day))}"
        if low <= day <= high:
            at = scale.at(day + 1 if kind == "data" else day + 0.5)
            marks.append(DayMark(at, name, kind, "end" if at > 70 else "start"))
        else:
            beyond.append(f"← {told}" if day < low else f"{told} →")
    unit, ticks = _ticks(calendar, scale, view.words)
    told = f"{result.label}" + (f", {view.counted(result.days, 'day')}" if result.days else "")
    words = [told, *(f"{mark.name} {_said(named[mark.kind][0])}" for mark in marks), *beyond]
    return Ruler(
        ticks,
        unit,
        tuple(_stretches(ranges, today, scale)),
        tuple(_apart(marks)),
        tuple(beyond),
        "; ".join(words),
        date_of(low),
        date_of(high),
    )


def _said(day: int) -> str:
    return date_of(day).isoformat()


class _DayAxis(NamedTuple):
    low: int
    high: int

    def at(self, day: float) -> float:
        """Where a day begins, in per cent."""
        found = (day - self.low) / (self.high + 1 - self.low) * 100
        return round(min(100.0, max(0.0, found)), 3)


def _closed(
    ranges: Sequence[Any], data: tuple[int, int] | None, today: int
) -> list[tuple[int, int]]:
    """Ranges with an open side cut to the data and today; where these lie on the other side, to a
    month."""
    low, high = (min(data[0], today), max(data[1], today)) if data else (today - 365, today)
    found = []
    for start, stop in ranges:
        first = (low if stop is None else min(low, stop - _MONTH)) if start is None else start
        last = max(high, first + _MONTH) + 1 if stop is None else stop
        found.append((max(FIRST_DAY, first), min(LAST_DAY + 1, last)))
    return found


def _stretches(ranges: list[tuple[int, int]], today: int, scale: _DayAxis) -> list[Stretch]:
    found = []
    for start, stop in ranges:
        for low, high, is_to_come in (
            (start, min(stop, today + 1), False),
            (max(start, today + 1), stop, True),
        ):
            if low < high:
                at = scale.at(low)
                width = max(0.4, round(scale.at(high) - at, 3))
                found.append(Stretch(min(at, 99.6), width, is_to_come))
    return found


def _ticks(calendar: Calendar, scale: _DayAxis, words: Words) -> tuple[str, tuple[Tick, ...]]:
    """The unit that there is room for, and where its units begin."""
    days = scale.high - scale.low + 1
    for unit in _UNITS:
        try:
            start = calendar._unit_start(scale.low, unit)
            size = calendar._move_start(start, unit, 1) - start
        except ResolveError:
            continue
        if days / size <= _MOST_TICKS or unit is Unit.YEAR:
            found = _of_unit(calendar, scale, unit, start, int(days / size) + 1)
            return unit.name, tuple(
                one._replace(name=one.name and words.unit(one.name)) for one in found
            )
    return "", ()


def _of_unit(
    calendar: Calendar, scale: _DayAxis, unit: Unit, start: int, count: int
) -> tuple[Tick, ...]:
    step = max(1, -(-count // _MOST_NAMES))
    found: list[Tick] = []
    number, before = 0, ""
    while start <= scale.high and number <= 2 * _MOST_TICKS + 400:
        at = scale.at(start)
        if start >= scale.low:
            is_named = number % step == 0 and at < 95
            name, year = "", before
            if is_named:
                name, year = _name(calendar, date_of(start), unit)
            if year not in ("", before, name):
                name += f" {year}"
            before = year
            found.append(Tick(at, name, bool(name) and (number // step) % 2 == 1, date_of(start)))
        number += 1
        try:
            start = calendar._move_start(start, unit, 1)
        except ResolveError:
            break
    return tuple(found)


def _name(calendar: Calendar, day: date, unit: Unit) -> tuple[str, str]:
    """The short name of a unit, and of the year around it."""
    if unit is Unit.DAY:
        return f"{day.day} {day:%b}", str(day.year)
    return calendar.label(day, unit, short=True), year_of(calendar, day, unit)


def _apart(marks: list[DayMark]) -> list[DayMark]:
    """Marks in order, with names that would meet on a narrow screen on lines of their own."""
    found: list[DayMark] = []
    taken: dict[int, list[tuple[float, float]]] = {}
    for mark in sorted(marks):
        wide = len(mark.name) * _LETTER + 2
        low, high = (mark.at - wide, mark.at) if mark.side == "end" else (mark.at, mark.at + wide)
        line = 0
        while any(low < b and a < high for a, b in taken.get(line, ())):
            line += 1
        taken.setdefault(line, []).append((low, high))
        found.append(mark._replace(line=line))
    return found

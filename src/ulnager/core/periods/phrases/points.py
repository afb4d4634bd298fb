"""Points: one day each, or one instant."""

from __future__ import annotations

from typing import Any

from ulnager.core.errors import ResolveError
from ulnager.core.periods.day_sorts import days_called, nth_day
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.names import DayName, Ordinal
from ulnager.core.periods.phrases.table import row
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.periods.spans import Range
from ulnager.core.units import Unit

# Points: one day each.


@row(Kind.POINT, "today", asks="clock", is_running=True)
def today(c: Basis) -> Any:
    return c.clock()


@row(Kind.POINT, "yesterday", asks="clock")
def yesterday(c: Basis) -> Any:
    return c.clock() - 1


@row(Kind.POINT, "tomorrow", asks="clock")
def tomorrow(c: Basis) -> Any:
    return c.clock() + 1


@row(Kind.POINT, "now", asks="clock", is_instant=True)
def now(c: Basis) -> Any:
    if c.now is None:
        raise ResolveError("the phrase speaks of now, but no moment was given; pass now= or --now")
    return c.now


@row(Kind.POINT, "anchor day", asks="anchor")
def anchor_day(c: Basis) -> Any:
    return c.in_days().anchor


@row(Kind.POINT, "latest", also=("newest day", "latest day"), asks="data", uses_last_date=True)
def latest(c: Basis) -> Any:
    return c.extent().last.toordinal()


@row(Kind.POINT, "latest up to {point}", asks="data", last_days=(True,))
def latest_up_to(c: Basis, point: Definition) -> Any:
    return c.in_days().latest_up_to(c.in_days().finish(point) - 1)


@row(Kind.POINT, "latest whole day", also=("last whole day",), asks="data", takes_profile=True)
def latest_whole_day(c: Basis) -> Any:
    day = c.extent().last_whole
    if day is None:
        raise ResolveError(
            "the phrase speaks of the latest whole day, and only the dates of the data are "
            "known; pass data=profile(source).extent, or --source FILE"
        )
    return day.toordinal()


@row(Kind.POINT, "earliest", asks="data")
def earliest(c: Basis) -> Any:
    return c.extent().first.toordinal()


@row(Kind.POINT, "{date}", is_written=True)
def day(c: Basis, date: Any) -> Any:
    return date.toordinal()


@row(Kind.POINT, "{timestamp}", is_instant=True, is_written=True)
def instant(c: Basis, timestamp: Any) -> Any:
    return timestamp.instant(c.instants_here().zone)


@row(Kind.POINT, "start of {period}", side="start")
def start_of(c: Basis, period: Definition) -> Any:
    return edge(c, period, 0)


@row(Kind.POINT, "end of {period}", side="end")
def end_of(c: Basis, period: Definition) -> Any:
    return edge(c, period, 1) - c.one


@row(Kind.POINT, "earlier of {point} and {point_2}", also=("earliest of {point} and {point_2}",))
def earlier_of(c: Basis, point: Definition, point_2: Definition) -> Any:
    return c.calendar._earlier(c.begin(point), c.begin(point_2))


@row(Kind.POINT, "later of {point} and {point_2}", also=("latest of {point} and {point_2}",))
def later_of(c: Basis, point: Definition, point_2: Definition) -> Any:
    return c.calendar._later(c.begin(point), c.begin(point_2))


@row(Kind.POINT, "{count} {units} before {point}")
def moved_before(c: Basis, count: int, unit: Unit, point: Definition) -> Any:
    return c.calendar._move_day(_edge_to_count_from(c, point, start_of), unit, -count)


@row(Kind.POINT, "{count} {units} after {point}", last_days=(True,))
def moved_after(c: Basis, count: int, unit: Unit, point: Definition) -> Any:
    return c.calendar._move_day(_edge_to_count_from(c, point, end_of), unit, count)


def _edge_to_count_from(c: Basis, point: Definition, side: Rule) -> Any:
    """Days count from the day; hours before a day from its start, hours after from its end."""
    if c.in_instants and point.rule in (start_of, end_of):
        side = point.rule
    return c.finish(point) if c.in_instants and side is end_of else c.begin(point)


@row(Kind.POINT, "{ordinal} {dayname} of {period}", looks_for="day")
def ordinal_day(c: Basis, ordinal: Ordinal, dayname: DayName, period: Definition) -> Any:
    first, stop = edge(c, period, 0), edge(c, period, 1)
    number, calendar = ordinal.number, c.calendar
    if c.in_instants:
        raise ResolveError(f"the days of '{period}', a period of hours, cannot be counted")
    if is_cut(c, period):
        inside = days_called(f"{dayname}s", closed(period.ranges(c), number), calendar.business)
        day = nth_day(inside, number)
        c.require(day is not None, lambda: f"there is no {ordinal} {dayname} in '{period}'")
        return day
    if dayname.weekday is not None:
        if number > 0:
            found = calendar._on_weekday(first, dayname.weekday) + 7 * (number - 1)
        else:
            found = calendar._on_weekday(stop - 7, dayname.weekday)
    elif number > 0:
        start = calendar._unit_start(first, dayname.unit)
        found = calendar._move_start(start, dayname.unit, number - 1)
    else:
        found = calendar._settled(stop - 1, dayname.unit)
    c.require(
        (first <= found) & (found < stop), lambda: f"there is no {ordinal} {dayname} in '{period}'"
    )
    return found


def is_cut(c: Basis, period: Definition) -> bool:
    """Whether a period is several spans here, so that not all days between its ends are its own."""
    return c.calendar._is_plain and not c.in_instants and len(period.ranges(c)) > 1


def closed(ranges: tuple[Range, ...], number: int) -> tuple[Range, ...]:
    """Ranges whose open end is put so far away that the Nth day of any sort comes before it."""
    far = 10 * abs(number) + 800
    return tuple(
        (
            stop - far if start is None and stop is not None else start,
            start + far if stop is None and start is not None else stop,
        )
        for start, stop in ranges
    )


def edge(c: Basis, period: Definition, side: int) -> Any:
    """The start or, for side 1, the stop of a whole period; ResolveError where it has none."""
    if c.calendar._is_plain:
        ranges = period.ranges(c)
        c.require(bool(ranges), lambda: _empty(period))
        edge = ranges[-side][side]
    else:
        start, stop = period.span(c)
        if start is not None and stop is not None:
            c.require(start < stop, lambda: _empty(period))
        edge = stop if side else start
    if edge is None:
        name = "end" if side else "start"
        raise ResolveError(f"'{period}' is open on that side, so it has no {name}")
    return edge


def _empty(period: Definition) -> str:
    return f"'{period}' is empty here, so it has no start and no end"

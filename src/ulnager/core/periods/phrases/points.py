"""Points: one day each, or one instant."""

from __future__ import annotations

from typing import Any

from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.names import DayName, Ordinal
from ulnager.core.periods.phrases.table import row
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.units import Unit

# Points: one day each.


@row(Kind.POINT, "today")
def today(c: Basis) -> Any:
    return c.clock()


@row(Kind.POINT, "yesterday")
def yesterday(c: Basis) -> Any:
    return c.clock() - 1


@row(Kind.POINT, "tomorrow")
def tomorrow(c: Basis) -> Any:
    return c.clock() + 1


@row(Kind.POINT, "now")
def now(c: Basis) -> Any:
    if c.now is None:
        raise ResolveError("the phrase speaks of now, but no moment was given; pass now= or --now")
    return c.now


@row(Kind.POINT, "anchor day")
def anchor_day(c: Basis) -> Any:
    return c.in_days().anchor


@row(Kind.POINT, "latest", also=("newest day", "latest day"))
def latest(c: Basis) -> Any:
    return c.extent().last.toordinal()


@row(Kind.POINT, "latest up to {point}")
def latest_up_to(c: Basis, point: Definition) -> Any:
    return c.in_days().latest_up_to(c.in_days().finish(point) - 1)


@row(Kind.POINT, "latest whole day", also=("last whole day",))
def latest_whole_day(c: Basis) -> Any:
    day = c.extent().last_whole
    if day is None:
        raise ResolveError(
            "the phrase speaks of the latest whole day, and only the dates of the data are "
            "known; pass data=profile(source).extent, or --source FILE"
        )
    return day.toordinal()


@row(Kind.POINT, "earliest")
def earliest(c: Basis) -> Any:
    return c.extent().first.toordinal()


@row(Kind.POINT, "{date}")
def day(c: Basis, date: Any) -> Any:
    return date.toordinal()


@row(Kind.POINT, "{timestamp}")
def instant(c: Basis, timestamp: Any) -> Any:
    return timestamp.instant(c.instants_here().zone)


@row(Kind.POINT, "start of {period}")
def start_of(c: Basis, period: Definition) -> Any:
    return edge(c, period, 0)


@row(Kind.POINT, "end of {period}")
def end_of(c: Basis, period: Definition) -> Any:
    return edge(c, period, 1) - c.one


@row(Kind.POINT, "earlier of {point} and {point_2}", also=("earliest of {point} and {point_2}",))
def earlier_of(c: Basis, point: Definition, point_2: Definition) -> Any:
    return c.calendar.earlier(c.begin(point), c.begin(point_2))


@row(Kind.POINT, "later of {point} and {point_2}", also=("latest of {point} and {point_2}",))
def later_of(c: Basis, point: Definition, point_2: Definition) -> Any:
    return c.calendar.later(c.begin(point), c.begin(point_2))


@row(Kind.POINT, "{count} {units} before {point}")
def moved_before(c: Basis, count: int, unit: Unit, point: Definition) -> Any:
    return c.calendar.move_day(_edge_to_count_from(c, point, start_of), unit, -count)


@row(Kind.POINT, "{count} {units} after {point}")
def moved_after(c: Basis, count: int, unit: Unit, point: Definition) -> Any:
    return c.calendar.move_day(_edge_to_count_from(c, point, end_of), unit, count)


def _edge_to_count_from(c: Basis, point: Definition, side: Rule) -> Any:
    """Days count from the day; hours before a day from its start, hours after from its end."""
    if c.in_instants and point.rule in (start_of, end_of):
        side = point.rule
    return c.finish(point) if c.in_instants and side is end_of else c.begin(point)


@row(Kind.POINT, "{ordinal} {dayname} of {period}")
def ordinal_day(c: Basis, ordinal: Ordinal, dayname: DayName, period: Definition) -> Any:
    first, stop = edge(c, period, 0), edge(c, period, 1)
    number, calendar = ordinal.number, c.calendar
    if c.in_instants:
        raise ResolveError(f"the days of '{period}', a period of hours, cannot be counted")
    if dayname.weekday is not None:
        if number > 0:
            found = calendar.on_weekday(first, dayname.weekday) + 7 * (number - 1)
        else:
            found = calendar.on_weekday(stop - 7, dayname.weekday)
    elif number > 0:
        start = calendar.unit_start(first, dayname.unit)
        found = calendar.move_start(start, dayname.unit, number - 1)
    else:
        found = calendar.settled(stop - 1, dayname.unit)
    c.require(
        (first <= found) & (found < stop), lambda: f"there is no {ordinal} {dayname} in '{period}'"
    )
    return found


def edge(c: Basis, period: Definition, side: int) -> Any:
    """The start or, for side 1, the stop of a whole period; ResolveError where it has none."""
    if c.calendar.is_plain:
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

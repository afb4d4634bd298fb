"""The same phrase at another time, measured from elsewhere, or in another calendar."""

from __future__ import annotations

from typing import Final

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN, MonthCalendar
from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.names import Name
from ulnager.core.periods.phrases.table import Pair, row
from ulnager.core.periods.rule import Kind
from ulnager.core.periods.shifting import may_refill, moved
from ulnager.core.periods.spans import Range
from ulnager.core.suggest import no_such
from ulnager.core.units import WEEKDAYS, Unit


def _moved_one(c: Basis, period: Definition, count: int, unit: Unit) -> Pair:
    found = moved(c, period, count, unit)
    if not isinstance(found, Definition):
        return found
    start, stop = found.span(c)
    if start is not None and stop is not None and may_refill(period):
        first, last = period.span(c)
        if first is not None and last is not None:
            stop = c.calendar._choose(first < last, stop, start)
    return start, stop


def _moved(c: Basis, period: Definition, count: int, unit: Unit) -> tuple[Range, ...]:
    found = moved(c, period, count, unit)
    if not isinstance(found, Definition):
        return (found,)
    return () if may_refill(period) and not period.ranges(c) else found.ranges(c)


@row(
    Kind.SHIFT,
    "{period}, {count} {steps} earlier",
    "All of it moves back by {counted}.",
    find_one=lambda c, period, count, unit: _moved_one(c, period, -count, unit),
    sign=-1,
)
def earlier(c: Basis, period: Definition, count: int, unit: Unit) -> tuple[Range, ...]:
    return _moved(c, period, -count, unit)


@row(
    Kind.SHIFT,
    "{period}, {count} {steps} later",
    "All of it moves on by {counted}.",
    find_one=_moved_one,
    sign=1,
)
def later(c: Basis, period: Definition, count: int, unit: Unit) -> tuple[Range, ...]:
    return _moved(c, period, count, unit)


GREGORIAN_NAME: Final = "gregorian"
"""The calendar that every phrase may name; no book has another of that name."""


def _gregorian(calendar: Calendar) -> Calendar:
    """The Gregorian calendar with another one's first day of the week and days off."""
    day = calendar._some_day(Unit.WEEK)
    try:
        week_starts = WEEKDAYS[(calendar._unit_start(day, Unit.WEEK) - 1) % 7]
    except ResolveError:
        week_starts = "monday"
    if week_starts == "monday" and calendar.business == GREGORIAN.business:
        return GREGORIAN
    return MonthCalendar(week_starts=week_starts, business=calendar.business)


@row(Kind.BASIS, "{period} in {calendar}")
def in_calendar(c: Basis, calendar: Name) -> Basis:
    if calendar.text == GREGORIAN_NAME:
        return c.changed(calendar=c.calendar._like(_gregorian(c.calendar._plain)))
    if calendar.text == "fiscal" and calendar.text not in c.calendars:
        if c.calendar._plain._is_fiscal:
            return c
        raise ResolveError(
            "the years of the calendar in use are the Gregorian ones, so it has no fiscal units; "
            "give one whose years start elsewhere, such as --year-starts 10-01"
        )
    if calendar.text not in c.calendars:
        raise ResolveError(no_such("calendar", calendar.text, c.calendars))
    return c.changed(calendar=c.calendar._like(c.calendars[calendar.text]))


@row(Kind.BASIS, "{period} as of {point}", sets_anchor=True, last_days=(True,))
def as_of(c: Basis, point: Definition) -> Basis:
    return measured_from(c, point)


def measured_from(c: Basis, point: Definition) -> Basis:
    """The same basis with its anchor at a point.

    Its day is over, but for ``today``, and for an instant, whose day is still running then.
    """
    if point.is_sub_day:
        here = c.instants_here()
        if point.is_anchored:
            # Hours are counted from the moment of the anchor.
            instant = point.day(c.in_days().to_instants())
        else:
            instant = point.day(c.changed(calendar=here, one=0, in_instants=True, days=c))
        anchor, running, moment = here.day_of(instant), True, instant
    else:
        running = point.rule.is_running
        is_clock = running and point.rule.asks == "clock"
        anchor, moment = point.day(c), c.now if is_clock else None
    return c.changed(anchor=anchor, running=running, moment=moment, source=point)

"""Parts of a period, and so many units from a point or to one."""

from __future__ import annotations

from typing import Any

from ulnager.core.errors import ResolveError
from ulnager.core.periods.day_sorts import days_called, nth_day
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.names import Ordinal
from ulnager.core.periods.phrases.points import closed, edge, is_cut, now
from ulnager.core.periods.phrases.table import Pair, row
from ulnager.core.periods.rule import Kind
from ulnager.core.units import Unit

DAYS = (Unit.DAY, Unit.BUSINESS_DAY)


def _forward(c: Basis, start: Any, unit: Unit, count: int) -> Any:
    """The stop of so many units from a start; business days are counted."""
    if unit is Unit.BUSINESS_DAY and not c.in_instants:
        first = c.calendar._unit_start(start, unit)
        return (c.calendar._move_start(first, unit, count - 1) if count > 1 else first) + 1
    return c.calendar._move_day(start, unit, count)


def _back(c: Basis, stop: Any, unit: Unit, count: int) -> Any:
    """The start of so many units up to a stop; business days are counted."""
    if unit is Unit.BUSINESS_DAY and not c.in_instants:
        last = c.calendar._settled(stop - 1, unit)
        return c.calendar._move_start(last, unit, 1 - count) if count > 1 else last
    return c.calendar._move_day(stop, unit, -count)


@row(
    Kind.SPAN,
    "{count} {units} from {point}",
    "It begins on {start}, and {counted} later it ends, {ends}.",
    also=(
        "{count} {units} starting {point}",
        "{count} {units} beginning {point}",
        "next {count} {units} starting {point}",
    ),
    ends=("begin", "counted"),
    from_anchor=False,
    in_brackets=True,
    # ``2 hours from now`` is a moment.
    refuses=lambda count, unit, point: point.rule is now,
)
def starting(c: Basis, count: int, unit: Unit, point: Definition) -> Pair:
    start = c.begin(point)
    return start, _forward(c, start, unit, count)


@row(
    Kind.SPAN,
    "{count} {units} to {point}",
    "It ends {ends}; {counted} back from there is the day before it begins, on {start}.",
    also=(
        "{count} {units} ending {point}",
        "last {count} {units} to {point}",
        "last {count} {units} ending {point}",
    ),
    ends=("day", "finish"),
    from_anchor=False,
    in_brackets=True,
    last_days=(True,),
)
def ending(c: Basis, count: int, unit: Unit, point: Definition) -> Pair:
    stop = c.finish(point)
    if unit is Unit.BUSINESS_DAY or c.in_instants:
        return _back(c, stop, unit, count), stop
    return c.calendar._move_day(stop - c.one, unit, -count) + c.one, stop


@row(
    Kind.SPAN,
    "first {count} {units} of {period}",
    "It begins with it on {start} and ends {ends}.",
    ends=("inner start", "counted"),
    can_be_empty=True,
    from_anchor=False,
    stays_in=True,
)
def first_of(c: Basis, count: int, unit: Unit, period: Definition) -> Pair:
    start, stop = _sides(c, period)
    if start is None:
        raise _open(period, "start")
    if unit in DAYS and is_cut(c, period):
        day = _counted_in(c, period, unit, count)
        return start, stop if day is None else day + 1
    return start, c.calendar._earlier(_forward(c, start, unit, count), stop)


@row(
    Kind.SPAN,
    "last {count} {units} of {period}",
    "It ends with it {ends} and begins on {start}.",
    ends=("counted", "inner stop"),
    can_be_empty=True,
    from_anchor=False,
    stays_in=True,
)
def last_of(c: Basis, count: int, unit: Unit, period: Definition) -> Pair:
    start, stop = _sides(c, period)
    if stop is None:
        raise _open(period, "end")
    if unit in DAYS and is_cut(c, period):
        day = _counted_in(c, period, unit, -count)
        return start if day is None else day, stop
    return c.calendar._later(_back(c, stop, unit, count), start), stop


def _counted_in(c: Basis, period: Definition, unit: Unit, count: int) -> int | None:
    """The Nth day of a period that is cut, counted in the days that it has."""
    return nth_day(
        days_called(unit.plural, closed(period.ranges(c), count), c.calendar.business), count
    )


def _sides(c: Basis, period: Definition) -> Pair:
    """The first start and the last stop of a period, which may be several spans, or empty."""
    if not c.calendar._is_plain or period.rule.kind is Kind.SPAN:
        return period.span(c)
    ranges = period.ranges(c)
    return (ranges[0][0], ranges[-1][1]) if ranges else (c.anchor, c.anchor)


def _open(period: Definition, name: str) -> ResolveError:
    return ResolveError(f"'{period}' is open on that side, so it has no {name}")


@row(
    Kind.SPAN,
    "{ordinal} {unit} of {period}",
    "It is the {ordinal} {unit} that starts in it, from {start}.",
    ends=("unit", "unit"),
    step="unit",
    from_anchor=False,
    looks_for="unit",
    # Days of a phrase are points, which ``3rd friday of PHRASE`` has.
    refuses=lambda ordinal, unit, period: unit in DAYS,
)
def nth_unit(c: Basis, ordinal: Ordinal, unit: Unit, period: Definition) -> Pair:
    first, stop = edge(c, period, 0), edge(c, period, 1)
    tick, calendar, number = c.one or 1, c.calendar, ordinal.number
    if is_cut(c, period):
        start = _nth_start(c, period, unit, number)
        c.require(start is not None, lambda: f"no {ordinal} {unit} starts in '{period}'")
        return start, calendar._move_start(start, unit, 1)
    if number > 0:
        start = calendar._unit_stop(first - tick, unit)
        start = calendar._move_start(start, unit, number - 1) if number > 1 else start
    else:
        start = calendar._unit_start(stop - tick, unit)
    c.require(
        (first <= start) & (start < stop), lambda: f"no {ordinal} {unit} starts in '{period}'"
    )
    return start, calendar._move_start(start, unit, 1)


def _nth_start(c: Basis, period: Definition, unit: Unit, number: int) -> int | None:
    """The start of the Nth unit that starts on a day which a period that is cut has."""
    calendar, left = c.calendar, abs(number)
    for start, stop in period.ranges(c)[:: 1 if number > 0 else -1]:
        assert start is not None
        assert stop is not None
        at = (
            calendar._unit_stop(start - 1, unit)
            if number > 0
            else calendar._unit_start(stop - 1, unit)
        )
        while start <= at < stop:
            left -= 1
            if not left:
                return int(at)
            at = calendar._move_start(at, unit, 1 if number > 0 else -1)
    return None

"""The same period at another time, for comparisons.

An end that is the start of a unit moves from start to start; any other end moves as a day.
The end of a span "to date" that is the last day of its unit stays the last day, so that a
whole month is compared with a whole month.
"""

from __future__ import annotations

from typing import Any

from ulnager.core.calendars.months import GREGORIAN
from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.rule import RULES, Kind
from ulnager.core.periods.spans import FixedDates
from ulnager.core.units import Unit

PERIOD = Unit("period", "periods")
"""Stands for a period's own length in ``P, 2 periods earlier``."""

Pair = tuple[Any, Any]


def moved(c: Basis, period: Definition, count: int, unit: Unit) -> Definition | Pair:
    """A period moved by ``count`` units, later when positive.

    The pair for a period that is one span; for a joined or cut one, the same join or cut of
    parts that are moved.
    """
    kind = period.rule.kind
    if kind is Kind.READING:
        return moved(c, period.rule.find(c, *period.args), count, unit)
    if kind is Kind.BASIS:
        inner = shifted(period.args[0], count, unit)
        return Definition(period.rule, (inner, *period.args[1:]))
    if kind is Kind.RANGES:
        if unit == PERIOD:
            # Every part moves by the length of the first one, which the others join or cut.
            size, unit = _own_step(c, period.args[0])
            if not isinstance(size, int):
                raise ResolveError(
                    f"'{period.args[0]}' has another length for each anchor, by which '{period}' "
                    "cannot be stepped here; say by how much, such as ', 1 month earlier'"
                )
            count *= size
        parts = (
            shifted(part, count, unit) if isinstance(part, Definition) else part
            for part in period.args
        )
        return Definition(period.rule, tuple(parts))
    if kind is Kind.SHIFT and unit == PERIOD:
        inner, steps, by = period.args
        if by != PERIOD:
            # The period's own steps first, then the shift that was there: the order is all one.
            return Definition(period.rule, (shifted(inner, count, unit), steps, by))
        count += steps if period.rule.key == "later" else -steps
        return moved(c, inner, count, PERIOD) if count else inner
    if unit == PERIOD:
        if period.rule.step == "rolling":
            return _rolled(c, period, count)
        size, unit = _own_step(c, period)
        count *= size
    return _moved_span(c, period, count, unit)


def shifted(period: Definition, count: int, unit: Unit) -> Definition:
    """The definition of a period moved by ``count`` units, later when positive."""
    return Definition(RULES["later" if count > 0 else "earlier"], (period, abs(count), unit))


def _rolled(c: Basis, period: Definition, count: int) -> Pair:
    """The rolling span ``count`` lengths later, measured from the same anchor."""
    size, unit = period.args
    ahead = period.rule.family == "next"
    return rolling(c, unit, (count - 1 + ahead) * size, (count + ahead) * size)


def rolling(c: Basis, unit: Unit, first: int, last: int) -> Pair:
    """From ``first`` to ``last`` units after the anchor: ``[s(A, first)+1, s(A, last)+1)``."""
    base = c.calendar.settled(c.anchor, unit)
    start = c.calendar.move_day(base, unit, first) if first else base
    stop = c.calendar.move_day(base, unit, last) if last else base
    return start + c.one, stop + c.one


def _own_step(c: Basis, period: Definition) -> tuple[int, Unit]:
    """The length of a period, as a count of units."""
    rule = period.rule
    if rule.kind is Kind.READING:
        return _own_step(c, rule.find(c, *period.args))
    if rule.kind in (Kind.RANGES, Kind.BASIS, Kind.SHIFT):
        inner: Definition = period.args[0]
        return _own_step(period.changed(c) if rule.kind is Kind.BASIS else c, inner)
    if rule.step == "unit" and period.unit is not None:
        return 1, period.unit
    if rule.step in ("count", "rolling"):
        count, unit = period.args
        return count, unit
    if rule.step == "fixed" and period.args[0].unit is not None:
        return 1, period.args[0].unit
    start, stop = period.span(c)
    if start is None or stop is None:
        raise ResolveError(
            f"'{period}' is open on one side and has no length to step by; "
            "say by how much, such as ', 1 year earlier'"
        )
    return c.calendar.length(start, stop), _TICK if c.in_instants else Unit.DAY


_TICK = Unit("microsecond", "microseconds", microseconds=1)


def _moved_span(c: Basis, period: Definition, count: int, unit: Unit) -> Pair:
    start, stop = period.span(c)
    start_unit, stop_unit, to_date = aligned(period)
    calendar = c.calendar
    if period.rule.step == "fixed" and not c.in_instants:
        # ISO forms are Gregorian, whatever calendar is in use.
        calendar = GREGORIAN
    if start is not None:
        if start_unit is not None and calendar.keeps(start_unit, unit):
            start = calendar.move_start(start, unit, count)
        else:
            start = calendar.move_day(start, unit, count)
    if stop is not None:
        as_day = calendar.move_day(stop - c.one, unit, count) + c.one
        if stop_unit is None or not calendar.keeps(stop_unit, unit):
            stop = as_day
        else:
            as_start = calendar.move_start(stop, unit, count)
            if to_date:
                is_whole = calendar.unit_start(stop, stop_unit) == stop
                stop = calendar.choose(is_whole, as_start, as_day)
            else:
                stop = as_start
    return start, stop


def aligned(period: Definition) -> tuple[Unit | None, Unit | None, bool]:
    """Which units the start and the stop of a span are starts of, and whether it is to date."""
    rule = period.rule
    if rule.kind is Kind.SHIFT or rule.kind is Kind.BASIS:
        return aligned(period.args[0])
    start = _end_unit(period, rule.ends[0])
    if rule.ends[1] == "to date":
        return start, period.unit or start, True
    return start, _end_unit(period, rule.ends[1]), False


def _end_unit(period: Definition, end: str) -> Unit | None:
    if end == "unit":
        return period.unit
    if end == "fixed":
        fixed: FixedDates = period.args[0]
        return fixed.unit
    if end in ("begin", "finish", "finish 2"):
        point: Definition = period.args[-1 if end == "finish 2" else 0]
        edge = "start_of" if end == "begin" else "end_of"
        if point.rule.key == edge and point.args[0].rule.kind is not Kind.RANGES:
            start, stop, _ = aligned(point.args[0])
            return start if end == "begin" else stop
    return None

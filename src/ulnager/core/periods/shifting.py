"""The same period at another time, for comparisons.

Each shift works on the dates that the one before it gave, from left to right. An end that is the
start of a unit moves from start to start; any other end moves as a day. What a shift leaves off
the starts of units, as weeks do with a month, is off them for the next shift too. The end of a
span "to date" that is the last day of its unit stays the last day, so that a whole month is
compared with a whole month. So many business days stay so many. What is empty stays empty.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.grain import Grain, starts_agree
from ulnager.core.periods.names import Label, NamedUnit
from ulnager.core.periods.rule import Kind, rule_with
from ulnager.core.periods.spans import FixedDates
from ulnager.core.units import UNIT_NAMES, Unit

PERIOD = Unit("period", "periods")
"""Stands for a period's own length in ``P, 2 periods earlier``."""

Pair = tuple[Any, Any]


class Moved(NamedTuple):
    """A span on its way: its dates by now, and what its ends stand on.

    What is asked of the unshifted span (was it empty, was it to the end of its unit) is asked once
    and answered at the end: in SQL an answer at each step would be in the text of the next.
    """

    root: Definition
    start: Any
    stop: Any
    start_unit: Unit | None
    stop_unit: Unit | None
    as_day: Any = None
    """The stop of a span to date where it is not whole."""
    is_whole: Any = True
    is_there: Any = True
    lengths: int | None = 0
    """How many lengths a rolling span was moved from its anchor; None once it moved otherwise."""
    length: Any = None
    """How long it is, when it was asked before."""
    written: tuple[bool, bool] = (False, False)
    """Which of its ends stand on a unit that was written, as ``march`` and ``2026-Q2`` are."""

    def ended(self, c: Basis) -> Any:
        """The stop, whichever it is."""
        if self.as_day is None:
            return self.stop
        return c.calendar._choose(self.is_whole, self.stop, self.as_day)

    def pair(self, c: Basis) -> Pair:
        stop = self.ended(c)
        if self.is_there is not True:
            stop = c.calendar._choose(self.is_there, stop, self.start)
        return self.start, stop


def moved(c: Basis, period: Definition, count: int, unit: Unit | Definition) -> Definition | Pair:
    """A period moved by ``count`` units, later when positive.

    ``unit`` may also be a period, by whose length it moves. The pair for a period that is one
    span; for a joined or cut one, the same join or cut of parts that are moved.
    """
    found = _moved(c, _traced(c, period), count, unit)
    return found if isinstance(found, Definition) else found.pair(c)


def shifted(period: Definition, count: int, unit: Unit | Definition) -> Definition:
    """The definition of a period moved by ``count`` units, later when positive."""
    return Definition(rule_with(sign=1 if count > 0 else -1), (period, abs(count), unit))


def other_part(period: Definition) -> Definition:
    """What a join or a cut takes a phrase together with: another one, or what its rule implies."""
    implied = period.rule.implied
    found: Definition = period.args[1] if implied is None else implied()
    return found


def may_refill(period: Definition) -> bool:
    """Whether what is empty might come out otherwise when its parts are moved."""
    while period.rule.kind is Kind.SHIFT:
        period = period.args[0]
    return period.rule.join == "within"


def rolling(c: Basis, unit: Unit, first: int, last: int) -> Pair:
    """From ``first`` to ``last`` units after the anchor: ``[s(A, first)+1, s(A, last)+1)``."""
    return _rolling_from(c, c.calendar._settled(c.anchor, unit), unit, first, last)


def _rolling_from(c: Basis, base: Any, unit: Unit, first: int, last: int) -> Pair:
    start = c.calendar._move_day(base, unit, first) if first else base
    stop = c.calendar._move_day(base, unit, last) if last else base
    return start + c.one, stop + c.one


def _traced(c: Basis, period: Definition) -> Moved | Definition:
    """A period with all its shifts done: one span, or a join or cut of others."""
    kind = period.rule.kind
    if kind is Kind.READING:
        return _traced(c, period.rule.find(c, *period.args))
    if kind is Kind.RANGES or kind is Kind.BASIS:
        return period
    if kind is Kind.SHIFT:
        found: Moved | Definition = c.once("traced", period, lambda c: _shift_traced(c, period))
        return found
    if period.cut_by(c):
        # What is moved are its dates: the way from end to end, in the days of the phrase inside.
        first, stop = period.rule.find(c, *period.args)
        way = FixedDates(f"{date_of(first)}/{date_of(stop - 1)}", first, stop)
        return _within(Definition(rule_with(template="{iso}"), (way,)), period.args[-1])
    start, stop = period.span(c)
    start_unit, stop_unit, to_date = _stands_on(c, period)
    span = Moved(period, start, stop, start_unit, stop_unit, written=_written(period))
    if start is not None and stop is not None and _can_be_empty(c, span):
        span = span._replace(is_there=start < stop)
    if to_date and stop_unit not in (None, Unit.BUSINESS_DAY) and stop is not None:
        calendar = _calendar_for(c, stop, stop_unit) if span.written[1] else c.calendar
        is_whole = calendar._unit_start(stop, stop_unit) == stop
        span = span._replace(is_whole=is_whole, as_day=stop)
    return span


def _shift_traced(c: Basis, period: Definition) -> Moved | Definition:
    inner, count, unit = period.args
    return _moved(c, _traced(c, inner), count * period.rule.sign, unit)


def _moved(
    c: Basis, found: Moved | Definition, count: int, unit: Unit | Definition
) -> Moved | Definition:
    if isinstance(found, Definition):
        return parts_moved(found, count, unit)
    if found.is_there is False:
        return found
    if unit == PERIOD and found.root.rule.step == "rolling" and not _is_business(c, found):
        return _rolled(c, found, count)
    length = found.length
    if isinstance(unit, Definition):
        size, unit = _length(c, unit)
        count *= size
    elif unit == PERIOD:
        size, unit = _own_step(c, found)
        length = size if unit == _tick(c) else None
        count *= size
    if _is_business(c, found):
        return _business_days_moved(c, found, count, unit)
    after = _ends_moved(c, found, count, unit)
    return after._replace(length=length if unit.days or unit.microseconds else None)


def _can_be_empty(c: Basis, found: Moved) -> bool:
    rule = found.root.rule
    return rule.can_be_empty or (_is_business(c, found) and rule.step == "unit")


def parts_moved(period: Definition, count: int, unit: Unit | Definition) -> Definition:
    """The same join or cut of parts that are moved."""
    first, *others = period.args
    rule = period.rule
    parts = [shifted(first, count, unit)]
    if rule.kind is Kind.BASIS:
        return Definition(rule, (*parts, *others))
    if unit == PERIOD:
        # Every part moves by the length of the first one, which the others join or cut.
        unit = first
    if rule.implied is not None:
        # The dates that are left are what moves, so that like is compared with like.
        return _within(parts[0], shifted(other_part(period), count, unit))
    for other in others:
        parts.append(shifted(other, count, unit) if isinstance(other, Definition) else other)
    return Definition(rule, tuple(parts))


def _within(one: Definition, other: Definition) -> Definition:
    return Definition(rule_with(join="within", implied=None), (one, other))


def _rolled(c: Basis, found: Moved, count: int) -> Moved:
    """A rolling span that touches the one it was: measured from the same anchor, or after
    another shift from its own dates."""
    size, unit = found.root.args
    if found.lengths is not None:
        lengths = found.lengths + count
        last = lengths + (found.root.rule.family == "next")
        start, stop = rolling(c, unit, (last - 1) * size, last * size)
        return found._replace(start=start, stop=stop, lengths=lengths)
    if count < 0:
        base, last = found.start - c.one, count + 1
    else:
        base, last = found.stop - c.one, count
    start, stop = _rolling_from(c, base, unit, (last - 1) * size, last * size)
    return found._replace(start=start, stop=stop)


def _length(c: Basis, period: Definition) -> tuple[Any, Unit]:
    """The length of a period, as a count of units."""
    found = _traced(c, period)
    if isinstance(found, Moved):
        return _own_step(c, found)
    return _length(found.changed(c) if found.rule.kind is Kind.BASIS else c, found.args[0])


def _own_step(c: Basis, found: Moved) -> tuple[Any, Unit]:
    root = found.root
    rule = root.rule
    if rule.step == "unit" and root.unit is not None:
        return 1, root.unit
    if rule.step in ("count", "rolling"):
        count, unit = root.args
        return count, unit
    if rule.step == "fixed" and root.args[0].unit is not None:
        return 1, root.args[0].unit
    if _is_label(root):
        return 1, _labelled_unit(c, root) or Unit.DAY
    written = _written_units(c, root)
    if written is not None:
        return written
    if found.start is None or found.stop is None:
        raise ResolveError(
            f"'{root}' is open on one side and has no length to step by; "
            "say by how much, such as ', 1 year earlier'"
        )
    length = found.length
    if length is None:
        length = c.calendar._length(found.start, found.ended(c))
    return length, _tick(c)


def _written_units(c: Basis, root: Definition) -> tuple[int, Unit] | None:
    """How many units a span is long that is written in units: ``2024-01/2024-03``, ``january to
    march``; None for one that is written in days."""
    is_fixed = _is_fixed(root)
    if not (is_fixed or root.rule.shape == ("point", "point")) or c.in_instants:
        return None
    points = () if is_fixed else root.args
    ends = [unit_written(point) for point in points] if points else [root.args[0].edges]
    if None in ends:
        ends = list(_stands_on(c, root)[:2])
    unit = ends[0]
    if unit is None or unit != ends[-1] or unit in (Unit.DAY, Unit.BUSINESS_DAY):
        return None
    insides = [point.args[0] for point in points]
    start, stop = root.span(c)
    if isinstance(start, int) and isinstance(stop, int):
        # ISO forms and names of months are Gregorian.
        is_common = unit.name in UNIT_NAMES and all(_is_gregorian(one) for one in insides)
        calendar = GREGORIAN if is_common else c.calendar._plain
        first, last = (calendar._unit_number(day, unit) for day in (start, stop - 1))
        return last - first + 1, unit
    if unit.name in _IN_A_YEAR and all(one.rule.is_name for one in insides):
        first, last = (one.args[0].number for one in insides)
        return (last - first) % _IN_A_YEAR[unit.name] + 1, unit
    places = [one.rule.place for one in insides]
    if places and None not in places:
        first, last = places
        return last - first + 1, unit
    if unit is Unit.WEEK:
        return None  # So many days are so many weeks.
    raise ResolveError(
        f"the {unit.plural} of '{root}' cannot be counted there; say by how much it moves, such as "
        f"', 3 {unit.plural} earlier'"
    )


def _is_fixed(period: Definition) -> bool:
    return bool(period.args) and isinstance(period.args[0], FixedDates)


def _is_label(period: Definition) -> bool:
    return bool(period.args) and isinstance(period.args[0], Label)


def _is_gregorian(period: Definition) -> bool:
    """Whether a period is a unit of the Gregorian calendar in every other: its step is fixed."""
    return period.rule.step == "fixed"


_IN_A_YEAR = {"month": 12, "quarter": 4, "half": 2}


def unit_written(point: Definition) -> Unit | None:
    """Which unit a named or written one at the edge of a span is."""
    inside = point.edge_of or point
    if _is_fixed(inside):
        unit: Unit | None = inside.args[0].unit
        return unit
    if _is_label(inside):
        text = inside.args[0].text.upper()
        return {"Q": Unit.QUARTER, "H": Unit.HALF, "W": Unit.WEEK}.get(text[0])
    is_name = inside.args and isinstance(inside.args[0], NamedUnit)
    return inside.unit if is_name else None


def _tick(c: Basis) -> Unit:
    """What lengths are counted in."""
    return _MICROSECOND if c.in_instants else Unit.DAY


_MICROSECOND = Unit("microsecond", "microseconds", microseconds=1)


def _is_business(c: Basis, found: Moved) -> bool:
    return found.root.counts_business_days and not c.in_instants


def _business_days_moved(c: Basis, found: Moved, count: Any, unit: Unit) -> Moved:
    """As many business days as before: from the end back, or for the next ones from the start."""
    calendar, day = c.calendar, Unit.BUSINESS_DAY
    rule = found.root.rule
    others = (found.root.args[0] if rule.step in ("count", "rolling") else 1) - 1
    if rule.template.startswith("next "):
        start = calendar._unit_start(calendar._move_day(found.start, unit, count), day)
        last = calendar._move_start(start, day, others) if others else start
    else:
        last = calendar._settled(calendar._move_day(found.stop - c.one, unit, count), day)
        start = calendar._move_start(last, day, -others) if others else last
    return found._replace(start=start, stop=last + c.one)


def _ends_moved(c: Basis, found: Moved, count: Any, unit: Unit) -> Moved:
    start, stop = found.start, found.stop
    calendar = _calendar_for(c, start, unit) if found.written[0] else c.calendar
    start_unit = found.start_unit and calendar._keeps(found.start_unit, unit)
    if start is not None:
        move = calendar._move_start if start_unit else calendar._move_day
        start = move(start, unit, count)
    calendar = _calendar_for(c, stop, unit) if found.written[1] else c.calendar
    stop_unit = found.stop_unit and calendar._keeps(found.stop_unit, unit)
    as_day = found.as_day
    if as_day is not None:
        as_day = calendar._move_day(as_day - c.one, unit, count) + c.one
    if stop is not None:
        if not stop_unit:
            stop = calendar._move_day(stop - c.one, unit, count) + c.one
        elif calendar._varies(unit, stop_unit):
            # The last unit inside takes its place in the other one.
            last = calendar._unit_start(stop - c.one, stop_unit)
            stop = calendar._unit_stop(calendar._move_start(last, unit, count), stop_unit)
        else:
            stop = calendar._move_start(stop, unit, count)
    after = found._replace(
        start=start,
        stop=stop,
        start_unit=start_unit,
        stop_unit=stop_unit,
        as_day=as_day,
        lengths=None,
    )
    uneven = unit.months and calendar._plain._has_periods
    if start is None or stop is None or not uneven:
        return after
    # A day of a week that is not there goes to the one before, so that an end may pass the other.
    return after._replace(is_there=after.is_there & (start < after.ended(c)))


def _calendar_for(c: Basis, day: Any, unit: Unit) -> Any:
    """Where an end on a written unit moves: ISO forms and names of months are Gregorian, whatever
    calendar is in use; units that are its own are its own."""
    is_common = unit.name in UNIT_NAMES and unit is not Unit.BUSINESS_DAY
    if c.in_instants or not isinstance(day, int):
        return c.calendar._like(GREGORIAN) if is_common else c.calendar
    return GREGORIAN if is_common else c.calendar._plain


def _written(period: Definition) -> tuple[bool, bool]:
    """Which ends of a span stand on a unit that was written."""
    if _is_gregorian(period):
        return True, True
    first, last = period.rule.ends
    begins = _is_on_written(period, first)
    if last == "to date":
        return begins, begins and period.unit is None
    return begins, _is_on_written(period, last)


def _is_on_written(period: Definition, end: str) -> bool:
    if end == "counted":
        end = next(other for other in period.rule.ends if other != "counted")
    inside = _inside(period, end)
    return inside is not None and _is_gregorian(inside)


def _as_here(
    c: Basis, units: Sequence[Unit | None], written: tuple[bool, bool]
) -> list[Unit | None]:
    """Units that ends stand on, written ones as those of the calendar in use whose starts their
    starts are, if there are any."""
    calendar = c.calendar._plain

    def here(unit: Unit) -> Unit | None:
        tried = (unit, Unit.MONTH) if unit.months else (unit,)
        agrees = (
            one for one in tried if starts_agree(GREGORIAN, unit, Grain(one, "first", calendar))
        )
        return next(agrees, None)

    return [
        here(unit) if unit is not None and is_written and calendar != GREGORIAN else unit
        for unit, is_written in zip(units, written, strict=True)
    ]


def aligned(c: Basis, period: Definition) -> tuple[Unit | None, Unit | None, bool]:
    """Which units of the calendar in use the start and the stop of a span are starts of, and
    whether it is to date."""
    rule = period.rule
    if rule.kind is Kind.READING:
        return aligned(c, rule.find(c, *period.args))
    if rule.kind is Kind.SHIFT:
        found = _traced(c, period)
        if isinstance(found, Moved):
            start, stop = _as_here(c, (found.start_unit, found.stop_unit), found.written)
            return start, stop, aligned(c, period.args[0])[2]
        return aligned(c, found) if found.rule.kind is Kind.BASIS else (None, None, False)
    if rule.kind is Kind.BASIS:
        # Starts of units in another calendar are not starts in this one.
        return aligned(c, period.args[0]) if rule.sets_anchor else (None, None, False)
    if rule.kind is Kind.RANGES:
        return None, None, False
    *ends, to_date = _stands_on(c, period)
    start, stop = _as_here(c, ends, _written(period))
    return start, stop, to_date


def _stands_on(c: Basis, period: Definition) -> tuple[Unit | None, Unit | None, bool]:
    """The same of a span that is not moved, written units as they are."""
    rule = period.rule
    if _is_label(period):
        unit = _labelled_unit(c, period)
        return unit, unit, False
    begin = _end_unit(c, period, rule.ends[0])
    if rule.ends[1] == "to date":
        return begin, period.unit or begin, True
    return begin, _end_unit(c, period, rule.ends[1]), False


def _labelled_unit(c: Basis, period: Definition) -> Unit | None:
    """The unit that a label of the calendar names."""
    start, stop = period.span(c)
    calendar = c.calendar._plain
    if c.in_instants or not isinstance(start, int):
        return None
    for unit in (*calendar.own_units, Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.HALF, Unit.YEAR):
        try:
            if (
                calendar._unit_start(start, unit) == start
                and calendar._unit_stop(start, unit) == stop
            ):
                return unit
        except ResolveError:
            continue
    return None


def _end_unit(c: Basis, period: Definition, end: str) -> Unit | None:
    if end == "unit":
        return period.unit
    if end == "fixed":
        fixed: FixedDates | NamedUnit = period.args[0]
        return fixed.edges or fixed.unit if isinstance(fixed, FixedDates) else fixed.unit
    inside = _inside(period, end)
    if inside is not None:
        is_start = end in ("begin", "inner start")
        start, stop, to_date = (_stands_on if _is_gregorian(inside) else aligned)(c, inside)
        return start if is_start else None if to_date else stop
    if end == "counted":
        other = next(other for other in period.rule.ends if other != "counted")
        unit = _end_unit(c, period, other)
        if unit is not None and other.startswith("inner"):
            # It is cut where the phrase around it ends.
            cut = "inner stop" if other == "inner start" else "inner start"
            unit = unit if _end_unit(c, period, cut) else None
        return unit and c.calendar._keeps(unit, period.args[1])
    return None


def _inside(period: Definition, end: str) -> Definition | None:
    """The period whose edge an end is, which may be one of a phrase inside."""
    if end.startswith("inner"):
        inside = period.args[2]
    elif end in ("begin", "finish", "finish 2"):
        points = [arg for arg in period.args if isinstance(arg, Definition)]
        point = points[-1 if end == "finish 2" else 0]
        if point.rule.side != ("start" if end == "begin" else "end"):
            return None
        inside = point.args[0]
    else:
        return None
    return None if inside.rule.kind is Kind.RANGES else inside

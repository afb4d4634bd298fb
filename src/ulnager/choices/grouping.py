"""Which unit charts are grouped by: how many buckets each would give, and which one fits."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

from ulnager.choices.picker_base import Grouping
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import ResolveError
from ulnager.core.messages import Message
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.grain import Grain
from ulnager.core.periods.resolution import InstantResolution, Resolution
from ulnager.core.units import Unit

TOO_MANY: Final = "too-many"
_NO_DAYS: Final = Message("the period has no days to count", code="no-days")
"""The code of what has more buckets than are shown."""
_DAY: Final = 86_400_000_000


class Grouped(NamedTuple):
    """A unit to group by: how many buckets it gives, and whether that fits, or why not."""

    unit: Unit
    buckets: int | None
    fits: bool
    why: Message | None

    @property
    def key(self) -> str:
        """The unit's name."""
        return self.unit.name

    @property
    def label(self) -> str:
        """The unit as viewers see it."""
        return self.unit.name.capitalize()


def grouped(
    grouping: Grouping, result: Resolution | None, extent: Extent | None
) -> tuple[Grouped, ...]:
    """Each unit with the number of its buckets, counted without making them; hours and shorter
    units as days of 24 hours have them."""
    if result is None:
        why = Message("there are no dates", code="no-dates")
        return tuple(Grouped(unit, None, False, why) for unit in grouping.of)
    is_timed = isinstance(result, InstantResolution)
    ranges = result.ranges if extent is None or is_timed else extent._closing(result.ranges)
    closed = [(start, stop) for start, stop in ranges if start is not None and stop is not None]
    if len(closed) < len(ranges):
        return tuple(Grouped(unit, None, False, _NO_DAYS) for unit in grouping.of)
    if isinstance(result, InstantResolution):
        return tuple(_counted_times(grouping, unit, result, closed) for unit in grouping.of)
    calendar = result.calendar
    return tuple(_counted(grouping, unit, calendar, closed) for unit in grouping.of)


def _counted_times(
    grouping: Grouping, unit: Unit, result: InstantResolution, spans: Sequence[tuple[int, int]]
) -> Grouped:
    """The same of a period of times, which is grouped by units of time only."""
    if not unit.microseconds:
        return Grouped(unit, None, False, _NO_DAYS)
    buckets = sum(result._units_in(unit, *span) for span in spans)
    return _too_many(grouping, unit, buckets) or Grouped(unit, buckets, True, None)


def _too_many(grouping: Grouping, unit: Unit, buckets: int) -> Grouped | None:
    """A unit that gives more buckets than may be drawn; None for another."""
    if buckets <= grouping.max_buckets:
        return None
    told, most = Message(unit.plural), grouping.max_buckets
    why = Message("{0} {1} are more than {2}", f"{buckets:,}", told, most, code=TOO_MANY)
    return Grouped(unit, buckets, False, why)


def _counted(
    grouping: Grouping, unit: Unit, calendar: Calendar, spans: Sequence[tuple[int, int]]
) -> Grouped:
    buckets, whole, before = 0, 0, None
    days = sum(stop - start for start, stop in spans)
    try:
        if unit.microseconds:
            buckets = whole = days * (_DAY // unit.microseconds)
            spans = ()
        for start, stop in spans:
            first, last = calendar._unit_number(start, unit), calendar._unit_number(stop - 1, unit)
            buckets += last - first + (first != before)
            before = last
            from_start = calendar._unit_start(start, unit)
            first_whole = first + (from_start < start)
            to_stop = calendar._unit_start(stop, unit)
            whole += max(0, (last + 1 if to_stop == stop else last) - first_whole)
    except ResolveError as error:
        return Grouped(unit, None, False, Message(str(error), code="no-unit"))
    too_many = _too_many(grouping, unit, buckets)
    if too_many is not None:
        return too_many
    if not whole:
        if len(spans) == 1 and spans[0][1] - spans[0][0] < _least_days(calendar, unit, spans[0][0]):
            why = Message("a {0} is longer than the period", Message(unit.name), code="too-long")
        else:
            why = Message("no {0} lies whole in the period", Message(unit.name), code="none-whole")
        return Grouped(unit, buckets, False, why)
    return Grouped(unit, buckets, True, None)


def _least_days(calendar: Calendar, unit: Unit, day: int) -> int:
    return calendar._unit_stop(day, unit) - calendar._unit_start(day, unit)


def _size(unit: Unit) -> float:
    """About how many days a unit has."""
    return unit.days or unit.months * 30.4 or unit.microseconds / _DAY


def unit_that_fits(
    units: Sequence[Unit], asked: str, result: Resolution, extent: Extent | None, most: int
) -> tuple[str | None, Message | None]:
    """The unit asked for, else the finest of those no finer than it that gives few enough buckets,
    and what is to be said then; no unit where none does. A period of hours is grouped by these."""
    calendar = result.calendar
    own = calendar.unit_named(asked)
    if not any(None in span for span in result.ranges):
        extent = None  # Nobody has to look at the data.
    if isinstance(result, InstantResolution) and not own.microseconds:
        by_hour, too_many = unit_that_fits((), Unit.HOUR.name, result, None, most)
        return by_hour, too_many or _instead(own.name, _NO_DAYS, Unit.HOUR.name)
    coarser = [one for one in units if one != own and _size(one) >= _size(own)]
    grouping = Grouping((own, *sorted(coarser, key=_size)), max_buckets=most)
    first, *others = grouped(grouping, result, extent)
    if first.why is None or first.why.code != TOO_MANY:
        return asked, None
    few = [one for one in others if one.buckets and one.buckets <= most]
    found = next((one for one in few if one.fits), few[0] if few else None)
    if found is None:
        key = "{0} {1} are more than {2}, and no coarser unit fits"
        told = f"{first.buckets:,}", Message(own.plural), f"{most:,}"
        return None, Message(key, *told, code=TOO_MANY)
    told_unit = Message(own.name), first.why, Message(found.key)
    key = "by {2}, since {1}; by {0} again over fewer days"
    return found.key, Message(key, *told_unit, code="other-unit")


def unit_of_rows(asked: str, result: Resolution, grain: Grain | None) -> tuple[str, Message | None]:
    """The unit asked for, else the one that rows stand for, where that is longer."""
    own = result.calendar.unit_named(asked)
    if grain is None or own.microseconds or _size(own) >= _size(grain.unit):
        return asked, None
    unit = grain.unit.name
    why = Message("the rows are by {0}", Message(unit), code="by-grain")
    return unit, _instead(own.name, why, unit)


def _instead(own: str, why: Message | None, by: str) -> Message:
    key = "not grouped by {0}, since {1}; by {2} instead"
    return Message(key, Message(own), why, Message(by), code="other-unit")


def chosen_unit(
    units: Sequence[Grouped], asked: str | None, opens: str
) -> tuple[Grouped | None, Message | None]:
    """The unit that is grouped by, and what to say of it.

    The one asked for if it fits, else the finest that fits; where none does, the coarsest if all
    give too many, else the finest.
    """
    if not units or all(one.buckets is None for one in units):
        return None, None
    wanted = asked or (None if opens == "fitting" else opens)
    found = next((one for one in units if one.key == wanted), None)
    if found is not None and found.fits:
        return found, None
    fine = sorted(units, key=lambda one: -(one.buckets or 0))
    fitting = next((one for one in fine if one.fits), None)
    if fitting is not None:
        if found is None:
            return fitting, None
        return fitting, _instead(found.key, found.why, fitting.key)
    known = [one for one in fine if one.buckets]
    if not known:
        return fine[0], None
    are_many = all(one.why is not None and one.why.code == TOO_MANY for one in known)
    last = known[-1] if are_many else known[0]
    return last, Message("no unit fits the period: {0}", last.why, code="no-unit")

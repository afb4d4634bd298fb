"""The arithmetic of calendars on instants, for hours, minutes and seconds.

An instant is a number of microseconds since 1970 in UTC. Units below a day are counted in
elapsed time, so a clock change costs or adds nothing; an hour starts on the full local hour.
Units of days are those of the local calendar: a day earlier is the same time on the clock.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, tzinfo
from typing import Any

from ulnager.core.calendars.calendar import Calendar, OfCalendar
from ulnager.core.calendars.zones import date_of, day_start, out_of_range
from ulnager.core.units import MICROSECOND_DAY, Unit

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)


def instant_number(moment: datetime) -> int:
    """The microseconds since 1970 of an aware datetime."""
    return (moment - _EPOCH) // _MICROSECOND


def moment_of(instant: int, zone: tzinfo) -> datetime:
    """The aware datetime of an instant; ResolveError outside years 1 to 9999."""
    try:
        return (_EPOCH + timedelta(microseconds=instant)).astimezone(zone)
    except (OverflowError, ValueError):
        raise out_of_range() from None


class InstantArithmetic(OfCalendar):
    """A calendar's answers for instants in a zone; see ``core.calendars.base.Arithmetic``."""

    _is_plain = True

    def __init__(self, calendar: Calendar, zone: tzinfo, day_starts: timedelta) -> None:
        super().__init__(calendar)
        self.zone = zone
        self.day_starts = day_starts

    def day_of(self, instant: int) -> int:
        """The number of the local day around an instant."""
        local = moment_of(instant, self.zone)
        try:
            return (local - self.day_starts).toordinal() if self.day_starts else local.toordinal()
        except OverflowError:
            raise out_of_range() from None

    def instant_of(self, day: int) -> int:
        """The instant at which a local day begins."""
        try:
            return instant_number(day_start(date_of(day), self.zone, self.day_starts))
        except OverflowError:
            raise out_of_range() from None

    def _unit_start(self, instant: int, unit: Unit) -> int:
        if unit.microseconds:
            offset = self._offset(instant)
            return (instant + offset) // unit.microseconds * unit.microseconds - offset
        return self.instant_of(self.calendar._unit_start(self.day_of(instant), unit))

    def _unit_stop(self, instant: int, unit: Unit) -> int:
        if unit.microseconds:
            return self._unit_start(instant, unit) + unit.microseconds
        return self.instant_of(self.calendar._unit_stop(self.day_of(instant), unit))

    def _move_start(self, start: int, unit: Unit, count: int) -> int:
        if unit.microseconds:
            return start + unit.microseconds * count
        return self.instant_of(self.calendar._move_start(self.day_of(start), unit, count))

    def _move_day(self, instant: int, unit: Unit, count: int) -> int:
        if unit.microseconds:
            return instant + unit.microseconds * count
        wall = instant + self._offset(instant)
        day = self.calendar._move_day(moment_of(instant, self.zone).toordinal(), unit, count)
        return self._at(day, wall % MICROSECOND_DAY)

    def _settled(self, instant: int, unit: Unit) -> int:
        return instant

    def _keeps(self, aligned: Unit, moved_by: Unit) -> Unit | None:
        if aligned.microseconds and moved_by.microseconds:
            return min(aligned, moved_by, key=lambda unit: unit.microseconds)
        return self.calendar._keeps(aligned, moved_by)

    def _choose(self, is_so: Any, yes: Any, no: Any) -> Any:
        return yes if is_so else no

    def _later(self, one: int | None, two: int | None) -> int | None:
        return self.calendar._later(one, two)

    def _earlier(self, one: int | None, two: int | None) -> int | None:
        return self.calendar._earlier(one, two)

    def _like(self, calendar: Calendar) -> InstantArithmetic:
        return InstantArithmetic(calendar, self.zone, self.day_starts)

    def _offset(self, instant: int) -> int:
        offset = moment_of(instant, self.zone).utcoffset()
        return 0 if offset is None else offset // _MICROSECOND

    def _at(self, day: int, wall: int) -> int:
        """The instant at which a local clock shows a time on a day (RFC 5545, 3.3.5)."""
        here = date_of(day)
        local = datetime(here.year, here.month, here.day) + timedelta(microseconds=wall)
        try:
            return instant_number(local.replace(tzinfo=self.zone))
        except OverflowError:
            raise out_of_range() from None

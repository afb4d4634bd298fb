"""Instants as SQL, for hours, minutes and seconds, in elapsed time.

As with days, an instant is a number that is worked out here, or a :class:`SqlInstant` that the
engine works out.
"""

from __future__ import annotations

from datetime import UTC, timedelta, tzinfo
from typing import Any

from ulnager.core.calendars.base import Calendar
from ulnager.core.calendars.instants import InstantArithmetic, moment_of
from ulnager.core.calendars.zones import zone_name
from ulnager.core.errors import FilterError
from ulnager.core.units import MICROSECOND_DAY, Unit
from ulnager.filters.engines.base import Engine, check_zone, filled, local_day, midnight
from ulnager.filters.sqlvalues import Narrows, SqlCount, SqlDay, SqlTruth

_SIZES = (Unit.HOUR, Unit.MINUTE, Unit.SECOND)


class SqlInstant:
    """An instant as SQL: an expression that gives one, and microseconds to add to it."""

    __slots__ = ("engine", "may_be_null", "microseconds", "text")

    def __init__(
        self, engine: Engine, text: str, microseconds: int = 0, may_be_null: bool = False
    ) -> None:
        self.engine = engine
        self.text = text
        self.microseconds = microseconds
        self.may_be_null = may_be_null

    def __add__(self, microseconds: int) -> SqlInstant:
        return SqlInstant(
            self.engine, self.text, self.microseconds + microseconds, self.may_be_null
        )

    def __sub__(self, other: Any) -> Any:
        if isinstance(other, int):
            return self + -other
        if isinstance(other, SqlInstant) and other.text == self.text:
            return self.microseconds - other.microseconds
        raise _length_unknown()

    def __rsub__(self, other: Any) -> Any:
        raise _length_unknown()

    def __str__(self) -> str:
        if not self.microseconds:
            return self.text
        unit = next(u for u in _SIZES if self.microseconds % u.microseconds == 0)
        count = self.microseconds // unit.microseconds
        name = unit.name
        is_long = abs(self.microseconds) >= MICROSECOND_DAY and self.engine.add_elapsed
        return filled(
            self.engine, "add_elapsed" if is_long else "add_time", x=self.text, n=count, u=name,
            U=name.upper(), q=unit.microseconds,
        )  # fmt: skip

    def __lt__(self, other: Any) -> SqlTruth | bool:
        if other.text == self.text:
            return bool(self.microseconds < other.microseconds)
        return SqlTruth(f"{self} < {other}", self.may_be_null or other.may_be_null)


def _length_unknown() -> FilterError:
    return FilterError(
        "the length of this period of hours is not known before it runs, so it cannot be stepped "
        "by; say by how much, such as ', 2 hours earlier'"
    )


class SqlInstants(Narrows, InstantArithmetic):
    """The arithmetic of instants in a zone as SQL, over that of days."""

    is_plain = False

    def __init__(self, calendar: Calendar, zone: tzinfo, days: Any, day_starts: timedelta) -> None:
        super().__init__(calendar, zone, day_starts)
        self.hours = day_starts // timedelta(hours=1)
        self.days = days
        self.engine: Engine = days.engine
        self.name = zone_name(zone)

    def as_sql(self, instant: Any) -> SqlInstant:
        """An instant as SQL: itself, or a literal for a number."""
        if isinstance(instant, SqlInstant):
            return instant
        moment = moment_of(instant, UTC).replace(tzinfo=None)
        return SqlInstant(self.engine, self.engine.instant.format(x=moment))

    def length(self, start: Any, stop: Any) -> Any:
        if isinstance(start, int) and isinstance(stop, int):
            return stop - start
        return self.as_sql(stop) - self.as_sql(start)

    def day_of(self, instant: Any) -> Any:
        if not isinstance(instant, SqlInstant):
            return super().day_of(instant)
        text = local_day(self.engine, str(instant), self.name, self.hours)
        return SqlDay(self.engine, text, may_be_null=instant.may_be_null)

    def instant_of(self, day: Any) -> Any:
        if not isinstance(day, SqlDay):
            return super().instant_of(day)
        text = midnight(self.engine, str(day), self.name, self.hours)
        return SqlInstant(self.engine, text, 0, day.may_be_null)

    def unit_start(self, instant: Any, unit: Unit) -> Any:
        if not isinstance(instant, SqlInstant):
            return super().unit_start(instant, unit)
        if not unit.microseconds:
            return self.instant_of(self.days.unit_start(self.day_of(instant), unit))
        check_zone(self.engine, self.name, f"the start of a {unit}")
        text = filled(
            self.engine, "truncated_time", x=str(instant), tz=self.name, u=unit.name,
            q=unit.microseconds // 1_000_000,
        )  # fmt: skip
        return SqlInstant(self.engine, text, 0, instant.may_be_null)

    def unit_stop(self, instant: Any, unit: Unit) -> Any:
        if not isinstance(instant, SqlInstant):
            return super().unit_stop(instant, unit)
        if not unit.microseconds:
            return self.instant_of(self.days.unit_stop(self.day_of(instant), unit))
        return self.unit_start(instant, unit) + unit.microseconds

    def move_start(self, start: Any, unit: Unit, count: int) -> Any:
        if not isinstance(start, SqlInstant):
            return super().move_start(start, unit, count)
        if not unit.microseconds:
            return self.instant_of(self.days.move_start(self.day_of(start), unit, count))
        return start + unit.microseconds * count

    def move_day(self, instant: Any, unit: Unit, count: int) -> Any:
        if not isinstance(instant, SqlInstant):
            return super().move_day(instant, unit, count)
        if unit.microseconds:
            return instant + unit.microseconds * count
        check_zone(self.engine, self.name, f"a moment moved by {unit.plural}")
        # The clock shows the same time, so many days away.
        text = local_day(self.engine, str(instant), self.name)
        here = SqlDay(self.engine, text, may_be_null=instant.may_be_null)
        days = self.days.move_day(here, unit, count) - here
        if isinstance(days, int):
            days = SqlCount(self.engine, str(days), instant.may_be_null)
        moved = filled(self.engine, "move_wall", x=str(instant), tz=self.name, y=days.text)
        return SqlInstant(self.engine, moved, 0, days.may_be_null)

    def like_both(self, text: str, one: SqlInstant, two: SqlInstant) -> SqlInstant:
        return SqlInstant(self.engine, text, 0, one.may_be_null or two.may_be_null)

    def like(self, calendar: Calendar) -> SqlInstants:
        return SqlInstants(calendar, self.zone, self.days.like(calendar), self.day_starts)

"""The arithmetic of the rules as SQL, on days and on instants.

A day is either a number, worked out here, or a :class:`SqlDay`, worked out by the engine. The
rules run on both without knowing.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, timedelta, tzinfo
from typing import Any

from ulnager.core.calendars.calendar import Calendar, OfCalendar
from ulnager.core.calendars.instants import InstantArithmetic, moment_of
from ulnager.core.calendars.month_calendar import MonthCalendar
from ulnager.core.calendars.zones import zone_name
from ulnager.core.errors import FilterError
from ulnager.core.units import MICROSECOND_DAY, Unit
from ulnager.filters.engines.engine import (
    Engine,
    check_hours,
    check_zone,
    filled,
    local_day,
    midnight,
)
from ulnager.filters.sql_values import SqlCount, SqlDay, SqlNumber, SqlTruth, literal_day


class Narrows:
    """The later of two starts and the earlier of two stops, as SQL; null where either is null."""

    engine: Engine

    def as_sql(self, value: Any) -> Any:
        """A day or an instant of any sort as SQL."""
        raise NotImplementedError

    def like_both(self, text: str, one: Any, two: Any) -> Any:
        """What is as much as two others, with its text."""
        raise NotImplementedError

    def _choose(self, is_so: SqlTruth | bool, yes: Any, no: Any) -> Any:
        """One of two days or instants; null where it is not known which."""
        if isinstance(is_so, bool):
            return yes if is_so else no
        yes, no = self.as_sql(yes), self.as_sql(no)
        if str(yes) == str(no):
            return yes
        # A null must not choose: it has to come out as a null.
        else_ = f"WHEN NOT ({is_so.text}) THEN" if is_so.may_be_null else "ELSE"
        found = self.like_both(f"CASE WHEN {is_so.text} THEN {yes} {else_} {no} END", yes, no)
        found.may_be_null |= is_so.may_be_null
        return found

    def _later(self, one: Any, two: Any) -> Any:
        return self._of_two("later", "<", one, two)

    def _earlier(self, one: Any, two: Any) -> Any:
        return self._of_two("earlier", ">", one, two)

    def _of_two(self, primitive: str, worse: str, one: Any, two: Any) -> Any:
        if one is None or two is None:
            return two if one is None else one
        one, two = self.as_sql(one), self.as_sql(two)
        if one.may_be_null or two.may_be_null:
            # Some engines pass over a null here, and the narrower span would be lost.
            text = f"CASE WHEN {one} {worse} {two} THEN {two} "
            text += f"WHEN {one} IS NOT NULL AND {two} IS NOT NULL THEN {one} END"
        else:
            text = filled(self.engine, primitive, x=str(one), y=str(two))
        return self.like_both(text, one, two)


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
            self.engine,
            "add_elapsed" if is_long else "add_time",
            x=self.text,
            n=count,
            u=name,
            U=name.upper(),
            q=unit.microseconds,
        )

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

    _is_plain = False

    def __init__(self, calendar: Calendar, zone: tzinfo, days: Any, day_starts: timedelta) -> None:
        super().__init__(calendar, zone, day_starts)
        self.minutes = day_starts // timedelta(minutes=1)
        self.days = days
        self.engine: Engine = days.engine
        self.name = zone_name(zone)

    def as_sql(self, instant: Any) -> SqlInstant:
        """An instant as SQL: itself, or a literal for a number."""
        if isinstance(instant, SqlInstant):
            return instant
        moment = moment_of(instant, UTC).replace(tzinfo=None)
        return SqlInstant(self.engine, self.engine.instant.format(x=moment))

    def _length(self, start: Any, stop: Any) -> Any:
        if isinstance(start, int) and isinstance(stop, int):
            return stop - start
        return self.as_sql(stop) - self.as_sql(start)

    def day_of(self, instant: Any) -> Any:
        if not isinstance(instant, SqlInstant):
            return super().day_of(instant)
        text = local_day(self.engine, str(instant), self.name, self.minutes)
        return SqlDay(self.engine, text, may_be_null=instant.may_be_null)

    def instant_of(self, day: Any) -> Any:
        if not isinstance(day, SqlDay):
            return super().instant_of(day)
        text = midnight(self.engine, str(day), self.name, self.minutes)
        return SqlInstant(self.engine, text, 0, day.may_be_null)

    def _unit_start(self, instant: Any, unit: Unit) -> Any:
        if not isinstance(instant, SqlInstant):
            return super()._unit_start(instant, unit)
        if not unit.microseconds:
            return self.instant_of(self.days._unit_start(self.day_of(instant), unit))
        check_zone(self.engine, self.name, f"the start of a {unit}")
        check_hours(self.engine, self.name)
        text = filled(
            self.engine,
            "truncated_time",
            x=str(instant),
            tz=self.name,
            u=unit.name,
            U=unit.name.upper(),
            q=unit.microseconds // 1_000_000,
        )
        return SqlInstant(self.engine, text, 0, instant.may_be_null)

    def _unit_stop(self, instant: Any, unit: Unit) -> Any:
        if not isinstance(instant, SqlInstant):
            return super()._unit_stop(instant, unit)
        if not unit.microseconds:
            return self.instant_of(self.days._unit_stop(self.day_of(instant), unit))
        return self._unit_start(instant, unit) + unit.microseconds

    def _move_start(self, start: Any, unit: Unit, count: int) -> Any:
        if not isinstance(start, SqlInstant):
            return super()._move_start(start, unit, count)
        if not unit.microseconds:
            return self.instant_of(self.days._move_start(self.day_of(start), unit, count))
        return start + unit.microseconds * count

    def _move_day(self, instant: Any, unit: Unit, count: int) -> Any:
        if not isinstance(instant, SqlInstant):
            return super()._move_day(instant, unit, count)
        if unit.microseconds:
            return instant + unit.microseconds * count
        check_zone(self.engine, self.name, f"a moment moved by {unit.plural}")
        # The clock shows the same time, so many days away.
        text = local_day(self.engine, str(instant), self.name)
        here = SqlDay(self.engine, text, may_be_null=instant.may_be_null)
        days = self.days._move_day(here, unit, count) - here
        if isinstance(days, int):
            days = SqlCount(self.engine, str(days), instant.may_be_null)
        moved = filled(self.engine, "move_wall", x=str(instant), tz=self.name, y=days.text)
        return SqlInstant(self.engine, moved, 0, days.may_be_null)

    def like_both(self, text: str, one: SqlInstant, two: SqlInstant) -> SqlInstant:
        return SqlInstant(self.engine, text, 0, one.may_be_null or two.may_be_null)

    def _like(self, calendar: Calendar) -> SqlInstants:
        return SqlInstants(calendar, self.zone, self.days._like(calendar), self.day_starts)


class SqlArithmetic(Narrows, OfCalendar):
    """A month calendar's answers as SQL; see ``core.calendars.base.Arithmetic``.

    Whatever does not depend on a :class:`SqlDay` is answered by the calendar itself.
    """

    calendar: MonthCalendar

    def __init__(self, calendar: Calendar, engine: Engine) -> None:
        if not isinstance(calendar, MonthCalendar):
            raise FilterError(
                f"a calendar of {calendar.kind} cannot be worked out in SQL by itself; name the "
                "date table that 'ulnager calendar' writes (date_table, --date-table), or filter "
                "with frozen dates"
            )
        super().__init__(calendar)
        self.engine = engine

    def _length(self, start: Any, stop: Any) -> Any:
        if isinstance(start, int) and isinstance(stop, int):
            return stop - start
        return self.as_sql(stop) - self.as_sql(start)

    def as_sql(self, day: Any) -> SqlDay:
        """A day as SQL: itself, or a literal for a day number."""
        return day if isinstance(day, SqlDay) else literal_day(self.engine, day)

    def _given_or(self, given: SqlDay, other: Any) -> SqlDay:
        """A day that may be null, and what stands for it then."""
        return SqlDay(self.engine, f"coalesce({given}, {self.as_sql(other)})")

    def _where_missing(self, given: SqlDay, yes: Any, no: Any) -> SqlDay:
        """One of two days, by whether another is null."""
        yes, no = self.as_sql(yes), self.as_sql(no)
        return SqlDay(self.engine, f"CASE WHEN {given} IS NULL THEN {yes} ELSE {no} END")

    def _narrowed(self, day: Any, low: Any, high: Any) -> SqlDay:
        """A day that is not after one and not before another, where there are these."""
        found = self.as_sql(day)
        for primitive, bound in (("earlier", high), ("later", low)):
            if bound is not None:
                text = filled(self.engine, primitive, x=str(self.as_sql(bound)), y=str(found))
                found = SqlDay(self.engine, text)
        return found

    def _sql(self, primitive: str, day: Any, starts_month: bool = False, **values: Any) -> SqlDay:
        text = filled(self.engine, primitive, x=str(day), **values)
        return SqlDay(self.engine, text, 0, day.may_be_null, starts_month)

    def cannot(self, unit: Unit) -> FilterError:
        """The error for a unit that takes a date table."""
        return FilterError(
            f"{unit.plural} cannot be worked out in SQL by itself; name the date table that "
            "'ulnager calendar' writes (date_table, --date-table), or filter with frozen dates"
        )

    def _unit_start(self, day: Any, unit: Unit) -> Any:
        if unit is Unit.DAY:
            return day
        if not isinstance(day, SqlDay):
            return self.calendar._unit_start(day, unit)
        if unit is Unit.WEEK:
            return self._week_start(day, self.calendar.first_weekday)
        if not unit.months:
            raise self.cannot(unit)
        lead = self.calendar.days_before_month
        return self.start_of_months(day - lead, unit.months, self.calendar.first_month) + lead

    def start_of_months(self, day: SqlDay, months: int = 1, first_month: int = 0) -> SqlDay:
        """The start of the unit of so many Gregorian months around a day."""
        if day.starts_month and months == 1:
            return day
        # The remainder of the number of a unit's first month has to come out as 0.
        rest = (-1 - first_month) % months
        name = {1: "month", 3: "quarter", 12: "year"}.get(months, "")
        if name in self.engine.truncates and rest == months - 1:
            return self._sql("truncated", day, True, u=self.engine.truncates[name])
        return self._sql("months_start", day, True, k=rest, m=months)

    def _week_start(self, day: SqlDay, weekday: int) -> SqlDay:
        if weekday == 0 and "week" in self.engine.truncates:
            return self._sql("truncated", day, u=self.engine.truncates["week"])
        return self._sql("week_start", day, w=weekday)

    def _unit_stop(self, day: Any, unit: Unit) -> Any:
        if not isinstance(day, SqlDay):
            return self.calendar._unit_stop(day, unit)
        return self._move_start(self._unit_start(day, unit), unit, 1)

    def _move_start(self, start: Any, unit: Unit, count: Any) -> Any:
        lead = self.calendar.days_before_month
        first = "add_months_first" if self.engine.add_months_first else "add_months"
        return self._moved(first, start, unit, count, lead, self.calendar._move_start)

    def _move_day(self, day: Any, unit: Unit, count: Any) -> Any:
        return self._moved("add_months", day, unit, count, 0, self.calendar._move_day)

    def _moved(
        self,
        primitive: str,
        day: Any,
        unit: Unit,
        count: Any,
        lead: int,
        fixed: Callable[[int, Unit, int], int],
    ) -> Any:
        """A day moved by a primitive for months; ``fixed`` moves the day number of a fixed date."""
        if isinstance(count, SqlNumber):
            day = self.as_sql(day)
        if unit is Unit.DAY or unit is Unit.WEEK:
            return day + unit.days * count
        if not isinstance(day, SqlDay):
            return fixed(day, unit, count)
        if not unit.months:
            raise self.cannot(unit)
        day = day - lead
        by = unit.months * count
        if isinstance(by, SqlNumber):
            first = day.starts_month and self.engine.add_months_count_first
            primitive = "add_months_count_first" if first else "add_months_count"
            return self._sql(primitive, day, day.starts_month, a=str(by)) + lead
        return self._sql(primitive, day, day.starts_month, n=by) + lead

    def _settled(self, day: Any, unit: Unit) -> Any:
        if not isinstance(day, SqlDay):
            return self.calendar._settled(day, unit)
        if unit is Unit.BUSINESS_DAY:
            raise self.cannot(unit)
        return day

    def _on_weekday(self, day: Any, weekday: int) -> Any:
        if not isinstance(day, SqlDay):
            return self.calendar._on_weekday(day, weekday)
        return self._week_start(day + 6, weekday)

    def like_both(self, text: str, one: SqlDay, two: SqlDay) -> SqlDay:
        both = one.starts_month and two.starts_month
        return SqlDay(self.engine, text, 0, one.may_be_null or two.may_be_null, both)

    def instants(self, zone: tzinfo, day_starts: timedelta) -> Any:
        return SqlInstants(self.calendar, zone, self, day_starts)

    def _like(self, calendar: Calendar) -> SqlArithmetic:
        return self if calendar == self.calendar else SqlArithmetic(calendar, self.engine)

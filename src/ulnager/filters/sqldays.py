"""The arithmetic of month calendars on days that are SQL."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta, tzinfo
from typing import Any

from ulnager.core.calendars.base import Calendar, OfCalendar
from ulnager.core.calendars.months import MonthCalendar
from ulnager.core.errors import FilterError
from ulnager.core.units import Unit
from ulnager.filters.engines.base import Engine, filled
from ulnager.filters.sqlinstants import SqlInstants
from ulnager.filters.sqlvalues import Narrows, SqlDay, literal_day


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

    def length(self, start: Any, stop: Any) -> Any:
        if isinstance(start, int) and isinstance(stop, int):
            return stop - start
        return self.as_sql(stop) - self.as_sql(start)

    def as_sql(self, day: Any) -> SqlDay:
        """A day as SQL: itself, or a literal for a day number."""
        return day if isinstance(day, SqlDay) else literal_day(self.engine, day)

    def _sql(self, primitive: str, day: Any, starts_month: bool = False, **values: Any) -> SqlDay:
        text = filled(self.engine, primitive, x=str(day), **values)
        return SqlDay(self.engine, text, 0, day.may_be_null, starts_month)

    def cannot(self, unit: Unit) -> FilterError:
        """The error for a unit that takes a date table."""
        return FilterError(
            f"{unit.plural} cannot be worked out in SQL by itself; name the date table that "
            "'ulnager calendar' writes (date_table, --date-table), or filter with frozen dates"
        )

    def unit_start(self, day: Any, unit: Unit) -> Any:
        if unit is Unit.DAY:
            return day
        if not isinstance(day, SqlDay):
            return self.calendar.unit_start(day, unit)
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

    def unit_stop(self, day: Any, unit: Unit) -> Any:
        if not isinstance(day, SqlDay):
            return self.calendar.unit_stop(day, unit)
        return self.move_start(self.unit_start(day, unit), unit, 1)

    def move_start(self, start: Any, unit: Unit, count: Any) -> Any:
        lead = self.calendar.days_before_month
        first = "add_months_first" if self.engine.add_months_first else "add_months"
        return self._moved(first, start, unit, count, lead, self.calendar.move_start)

    def move_day(self, day: Any, unit: Unit, count: Any) -> Any:
        return self._moved("add_months", day, unit, count, 0, self.calendar.move_day)

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
        if unit is Unit.DAY or unit is Unit.WEEK:
            return day + unit.days * count
        if not isinstance(day, SqlDay):
            return fixed(day, unit, count)
        if not unit.months:
            raise self.cannot(unit)
        day = day - lead
        return self._sql(primitive, day, day.starts_month, n=unit.months * count) + lead

    def settled(self, day: Any, unit: Unit) -> Any:
        if not isinstance(day, SqlDay):
            return self.calendar.settled(day, unit)
        if unit is Unit.BUSINESS_DAY:
            raise self.cannot(unit)
        return day

    def on_weekday(self, day: Any, weekday: int) -> Any:
        if not isinstance(day, SqlDay):
            return self.calendar.on_weekday(day, weekday)
        return self._week_start(day + 6, weekday)

    def like_both(self, text: str, one: SqlDay, two: SqlDay) -> SqlDay:
        both = one.starts_month and two.starts_month
        return SqlDay(self.engine, text, 0, one.may_be_null or two.may_be_null, both)

    def instants(self, zone: tzinfo, day_starts: timedelta) -> Any:
        return SqlInstants(self.calendar, zone, self, day_starts)

    def like(self, calendar: Calendar) -> SqlArithmetic:
        return self if calendar == self.calendar else SqlArithmetic(calendar, self.engine)

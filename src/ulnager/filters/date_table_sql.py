"""Days as SQL that look their units up in a date table.

Calendars of weeks and tables, own units and business days have no formula that SQL knows. The
table that ``ulnager calendar`` writes has a row for each day, which says in which unit it is; units
count on without a gap, so the unit some units away is the one with that index. A day outside the
table gives null, and a comparison with null keeps no row.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN, MonthCalendar
from ulnager.core.calendars.table_calendar import TableCalendar
from ulnager.core.calendars.week_calendar import WeekCalendar
from ulnager.core.errors import FilterError
from ulnager.core.units import Unit
from ulnager.filters.engines.engine import Engine, filled
from ulnager.filters.sql_arithmetic import SqlArithmetic
from ulnager.filters.sql_values import SqlDay


class _Edge(SqlDay):
    """The start of a unit: so many units after the one around a day."""

    __slots__ = ("around", "count", "unit")

    def __init__(self, table: DateTable, around: Any, unit: Unit, count: int) -> None:
        # The day after a unit is known even where the table goes no further.
        is_stop = count == 1 and unit is not Unit.BUSINESS_DAY
        super().__init__(table.engine, table.edge(around, unit, count), int(is_stop), True)
        self.around = around
        self.unit = unit
        self.count = count


class DateTable(SqlArithmetic):
    """The arithmetic of any calendar on a date table that was written from it.

    ``name`` is the table's name, quoted; ``quote`` quotes its columns. Plain days, and the months
    and weeks of a month calendar, need no table and do without.
    """

    calendar: Any

    def __init__(
        self, calendar: Calendar, engine: Engine, name: str, quote: Callable[[str], str]
    ) -> None:
        # Not the plain arithmetic's: any calendar will do here.
        self.calendar = calendar
        self.engine = engine
        self.name = name
        self.quote = quote

    def check_anchor(self, anchor: str) -> None:
        """FilterError for a row's own anchor that could not be told from a column of the table."""
        if not self.engine.joins:
            raise FilterError(
                f"{self.engine.told} cannot look the date of each row up in a date table; filter "
                "the rows in memory with keep_each, or use a calendar of months without business "
                "days"
            )
        units = (unit.name.replace(" ", "_") for unit in self.calendar.units)
        own = {f"{unit}_{of}" for unit in units for of in ("index", "start", "end", "day")}
        own |= {"date", "weekday", "is_business_day", "is_holiday", "business_day_index"}
        if anchor in map(self.quote, own):
            raise FilterError(
                f"the date table has a column {anchor} too, so it is not clear which one the rows "
                "are measured from; give a column with its table, such as bookings.c.date"
            )

    def _column(self, unit: Unit, of: str) -> str:
        return self.quote(f"{unit.name.replace(' ', '_')}_{of}")

    def _found(self, column: str, where: str) -> str:
        return f"(SELECT {column} FROM {self.name} WHERE {where})"

    def _on(self, day: Any) -> str:
        return f"{self.quote('date')} = {self.as_sql(day)}"

    def edge(self, around: Any, unit: Unit, count: int) -> str:
        """The start of the unit so many units after the one around a day, as SQL; for the next
        unit the end of this one."""
        index = self._column(unit, "index")
        if count in (0, 1) and unit is not Unit.BUSINESS_DAY:
            return self._found(self._column(unit, "end" if count else "start"), self._on(around))
        at = self._found(index, self._on(around))
        if count:
            at += f" {'-' if count < 0 else '+'} {abs(count)}"
        if unit is Unit.BUSINESS_DAY:
            # It counts the business days up to a day, so those off share it with the one before.
            is_one = filled(self.engine, "is_true", x=self.quote("is_business_day"))
            where = f"{is_one} AND {index} = {at}"
            return self._found(self.quote("date"), where)
        return self._found(f"min({self._column(unit, 'start')})", f"{index} = {at}")

    def _is_simple(self, unit: Unit) -> bool:
        """Whether SQL knows the unit by itself."""
        calendar = self.calendar
        if unit is Unit.BUSINESS_DAY:
            return False
        if isinstance(calendar, TableCalendar):
            if calendar._lists(unit):
                return False
            calendar = calendar.base
        return unit is Unit.DAY or (
            isinstance(calendar, MonthCalendar) and (unit is Unit.WEEK or unit.months > 0)
        )

    def _simple(self) -> SqlArithmetic:
        calendar = self.calendar
        base = calendar.base if isinstance(calendar, TableCalendar) else calendar
        # Days alone do not depend on the calendar.
        return SqlArithmetic(base if isinstance(base, MonthCalendar) else GREGORIAN, self.engine)

    def _has(self, unit: Unit) -> None:
        units = (*self.calendar.units, Unit.BUSINESS_DAY)
        if unit not in units:
            raise self.calendar._lacks(unit)

    def _unit_start(self, day: Any, unit: Unit) -> Any:
        if not isinstance(day, SqlDay):
            return self.calendar._unit_start(day, unit)
        if self._is_simple(unit):
            return self._simple()._unit_start(day, unit)
        self._has(unit)
        if unit is Unit.BUSINESS_DAY:
            is_one = isinstance(day, _Edge) and day.unit is unit
            return day if is_one else self._business_day(day - 1, 1)
        return _Edge(self, day, unit, 0)

    def _business_day(self, day: SqlDay, count: int) -> _Edge:
        """The business day so many after the last one up to a day."""
        edge = day.from_ or day
        if isinstance(edge, _Edge) and edge.unit is Unit.BUSINESS_DAY:
            ahead = day.days - edge.days
            if ahead in (0, -1):
                # The last one up to the day before a business day is the one before that.
                moved = count + ahead
                return _Edge(self, edge.around, edge.unit, edge.count + moved) if moved else edge
        return _Edge(self, day, Unit.BUSINESS_DAY, count)

    def _unit_stop(self, day: Any, unit: Unit) -> Any:
        if not isinstance(day, SqlDay):
            return self.calendar._unit_stop(day, unit)
        if unit is Unit.BUSINESS_DAY:
            return self._unit_start(day + 1, unit)
        return self._move_start(self._unit_start(day, unit), unit, 1)

    def _settled(self, day: Any, unit: Unit) -> Any:
        if isinstance(day, SqlDay) and unit is Unit.BUSINESS_DAY:
            return self._business_day(day, 0)
        return super()._settled(day, unit)

    def _move_start(self, start: Any, unit: Unit, count: Any) -> Any:
        if unit is Unit.DAY:
            return start + count
        if not isinstance(start, SqlDay):
            return self.calendar._move_start(start, unit, count)
        if self._is_simple(unit):
            return self._simple()._move_start(start, unit, count)
        self._has(unit)
        fixed = self.calendar._fixed_days(unit)
        if fixed:
            return start + fixed * count
        if isinstance(start, _Edge) and start.unit == unit:
            return _Edge(self, start.around, unit, start.count + count)
        if unit is Unit.BUSINESS_DAY:
            return self._business_day(start - 1, 1 + count)
        if self._listed(unit):
            return _Edge(self, start, unit, count)
        return self._periods_moved(start, unit, count)

    def _listed(self, unit: Unit) -> bool:
        return isinstance(self.calendar, TableCalendar) and self.calendar._lists(unit)

    def _periods_moved(self, start: SqlDay, unit: Unit, count: int) -> SqlDay:
        """In a calendar of weeks: the same period of another year, or else the same day of it."""
        weeks = self.calendar.base if isinstance(self.calendar, TableCalendar) else self.calendar
        assert isinstance(weeks, WeekCalendar)
        if isinstance(start, _Edge) and start.unit.months:
            if start.unit.months >= unit.months:
                return _Edge(self, start, unit, count)
            each = weeks._in_each(unit, start.unit)
            if each:
                return _Edge(self, start.around, start.unit, start.count + each * count)
        each = weeks._in_each(unit, Unit.MONTH)
        if not each:
            raise FilterError(
                f"{unit.plural} have no fixed number of periods in this calendar, so that starts "
                f"cannot be moved by {unit.plural} in SQL; filter with frozen dates"
            )
        period = self._unit_start(start, Unit.MONTH)
        moved = _Edge(self, start, Unit.MONTH, each * count)
        found: SqlDay = self._choose(period == start, moved, self._move_day(start, unit, count))
        return found

    def _move_day(self, day: Any, unit: Unit, count: Any) -> Any:
        if unit is Unit.DAY:
            return day + count
        if not isinstance(day, SqlDay):
            return self.calendar._move_day(day, unit, count)
        if self._is_simple(unit):
            return self._simple()._move_day(day, unit, count)
        self._has(unit)
        fixed = self.calendar._fixed_days(unit)
        if fixed:
            return day + fixed * count
        if unit is Unit.BUSINESS_DAY:
            if count <= 0:
                return self._move_start(day, unit, count) if count else day
            return self._business_day(day, count)
        return self._place_kept(day, unit, count)

    def _place_kept(self, day: SqlDay, unit: Unit, count: int) -> SqlDay:
        """The day at the same place of another unit; where that is too short, its last day, or in
        a calendar of weeks the same weekday of its last week. One row of the table is that day."""
        # The row of the day itself beside it: what the day is stands in the text once.
        index, place, end = (
            self._column(unit, "index"),
            self._column(unit, "day"),
            self._column(unit, "end"),
        )
        date, weekday = self.quote("date"), self.quote("weekday")
        last = f"there.{date} = there.{end}"
        if not self._listed(unit):
            week = self._column(Unit.WEEK, "end")
            last = f"there.{week} = there.{end} AND there.{weekday} = here.{weekday}"
        return SqlDay(
            self.engine,
            f"(SELECT there.{date} FROM {self.name} there, {self.name} here "
            f"WHERE here.{date} = {day} "
            f"AND there.{index} = here.{index} {'-' if count < 0 else '+'} {abs(count)} "
            f"AND (there.{place} = here.{place} OR there.{place} < here.{place} AND {last}))",
            may_be_null=True,
        )

    def _like(self, calendar: Calendar) -> SqlArithmetic:
        """The same calendar, or one that SQL knows by itself: a table is that of one calendar."""
        return self if calendar == self.calendar else SqlArithmetic(calendar, self.engine)

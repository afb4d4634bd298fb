"""Days as SQL, and the arithmetic of month calendars on them.

A day is either a number, worked out here, or a :class:`SqlDay`, worked out by the engine. The
rules of ``core.rules`` run on both without knowing.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import tzinfo
from typing import Any

from ulnager.core.calendars import Calendar, MonthCalendar, OfCalendar, date_of
from ulnager.core.errors import FilterError
from ulnager.core.units import Unit
from ulnager.filters.engines import Engine, filled


class SqlDay:
    """A day as SQL: an expression that gives a date, and days to add to it.

    ``may_be_null`` is set when the expression looks something up, which may not be there, and
    ``starts_month`` when it is known to be the first of a month. ``from_`` is the day that days
    were added to, and which comes back when they are taken away again.
    """

    __slots__ = ("days", "engine", "from_", "may_be_null", "starts_month", "text")

    def __init__(
        self,
        engine: Engine,
        text: str,
        days: int = 0,
        may_be_null: bool = False,
        starts_month: bool = False,
        from_: SqlDay | None = None,
    ) -> None:
        self.engine = engine
        self.from_ = from_
        self.text = text
        self.days = days
        self.may_be_null = may_be_null
        self.starts_month = starts_month

    def __add__(self, days: int | SqlCount) -> SqlDay:
        if isinstance(days, SqlCount):
            text = filled(self.engine, "add_count", x=str(self), a=days.text)
            return SqlDay(self.engine, text, 0, self.may_be_null or days.may_be_null)
        if not days:
            return self
        from_ = self.from_ or self
        if self.days + days == from_.days:
            return from_
        return SqlDay(self.engine, self.text, self.days + days, self.may_be_null, from_=from_)

    def __sub__(self, other: Any) -> Any:
        """A day so many days before, or the days since another day."""
        if isinstance(other, int):
            return self + -other
        if isinstance(other, SqlCount):
            return self + other * -1
        if other.text == self.text:
            return self.days - other.days
        return _between(self, other)

    def __rsub__(self, day: int) -> SqlCount:
        return _between(_literal(self.engine, day), self)

    def __str__(self) -> str:
        if not self.days:
            return self.text
        return filled(self.engine, "add_days", x=self.text, n=self.days)

    def _compared(self, sign: str, other: Any) -> SqlTruth:
        other = self.like(other)
        return SqlTruth(f"{self} {sign} {other}", self.may_be_null or other.may_be_null)

    def like(self, day: Any) -> SqlDay:
        """A day of any sort as SQL for the same engine."""
        return day if isinstance(day, SqlDay) else _literal(self.engine, day)

    def __eq__(self, other: object) -> Any:
        return self._compared("=", other)

    def __le__(self, other: Any) -> SqlTruth:
        return self._compared("<=", other)

    def __lt__(self, other: Any) -> SqlTruth:
        return self._compared("<", other)

    def __ge__(self, other: Any) -> SqlTruth:
        return self._compared(">=", other)

    def __gt__(self, other: Any) -> SqlTruth:
        return self._compared(">", other)

    __hash__ = None  # type: ignore[assignment]


class SqlCount:
    """A number of days as SQL."""

    def __init__(self, engine: Engine, text: str, may_be_null: bool) -> None:
        self.engine = engine
        self.text = text
        self.may_be_null = may_be_null

    def __mul__(self, times: int) -> SqlCount:
        if times == 1:
            return self
        return SqlCount(self.engine, f"{self.text} * {times}", self.may_be_null)

    __rmul__ = __mul__

    def __radd__(self, day: int) -> SqlDay:
        return _literal(self.engine, day) + self


class SqlTruth:
    """A comparison as SQL."""

    def __init__(self, text: str, may_be_null: bool = False) -> None:
        self.text = text
        self.may_be_null = may_be_null

    def __and__(self, other: SqlTruth | bool) -> SqlTruth:
        # What Python knows to be false would be an error anyway; see ``_check`` in ``live``.
        if isinstance(other, bool):
            return self
        return SqlTruth(f"{self.text} AND {other.text}", self.may_be_null or other.may_be_null)

    __rand__ = __and__

    def __bool__(self) -> bool:
        raise FilterError(
            "which of two dates is the later is not known before the engine runs, and the phrase "
            "needs to know; filter with frozen dates"
        )

    def all(self) -> bool:
        """What must hold is checked before: SQL has nobody to tell."""
        return True


def _literal(engine: Engine, day: int) -> SqlDay:
    on = date_of(day)
    return SqlDay(engine, engine.literal.format(x=on), starts_month=on.day == 1)


def _between(day: SqlDay, other: SqlDay) -> SqlCount:
    text = filled(day.engine, "days_between", x=str(day), y=str(other))
    return SqlCount(day.engine, text, day.may_be_null or other.may_be_null)


class Narrows:
    """The later of two starts and the earlier of two stops, as SQL; null where either is null."""

    engine: Engine

    def as_sql(self, value: Any) -> Any:
        """A day or an instant of any sort as SQL."""
        raise NotImplementedError

    def like_both(self, text: str, one: Any, two: Any) -> Any:
        """What is as much as two others, with its text."""
        raise NotImplementedError

    def later(self, one: Any, two: Any) -> Any:
        return self._of_two("later", "<", one, two)

    def earlier(self, one: Any, two: Any) -> Any:
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


class SqlArithmetic(Narrows, OfCalendar):
    """A month calendar's answers as SQL; see ``core.calendars.Arithmetic``.

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
        return day if isinstance(day, SqlDay) else _literal(self.engine, day)

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

    def choose(self, is_so: Any, yes: Any, no: Any) -> Any:
        if isinstance(is_so, bool):
            return yes if is_so else no
        yes, no = self.as_sql(yes), self.as_sql(no)
        # A null must not choose: it has to come out as a null.
        else_ = f"WHEN NOT ({is_so.text}) THEN" if is_so.may_be_null else "ELSE"
        return SqlDay(
            self.engine,
            f"CASE WHEN {is_so.text} THEN {yes} {else_} {no} END",
            0,
            is_so.may_be_null or yes.may_be_null or no.may_be_null,
            yes.starts_month and no.starts_month,
        )

    def on_weekday(self, day: Any, weekday: int) -> Any:
        if not isinstance(day, SqlDay):
            return self.calendar.on_weekday(day, weekday)
        return self._week_start(day + 6, weekday)

    def like_both(self, text: str, one: SqlDay, two: SqlDay) -> SqlDay:
        both = one.starts_month and two.starts_month
        return SqlDay(self.engine, text, 0, one.may_be_null or two.may_be_null, both)

    def instants(self, zone: tzinfo) -> Any:
        from ulnager.filters.sqlinstants import SqlInstants

        return SqlInstants(self.calendar, zone, self)

    def like(self, calendar: Calendar) -> SqlArithmetic:
        return self if calendar == self.calendar else SqlArithmetic(calendar, self.engine)

"""The arithmetic of the rules as SQL: days, counts, comparisons and instants.

A day is either a number, worked out here, or a :class:`SqlDay`, worked out by the engine. The
rules run on both without knowing.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, timedelta, tzinfo
from operator import eq, ge, gt, le, lt
from typing import Any, Final, NoReturn

from ulnager.core.calendars.calendar import Calendar, OfCalendar
from ulnager.core.calendars.instants import InstantArithmetic, moment_of
from ulnager.core.calendars.month_calendar import MonthCalendar
from ulnager.core.calendars.zones import date_of, zone_name
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

MOST_CHARACTERS: Final = 100_000
"""How long one bound may be: what is moved by its own length is in its text several times."""

_COMPARED: Final[dict[str, Callable[[int, int], bool]]] = {
    "=": eq,
    "<=": le,
    "<": lt,
    ">=": ge,
    ">": gt,
}


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
        if len(text) > MOST_CHARACTERS:
            raise FilterError(
                f"written as SQL this condition is longer than {MOST_CHARACTERS:,} characters; say "
                "it with fewer shifts, or filter with frozen dates"
            )
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
        if isinstance(days, SqlNumber):
            text = filled(self.engine, "add_count", x=self.text, a=days.product)
            return SqlDay(self.engine, text, self.days + days.more, self.may_be_null)
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
        return days_between(self, other)

    def __rsub__(self, day: int) -> SqlCount:
        return days_between(literal_day(self.engine, day), self)

    def __str__(self) -> str:
        if not self.days:
            return self.text
        return filled(self.engine, "add_days", x=self.text, n=self.days)

    def _compared(self, sign: str, other: Any) -> SqlTruth | bool:
        other = self._like(other)
        if other.text == self.text:
            # What hangs on the same day is known to be earlier or later.
            return _COMPARED[sign](self.days, other.days)
        return SqlTruth(f"{self} {sign} {other}", self.may_be_null or other.may_be_null)

    def _like(self, day: Any) -> SqlDay:
        """A day of any sort as SQL for the same engine."""
        return day if isinstance(day, SqlDay) else literal_day(self.engine, day)

    def __eq__(self, other: object) -> Any:
        return self._compared("=", other)

    def __le__(self, other: Any) -> SqlTruth | bool:
        return self._compared("<=", other)

    def __lt__(self, other: Any) -> SqlTruth | bool:
        return self._compared("<", other)

    def __ge__(self, other: Any) -> SqlTruth | bool:
        return self._compared(">=", other)

    def __gt__(self, other: Any) -> SqlTruth | bool:
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
        return literal_day(self.engine, day) + self


_HIDDEN: Final = 97
"""What a number of SQL is where somebody asks; nobody should."""


class SqlNumber(int):
    """A count that the engine knows: a piece of SQL so many times, and so many more."""

    text: str
    times: int
    more: int

    def __new__(cls, text: str, times: int = 1, more: int = 0) -> SqlNumber:
        made = super().__new__(cls, _HIDDEN * times + more)
        made.text, made.times, made.more = text, times, more
        return made

    def __neg__(self) -> SqlNumber:
        return SqlNumber(self.text, -self.times, -self.more)

    def __mul__(self, other: int) -> SqlNumber:
        if isinstance(other, SqlNumber):
            return SqlNumber(f"({self}) * ({other})")
        return SqlNumber(self.text, self.times * other, self.more * other)

    def __add__(self, other: int) -> SqlNumber:
        if isinstance(other, SqlNumber):
            return SqlNumber(f"({self}) + ({other})")
        if abs(other) > _LEAST_DAY:
            raise _not_counted()
        return SqlNumber(self.text, self.times, self.more + other)

    def __sub__(self, other: int) -> SqlNumber:
        return self + -other

    __rmul__, __radd__ = __mul__, __add__

    def __abs__(self) -> SqlNumber:
        return -self if self < 0 else self

    def _is_no_number(self, *other: int) -> NoReturn:
        raise _not_counted()

    __floordiv__ = __mod__ = __divmod__ = __pow__ = _is_no_number  # type: ignore[assignment]
    __rfloordiv__ = __rmod__ = __rdivmod__ = __rpow__ = _is_no_number  # type: ignore[assignment]

    def __rsub__(self, other: int) -> SqlNumber:
        return -self + other

    def __str__(self) -> str:
        more = f" {'-' if self.more < 0 else '+'} {abs(self.more)}" if self.more else ""
        return self.product + more

    @property
    def product(self) -> str:
        """It without what is added."""
        if self.times == 1:
            return self.text
        return f"{self.text} * {self.times}"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, SqlNumber) and str(other) == str(self)

    def __hash__(self) -> int:
        return hash(str(self))


_LEAST_DAY: Final = 100_000
"""More than that is the number of a day, which is not added to a count."""


def _not_counted() -> FilterError:
    return FilterError("this is not counted by a parameter; list its counts")


class SqlTruth:
    """A comparison as SQL."""

    def __init__(self, text: str, may_be_null: bool = False) -> None:
        self.text = text
        self.may_be_null = may_be_null

    def __and__(self, other: SqlTruth | bool) -> SqlTruth | bool:
        if isinstance(other, bool):
            return self if other else False
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


def literal_day(engine: Engine, day: int) -> SqlDay:
    if isinstance(day, SqlNumber):
        raise _not_counted()
    on = date_of(day)
    return SqlDay(engine, engine.literal.format(x=on), starts_month=on.day == 1)


def days_between(day: SqlDay, other: SqlDay) -> SqlCount:
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

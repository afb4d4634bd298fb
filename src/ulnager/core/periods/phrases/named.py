"""Weekdays, weekends, and units by name or number: ``monday``, ``march``, ``Q1``, ``week 14``.

A month's name is the Gregorian month in every calendar; quarters, halves and weeks are those of
the calendar in use. Weeks are numbered by the rule of ISO 8601 (week 1 is the one with 4 January
in it), and in a calendar of whole weeks from the start of its year.
"""

from __future__ import annotations

from typing import Any, Final

from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.names import NamedUnit, Weekday
from ulnager.core.periods.phrases.points import edge
from ulnager.core.periods.phrases.table import Pair, row
from ulnager.core.periods.rule import Kind
from ulnager.core.periods.shifting import unit_written
from ulnager.core.units import WEEKDAYS, Unit

# The 53rd week comes at least once in so many years.
_YEARS_OF_LONG_ONE: Final = 8
# The day of a week that says which year it belongs to (ISO 8601), counted from its first.
_TELLING: Final = 3


# Weekdays are points.


@row(Kind.POINT, "{weekday}", asks="anchor", is_day_name=True)
def weekday(c: Basis, weekday: Weekday) -> Any:
    days = c.in_days()
    return days.calendar._on_weekday(days.anchor - 6, weekday.number)


@row(Kind.POINT, "last {weekday}", also=("previous {weekday}",), asks="anchor")
def last_weekday(c: Basis, weekday: Weekday) -> Any:
    days = c.in_days()
    return days.calendar._on_weekday(days.anchor - 7, weekday.number)


@row(Kind.POINT, "next {weekday}", also=("following {weekday}",), asks="anchor")
def next_weekday(c: Basis, weekday: Weekday) -> Any:
    days = c.in_days()
    return days.calendar._on_weekday(days.anchor + 1, weekday.number)


@row(Kind.POINT, "this {weekday}", also=("current {weekday}",), asks="anchor", from_anchor=False)
def this_weekday(c: Basis, weekday: Weekday) -> Any:
    days = c.in_days()
    start = days.calendar._unit_start(days.anchor, Unit.WEEK)
    return days.calendar._on_weekday(start, weekday.number)


# The weekend is the unbroken run of weekly days off.


def _weekend(c: Basis, weeks: int) -> Pair:
    first, days = _days_off(c)
    start = c.calendar._on_weekday(c.anchor - days + 1, first) + 7 * weeks
    return start, start + days


def _days_off(c: Basis) -> tuple[int, int]:
    """The weekday on which the weekend begins, and how many days it has."""
    off = [WEEKDAYS.index(name) for name in c.calendar.business.days_off]
    firsts = [day for day in off if (day - 1) % 7 not in off]
    if len(firsts) != 1:
        raise ResolveError(
            "this calendar's weekly days off are not one run of days, so it has no weekend; "
            "say the days, such as 'this week only fridays'"
        )
    return firsts[0], len(off)


@row(
    Kind.SPAN,
    "this weekend",
    "It is the run of weekly days off around {anchor}, or else the next to begin, from {start}.",
    also=("current weekend",),
)
def this_weekend(c: Basis) -> Pair:
    return _weekend(c, 0)


@row(
    Kind.SPAN,
    "previous weekend",
    "It is the weekend before this one, from {start}.",
    also=("last weekend",),
)
def previous_weekend(c: Basis) -> Pair:
    return _weekend(c, -1)


@row(
    Kind.SPAN,
    "next weekend",
    "It is the weekend after this one, from {start}.",
    also=("following weekend",),
)
def next_weekend(c: Basis) -> Pair:
    return _weekend(c, 1)


# Units by name. How such units lie is found from the starts of years only, so that the same sums
# hold for arrays and in SQL.


class _Named:
    """The units of one name in a calendar, whatever its days are made of."""

    def __init__(self, c: Basis, name: NamedUnit) -> None:
        self.unit, self.skipped = name.unit, name.number - 1
        plain = c.calendar._plain
        self.by_iso = name.unit is Unit.WEEK and not plain._has_periods
        self.of_years = c.calendar._like(GREGORIAN) if self.by_iso else c.calendar
        if name.unit is Unit.MONTH:
            self.of_years = c.calendar._like(GREGORIAN)
        self.calendar = c.calendar if name.unit is Unit.WEEK else self.of_years

    def _year(self, day: Any) -> Any:
        """The start of the year that the unit around a day is counted in."""
        start = self.calendar._unit_start(day, self.unit)
        return self.of_years._unit_start(start + _TELLING if self.by_iso else start, Unit.YEAR)

    def _in_year(self, year: Any) -> Any:
        if self.by_iso:
            return self.calendar._unit_start(year + _TELLING, Unit.WEEK) + 7 * self.skipped
        if not self.skipped:
            return year
        return self.calendar._move_start(year, self.unit, self.skipped)

    def _other(self, year: Any, years: int) -> Any:
        return self.of_years._move_start(year, Unit.YEAR, years)

    @property
    def _is_rare(self) -> bool:
        """Whether not every year has one."""
        return self.unit is Unit.WEEK and self.skipped == 52

    def _is_there(self, year: Any) -> Any:
        stop = self._other(year, 1)
        if self.by_iso:
            stop = self.calendar._unit_start(stop + _TELLING, Unit.WEEK)
        return self._in_year(year) < stop

    def _year_of_begun(self, day: Any) -> Any:
        """The year of the latest one that has begun by a day."""
        # A day moved by units stays at its place in them.
        start = self.calendar._move_day(day, self.unit, -self.skipped) if self.skipped else day
        if self.by_iso:
            start = self.calendar._unit_start(start, self.unit)
        return self.of_years._unit_start(start + _TELLING if self.by_iso else start, Unit.YEAR)

    def begun(self, day: Any) -> Any:
        """The start of the latest one that has begun by a day."""
        if not self._is_rare:
            return self._in_year(self._year_of_begun(day))
        this = self._year(day)
        found = self._in_year(self._other(this, -_YEARS_OF_LONG_ONE))
        for back in range(_YEARS_OF_LONG_ONE - 1, -1, -1):
            year = self._other(this, -back) if back else this
            here = self._in_year(year)
            is_so = self._is_there(year) & (here <= day)
            found = self.calendar._choose(is_so, here, found)
        return found

    def after(self, day: Any) -> Any:
        """The start of the first one that starts after a day."""
        if not self._is_rare:
            return self._in_year(self._other(self._year_of_begun(day), 1))
        this = self._year(day)
        found = self._in_year(self._other(this, _YEARS_OF_LONG_ONE))
        for on in range(_YEARS_OF_LONG_ONE - 1, -1, -1):
            year = self._other(this, on) if on else this
            here = self._in_year(year)
            is_so = self._is_there(year) & (here > day)
            found = self.calendar._choose(is_so, here, found)
        return found

    def not_before(self, day: Any) -> Any:
        """The start of the first one that ends on a day or after it."""
        return self.after(self.calendar._unit_start(day, self.unit) - 1)

    def within(self, first: Any) -> Any:
        """The first one that is told to lie at or after a day: by its start, a numbered week by
        the day that says its year."""
        return self.after(first - _TELLING - 1 if self.by_iso else first - 1)

    def is_before(self, start: Any, stop: Any) -> Any:
        return start + (_TELLING if self.by_iso else 0) < stop

    def pair(self, start: Any) -> Pair:
        return start, self.calendar._move_start(start, self.unit, 1)


def _in_days(c: Basis, name: NamedUnit) -> _Named:
    if c.in_instants:
        raise ResolveError(f"'{name}' is counted in days; take it of a period of days")
    return _Named(c, name)


def _alone(c: Basis, name: NamedUnit) -> Pair:
    named = _in_days(c, name)
    return named.pair(named.begun(c.anchor))


def _of_this_year(c: Basis, name: NamedUnit) -> Pair:
    year = c.calendar._unit_start(c.anchor, Unit.YEAR)
    return _of_span(c, name, year, c.calendar._move_start(year, Unit.YEAR, 1), "this year")


def _that_is_over(c: Basis, name: NamedUnit) -> Pair:
    named = _in_days(c, name)
    return named.pair(named.begun(named.calendar._unit_start(c.open_day, name.unit) - 1))


def _to_start(c: Basis, name: NamedUnit) -> Pair:
    named = _in_days(c, name)
    return named.pair(named.after(c.anchor))


def _of(c: Basis, name: NamedUnit, period: Definition) -> Pair:
    return _of_span(c, name, edge(c, period, 0), edge(c, period, 1), str(period))


def _of_span(c: Basis, name: NamedUnit, first: Any, stop: Any, told: str) -> Pair:
    named = _in_days(c, name)
    start = named.within(first)
    c.require(named.is_before(start, stop), lambda: f"there is no {name} in '{told}'")
    return named.pair(start)


def _like(slot: str, reading: str = "", other_word: str = "") -> dict[str, Any]:
    """What rows of named units share. Months step through the Gregorian calendar, as fixed dates
    do."""
    if slot == "monthname":
        more: dict[str, Any] = {"ends": ("fixed", "fixed"), "step": "fixed"}
    else:
        more = {"ends": ("unit", "unit"), "step": "unit"}
    if other_word:
        more["also"] = (f"{other_word} {{{slot}}}",)
    # Those that are read of one name alone are its readings.
    return {
        **more,
        "reading": reading,
        "family": slot if reading else "",
        "from_anchor": bool(reading),
    }


@row(
    Kind.SPAN,
    "{monthname}",
    "The latest {monthname} that has begun starts on {start}.",
    **_like("monthname", "latest begun"),
)
def named_month(c: Basis, name: NamedUnit) -> Pair:
    return _alone(c, name)


@row(
    Kind.SPAN,
    "{unitname}",
    "The latest {unitname} that has begun starts on {start}.",
    **_like("unitname", "latest begun"),
)
def named_unit(c: Basis, name: NamedUnit) -> Pair:
    return _alone(c, name)


@row(
    Kind.SPAN,
    "this {monthname}",
    "The {monthname} of this year starts on {start}.",
    **_like("monthname", "of this year", "current"),
)
def this_month(c: Basis, name: NamedUnit) -> Pair:
    return _of_this_year(c, name)


@row(
    Kind.SPAN,
    "this {unitname}",
    "The {unitname} of this year starts on {start}.",
    **_like("unitname", "of this year", "current"),
)
def this_unit(c: Basis, name: NamedUnit) -> Pair:
    return _of_this_year(c, name)


@row(
    Kind.SPAN,
    "last {monthname}",
    "The latest {monthname} that is over ends {ends}.",
    **_like("monthname", "latest over", "previous"),
)
def last_month(c: Basis, name: NamedUnit) -> Pair:
    return _that_is_over(c, name)


@row(
    Kind.SPAN,
    "last {unitname}",
    "The latest {unitname} that is over ends {ends}.",
    **_like("unitname", "latest over", "previous"),
)
def last_unit(c: Basis, name: NamedUnit) -> Pair:
    return _that_is_over(c, name)


@row(
    Kind.SPAN,
    "next {monthname}",
    "The first {monthname} to start after {anchor} starts on {start}.",
    **_like("monthname", "next to begin", "following"),
)
def next_month(c: Basis, name: NamedUnit) -> Pair:
    return _to_start(c, name)


@row(
    Kind.SPAN,
    "next {unitname}",
    "The first {unitname} to start after {anchor} starts on {start}.",
    **_like("unitname", "next to begin", "following"),
)
def next_unit(c: Basis, name: NamedUnit) -> Pair:
    return _to_start(c, name)


@row(
    Kind.SPAN,
    "{monthname} of {period}",
    "The {monthname} in it starts on {start}.",
    looks_for="name",
    **_like("monthname"),
)
def month_of_period(c: Basis, name: NamedUnit, period: Definition) -> Pair:
    return _of(c, name, period)


@row(
    Kind.SPAN,
    "{unitname} of {period}",
    "The {unitname} in it starts on {start}.",
    looks_for="name",
    **_like("unitname"),
)
def unit_of_period(c: Basis, name: NamedUnit, period: Definition) -> Pair:
    return _of(c, name, period)


# A name without its year, at one end of a span, looks at the other end.

_PLAIN: Final = (named_month, named_unit)
_DAY_NAMES: Final = (weekday, last_weekday, next_weekday, this_weekday)


def between_names(c: Basis, left: Definition, right: Definition) -> Pair | None:
    """The span from a point to a point where one of them is a name without its year; else None.

    The name on the right is, beside a name of its own sort, the first not before it; beside
    anything else what it is alone, or the first not before where that lies before the left side.
    A name on the left, beside one with its year, is the latest that is not after it.
    """
    if c.in_instants:
        return None
    if right.rule is weekday:
        first, number = left.day(c), right.args[0].number
        alone, found = right.day(c), c.calendar._on_weekday(first, number)
        if left.rule not in _DAY_NAMES:
            found = c.calendar._choose(alone < first, found, alone)
        return first, found + 1
    inside = _inside(right, "end")
    if inside is not None and inside.rule in _PLAIN:
        named = _in_days(c, inside.args[0])
        first = left.day(c)
        found = named.pair(named.not_before(first))[1]
        if unit_written(left) != named.unit:
            alone = inside.span(c)[1]
            found = c.calendar._choose(alone <= first, found, alone)
        return first, found
    name = _inside(left, "start")
    if inside is None or name is None or name.rule not in _PLAIN or not inside.rule.is_written:
        return None
    if unit_written(right) != name.unit:
        return None
    start, stop = inside.span(c)
    return _in_days(c, name.args[0]).begun(start), stop


def _inside(point: Definition, side: str) -> Definition | None:
    inside: Definition | None = point.args[0] if point.rule.side == side else None
    return inside

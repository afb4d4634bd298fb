"""Calendars: how days group into units.

A calendar answers four questions on **day numbers** (``date.toordinal()``): where the
unit around a day starts and stops, which start lies some units away, and which day
lies some units away. The rules for periods use nothing else, so whatever can answer
these four (one date, an array, a database) can resolve any period.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any, ClassVar, Protocol

from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.units import WEEKDAYS, Unit

FIRST_DAY = 1
LAST_DAY = date.max.toordinal()
_CYCLE_DAYS = 146_097
_MONTH_DAYS = (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)


class Arithmetic(Protocol):
    """What the rules need to know of a calendar, whatever a day is made of."""

    def unit_start(self, day: Any, unit: Unit) -> Any:
        """The first day of the unit around ``day``."""

    def unit_stop(self, day: Any, unit: Unit) -> Any:
        """The first day after the unit around ``day``."""

    def move_start(self, start: Any, unit: Unit, count: int) -> Any:
        """The start of the unit ``count`` units after the one that starts at ``start``."""

    def move_day(self, day: Any, unit: Unit, count: int) -> Any:
        """``day`` moved by ``count`` units, keeping its place in the unit, clamped."""


def date_of(number: int) -> date:
    """The date with that day number; ResolveError outside years 1 to 9999."""
    try:
        return date.fromordinal(number)
    except (ValueError, OverflowError):
        raise out_of_range() from None


def number_of(year: int, month: int, day: int) -> int:
    """The day number of a date, also a little outside years 1 to 9999.

    A boundary may lie outside without the period doing so: ``rest of year`` in a fiscal
    year that began in year 0. The Gregorian calendar repeats every 400 years, which
    carries such a boundary; only a date that must be shown has to be in range.
    """
    beyond = -1 if year < 1 else 1 if year > 9999 else 0
    if not -398 <= year <= 10398:
        raise out_of_range()
    return date(year - 400 * beyond, month, day).toordinal() + _CYCLE_DAYS * beyond


def civil_of(number: int) -> tuple[int, int, int]:
    """Year, month and day of a day number; the other way round of :func:`number_of`."""
    beyond = -1 if number < FIRST_DAY else 1 if number > LAST_DAY else 0
    inside = date_of(number - _CYCLE_DAYS * beyond)
    return inside.year + 400 * beyond, inside.month, inside.day


def out_of_range() -> ResolveError:
    return ResolveError(
        "the dates go outside years 1 to 9999; use a smaller count or another anchor"
    )


def days_in_month(year: int, month: int) -> int:
    if month == 2 and year % 4 == 0 and (year % 100 != 0 or year % 400 == 0):
        return 29
    return _MONTH_DAYS[month - 1]


class Calendar:
    """The base of every calendar: the same questions asked with dates.

    Subclasses answer them with day numbers and set ``kind``.
    """

    kind: ClassVar[str]

    def unit_start(self, day: int, unit: Unit) -> int:
        raise NotImplementedError

    def move_start(self, start: int, unit: Unit, count: int) -> int:
        raise NotImplementedError

    def move_day(self, day: int, unit: Unit, count: int) -> int:
        raise NotImplementedError

    def unit_stop(self, day: int, unit: Unit) -> int:
        return self.move_start(self.unit_start(day, unit), unit, 1)

    def floor(self, day: date, unit: Unit) -> date:
        """The first day of the unit around ``day``.

        >>> MonthCalendar(year_starts="10-01").floor(date(2026, 5, 20), Unit.YEAR)
        datetime.date(2025, 10, 1)

        Raises ResolveError when this calendar has no such unit, or outside years 1 to 9999.
        """
        return date_of(self.unit_start(day.toordinal(), unit))

    def shift(self, day: date, unit: Unit, count: int) -> date:
        """The same day ``count`` units later; its place in the unit is clamped.

        >>> MonthCalendar().shift(date(2026, 5, 31), Unit.MONTH, -3)
        datetime.date(2026, 2, 28)

        Raises ResolveError when this calendar has no such unit, or outside years 1 to 9999.
        """
        return date_of(self.move_day(day.toordinal(), unit, count))

    def describe(self) -> dict[str, str]:
        """The calendar's settings as plain text, ``kind`` first."""
        raise NotImplementedError

    def lacks(self, unit: Unit) -> ResolveError:
        """The error for a unit that this calendar does not have."""
        return ResolveError(f"a calendar of {self.kind} has no unit {unit.name!r}")


@dataclass(frozen=True)
class MonthCalendar(Calendar):
    """Years of twelve months, weeks of seven days beside them.

    ``year_starts`` is the month and day (``"MM-DD"``, day 1 to 28) on which a year begins;
    when it is not the 1st, months begin on that day too. ``week_starts`` is a weekday
    name. ``year_named_by`` says which calendar year names a year that spans two: that of
    its ``"start"`` or of its ``"end"``. The default is the Gregorian calendar with the
    weeks of ISO 8601.

    >>> taxes = MonthCalendar(year_starts="04-06")
    >>> taxes.floor(date(2026, 5, 3), Unit.MONTH), taxes.floor(date(2026, 5, 3), Unit.YEAR)
    (datetime.date(2026, 4, 6), datetime.date(2026, 4, 6))

    Raises SettingError for a day that is not in every month, or an unknown weekday.
    """

    year_starts: str = "01-01"
    week_starts: str = "monday"
    year_named_by: str = "end"

    kind: ClassVar[str] = "months"

    def __post_init__(self) -> None:
        month, day = _month_and_day(self.year_starts)
        if not isinstance(self.week_starts, str) or self.week_starts.lower() not in WEEKDAYS:
            raise SettingError(
                f"week_starts is {self.week_starts!r}; give a weekday, such as 'monday'"
            )
        if self.year_named_by not in ("start", "end"):
            raise SettingError(f"year_named_by is {self.year_named_by!r}; give 'start' or 'end'")
        object.__setattr__(self, "year_starts", f"{month:02}-{day:02}")
        object.__setattr__(self, "week_starts", self.week_starts.lower())
        object.__setattr__(self, "_month", month - 1)
        object.__setattr__(self, "_lead", day - 1)
        # Day number 1 was a Monday, so the starts of weeks leave this remainder.
        object.__setattr__(self, "_week", (WEEKDAYS.index(self.week_starts) + 1) % 7)

    # Worked out once from the settings: months before the year starts, days before a
    # month starts, and the remainder by seven of a week's first day number.
    _month: ClassVar[int]
    _lead: ClassVar[int]
    _week: ClassVar[int]

    def unit_start(self, day: int, unit: Unit) -> int:
        months = unit.months
        if months:
            index, place = _month_index(day - self._lead)
            if months == 1:
                return day - place + 1
            return self._month_start(index - (index - self._month) % months)
        if unit.days == 7:
            return day - (day - self._week) % 7
        if unit.days == 1:
            return day
        raise self.lacks(unit)

    def move_start(self, start: int, unit: Unit, count: int) -> int:
        months = unit.months
        if months:
            return self._month_start(_month_index(start - self._lead)[0] + months * count)
        if unit.days:
            return start + unit.days * count
        raise self.lacks(unit)

    def move_day(self, day: int, unit: Unit, count: int) -> int:
        months = unit.months
        if months:
            index, place = _month_index(day)
            year, month = divmod(index + months * count, 12)
            return number_of(year, month + 1, min(place, days_in_month(year, month + 1)))
        if unit.days:
            return day + unit.days * count
        raise self.lacks(unit)

    def _month_start(self, index: int) -> int:
        year, month = divmod(index, 12)
        if 1 <= year <= 9999:
            return date(year, month + 1, 1).toordinal() + self._lead
        return number_of(year, month + 1, 1) + self._lead

    def describe(self) -> dict[str, str]:
        return {
            "kind": self.kind,
            "year_starts": self.year_starts,
            "week_starts": self.week_starts,
            "year_named_by": self.year_named_by,
        }

    def __str__(self) -> str:
        if self == GREGORIAN:
            return "Gregorian, weeks from Monday"
        return f"years from {self.year_starts}, weeks from {self.week_starts.title()}"


def _month_index(day: int) -> tuple[int, int]:
    """The months since year 0 and the day of the month of a day number."""
    if FIRST_DAY <= day <= LAST_DAY:
        inside = date.fromordinal(day)
        return inside.year * 12 + inside.month - 1, inside.day
    year, month, place = civil_of(day)
    return year * 12 + month - 1, place


def _month_and_day(text: str) -> tuple[int, int]:
    try:
        month, day = (int(part) for part in text.split("-"))
        date(2001, month, day)
    except (ValueError, AttributeError):
        raise SettingError(
            f"year_starts is {text!r}; give a month and a day as MM-DD, such as '10-01'"
        ) from None
    if day > 28:
        raise SettingError(
            f"year_starts is {text!r}; choose a day from 1 to 28, which every month has"
        )
    return month, day


GREGORIAN = MonthCalendar()

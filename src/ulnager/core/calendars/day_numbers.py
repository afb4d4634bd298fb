"""Days as numbers: a date's ordinal, also a little beyond years 1 to 9999, for boundaries."""

from __future__ import annotations

from datetime import date

from ulnager.core.errors import ResolveError

FIRST_DAY = 1
LAST_DAY = date.max.toordinal()
_CYCLE_DAYS = 146_097
_MONTH_DAYS = (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)


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

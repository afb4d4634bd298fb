"""The forms of ISO 8601 that stand for dates, and the common year-quarter.

Always Gregorian, whatever calendar is in use.
"""

from __future__ import annotations

from datetime import date

from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.date_forms import why_no_date
from ulnager.core.periods.spans import FixedDates
from ulnager.core.units import Unit


def fixed_dates(text: str) -> FixedDates:
    """The dates of ``2026``, ``2026-03``, ``2026-Q2``, ``2026-W14`` or ``A/B``, both ends in.

    >>> fixed_dates("2026-W14").start == date(2026, 3, 30).toordinal()
    True

    Raises ValueError for a month, a week or a quarter that does not exist (ISO 8601).
    """
    if "/" in text:
        return _interval(text)
    year = int(text[:4])
    unit = Unit.YEAR
    if len(text) == 4:
        start = _day(year, 1, text)
    elif text[5] == "W":
        unit = Unit.WEEK
        try:
            start = date.fromisocalendar(year, int(text[6:]), 1)
        except ValueError:
            raise ValueError(f"there is no week {text}; weeks of a year run to 52 or 53") from None
    elif text[5] == "Q":
        unit = Unit.QUARTER
        if not 1 <= int(text[6:]) <= 4:
            raise ValueError(f"there is no quarter {text}; quarters run from Q1 to Q4")
        start = _day(year, int(text[6:]) * 3 - 2, text)
    else:
        unit = Unit.MONTH
        start = _day(year, int(text[5:]), text)
    number = start.toordinal()
    return FixedDates(text, number, GREGORIAN._move_start(number, unit, 1), unit)


def _interval(text: str) -> FixedDates:
    """From the first day of one form to the last day of the other."""
    first, last = (
        _one_day(part) if part.count("-") == 2 else fixed_dates(part) for part in text.split("/")
    )
    if last.start < first.start:
        raise ValueError(f"{last} comes before {first}; write the earlier one first")
    edges = first.unit if first.unit is last.unit else None
    return FixedDates(text, first.start, last.stop, None, edges)


def _one_day(text: str) -> FixedDates:
    try:
        day = date.fromisoformat(text).toordinal()
    except ValueError:
        raise ValueError(f"there is no date {text}: {why_no_date(text)}") from None
    return FixedDates(text, day, day + 1)


def _day(year: int, month: int, text: str) -> date:
    try:
        return date(year, month, 1)
    except ValueError:
        what = "year" if not year else "month"
        raise ValueError(
            f"there is no {what} {text}; years run from 0001, months from 01 to 12"
        ) from None

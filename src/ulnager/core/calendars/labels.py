"""What units are called: ``Q2 FY2026``, ``2026-W14``, ``P05 W2``; and which unit a name means.

Weeks that begin on a Monday carry the numbers of ISO 8601, whose years are those of the
week's Thursday. Years that are not the Gregorian ones are marked FY.
"""

from __future__ import annotations

import re
from datetime import date
from typing import ClassVar, Protocol

from ulnager.core.calendars.daynumbers import date_of
from ulnager.core.errors import ResolveError
from ulnager.core.units import MONTH_NAMES, Unit

_SAMPLE_DAY = date(2026, 5, 20).toordinal()
_PREFIXES = {Unit.QUARTER: "Q", Unit.HALF: "H"}
_LABEL = re.compile(
    r"""
    (?P<iso>(?P<iso_year>\d{4})-W(?P<iso_week>\d{2}))
  | (?P<name>[A-Z][a-z]{2})\ (?P<name_year>\d{4})
  | (?:(?P<part>[QHP])(?P<place>\d{1,2})(?:\ W(?P<week>\d{1,2}))?\ )?(?P<fy>FY)?(?P<year>\d{4})
    """,
    re.VERBOSE,
)


class Labelled(Protocol):
    """What a label needs to know of a calendar."""

    has_periods: ClassVar[bool]

    @property
    def is_fiscal(self) -> bool:
        """Whether its years are other than those of the Gregorian calendar."""

    @property
    def units(self) -> tuple[Unit, ...]:
        """The units that have labels, from the smallest on."""

    def unit_start(self, day: int, unit: Unit) -> int:
        """The first day of the unit around a day number."""

    def unit_stop(self, day: int, unit: Unit) -> int:
        """The first day after the unit around a day number."""

    def move_start(self, start: int, unit: Unit, count: int) -> int:
        """The start of another unit, so many after it."""

    def place_in_year(self, start: int, unit: Unit) -> int:
        """Which one of its year a unit is, from 1."""

    def year_name(self, day: int) -> int:
        """The number by which the year around a day goes."""

    def label(self, start: date, unit: Unit) -> str:
        """The name of the unit that starts on a date."""


def label(calendar: Labelled, start: int, unit: Unit, short: bool) -> str:
    """The label of the unit that starts on a day number."""
    if unit is Unit.YEAR:
        return year_label(calendar, start)
    day = date_of(start)
    if unit is Unit.DAY:
        return f"{day.day} {MONTH_NAMES[day.month - 1]}" if short else day.isoformat()
    if unit is Unit.WEEK:
        return _week(calendar, day, short)
    if unit is Unit.MONTH:
        return _month(calendar, day, short)
    prefix = _PREFIXES.get(unit)
    if prefix is None:
        return f"from {day.day} {MONTH_NAMES[day.month - 1]}" if short else f"{unit} {day}"
    text = f"{prefix}{calendar.place_in_year(start, unit)}"
    return text if short else f"{text} {year_label(calendar, start)}"


def year_label(calendar: Labelled, day: int) -> str:
    """``2026``, or ``FY2026`` when the year is not the Gregorian one."""
    name = calendar.year_name(day)
    return f"FY{name:04}" if calendar.is_fiscal else f"{name:04}"


def _month(calendar: Labelled, day: date, short: bool) -> str:
    start = day.toordinal()
    if calendar.has_periods or day.day != 1:
        text = f"P{calendar.place_in_year(start, Unit.MONTH):02}"
        return text if short else f"{text} {year_label(calendar, start)}"
    name = MONTH_NAMES[day.month - 1]
    return name if short else f"{name} {day.year:04}"


def _week(calendar: Labelled, day: date, short: bool) -> str:
    start = day.toordinal()
    if calendar.has_periods:
        month = calendar.unit_start(start, Unit.MONTH)
        text = f"{_month(calendar, date_of(month), True)} W{(start - month) // 7 + 1}"
        return text if short else f"{text} {year_label(calendar, start)}"
    if day.weekday() == 0:
        year, week, _ = day.isocalendar()
        return f"W{week:02}" if short else f"{year:04}-W{week:02}"
    return f"from {day.day} {MONTH_NAMES[day.month - 1]}" if short else f"week of {day}"


def labelled(calendar: Labelled, text: str) -> tuple[int, int] | None:
    """The start and stop of the unit with that long label, or None when there is none."""
    match = _LABEL.fullmatch(text.strip())
    if match is None:
        return None
    found = _looked_for(calendar, match)
    if found is None:
        return None
    day, unit = found
    start = calendar.unit_start(day, unit)
    # What was built from the label has to be called by it, or the label is of another calendar.
    if label(calendar, start, unit, False) != text.strip():
        return None
    return start, calendar.move_start(start, unit, 1)


def samples(calendar: Labelled) -> list[str]:
    """The labels of the units around a day of 2026, from the largest unit on."""
    found = []
    for unit in reversed(calendar.units):
        try:
            start = date_of(calendar.unit_start(_SAMPLE_DAY, unit))
            found.append(calendar.label(start, unit))
        except ResolveError:
            continue
    return found


def _looked_for(calendar: Labelled, match: re.Match[str]) -> tuple[int, Unit] | None:
    """A day in the unit that a label speaks of, if there is one."""
    try:
        if match["iso"]:
            week = date.fromisocalendar(int(match["iso_year"]), int(match["iso_week"]), 1)
            return week.toordinal(), Unit.WEEK
        if match["name"]:
            month = MONTH_NAMES.index(match["name"]) + 1
            return date(int(match["name_year"]), month, 1).toordinal(), Unit.MONTH
        year = _year_named(calendar, int(match["year"]))
    except ValueError:
        return None
    if year is None or not match["part"]:
        return None if year is None else (year, Unit.YEAR)
    unit = {"Q": Unit.QUARTER, "H": Unit.HALF, "P": Unit.MONTH}[match["part"]]
    day = calendar.move_start(year, Unit.MONTH, 0)
    for _ in range(int(match["place"]) - 1):
        day = calendar.unit_stop(day, unit)
    if match["week"]:
        return day + 7 * (int(match["week"]) - 1), Unit.WEEK
    return day, unit


def _year_named(calendar: Labelled, name: int) -> int | None:
    """The start of the year with that name."""
    # Years start on any day, so two days half a year apart are tried in each.
    for year in (name, name - 1, name + 1):
        for month in (1, 7):
            if 1 <= year <= 9999:
                start = calendar.unit_start(date(year, month, 1).toordinal(), Unit.YEAR)
                if calendar.year_name(start) == name:
                    return start
    return None

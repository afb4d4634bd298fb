"""What units are called: ``Q2 FY2026``, ``2026-W14``, ``P05 W2``; and which unit a name means.

Weeks that begin on a Monday carry the numbers of ISO 8601, whose years are those of the
week's Thursday. Weeks that begin on another day are counted by the same rule (week 1 is the one
with 4 January in it), but never written in ISO's form, which means other days. Years that are not
the Gregorian ones are marked FY.
"""

from __future__ import annotations

import re
from datetime import date
from typing import Protocol

from ulnager.core.calendars.zones import civil_of, date_of, number_of
from ulnager.core.errors import ResolveError
from ulnager.core.text import pattern
from ulnager.core.units import MONTH_NAMES, Unit

_SAMPLE_DAY = date(2026, 5, 20).toordinal()
_PREFIXES = {Unit.QUARTER: "Q", Unit.HALF: "H"}
_LABEL = pattern(
    r"""
    (?P<iso>(?P<iso_year>\d{4})-W(?P<iso_week>\d{2}))
  | (?P<day>\d{4}-\d\d-\d\d)
  | week\ (?P<number>\d{1,2})\ of\ (?P<number_year>\d{4})
  | (?P<own>[a-z]+(?:\ [a-z]+)?)\ (?P<own_day>\d{4}-\d\d-\d\d)
  | (?P<name>[A-Z][a-z]{2})\ (?P<name_year>\d{4})
  | (?:(?P<part>[QHP])(?P<place>\d{1,2})(?:\ W(?P<week>\d{1,2}))?\ )?(?P<fy>FY)?(?P<year>\d{4})
    """,
    re.VERBOSE | re.IGNORECASE,
)


class Labelled(Protocol):
    """What a label needs to know of a calendar."""

    @property
    def _has_periods(self) -> bool:
        """Whether its months are periods of whole weeks."""

    @property
    def _names_months(self) -> bool:
        """Whether a month that starts on the first of one goes by its name."""

    @property
    def _is_fiscal(self) -> bool:
        """Whether its years are other than those of the Gregorian calendar."""

    @property
    def units(self) -> tuple[Unit, ...]:
        """The units that have labels, from the smallest on."""

    def _unit_start(self, day: int, unit: Unit) -> int:
        """The first day of the unit around a day number."""

    def _unit_stop(self, day: int, unit: Unit) -> int:
        """The first day after the unit around a day number."""

    def _place_in_year(self, start: int, unit: Unit) -> int:
        """Which one of its year a unit is, from 1."""

    def _year_name(self, day: int) -> int:
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
        return _by_start(day, unit, short)
    return _numbered(calendar, day, unit, f"{prefix}{{}}", short)


def _numbered(calendar: Labelled, day: date, unit: Unit, form: str, short: bool) -> str:
    """By the unit's number in its year; by its first day where a table begins within that year."""
    start = day.toordinal()
    try:
        text = form.format(calendar._place_in_year(start, unit))
    except ResolveError:
        return _by_start(day, unit, short)
    return text if short else f"{text} {year_label(calendar, start)}"


def _by_start(day: date, unit: Unit, short: bool) -> str:
    return f"from {day.day} {MONTH_NAMES[day.month - 1]}" if short else f"{unit} {day}"


def year_label(calendar: Labelled, day: int) -> str:
    """``2026``, or ``FY2026`` when the year is not the Gregorian one."""
    name = calendar._year_name(day)
    return f"FY{name:04}" if calendar._is_fiscal else f"{name:04}"


def _month(calendar: Labelled, day: date, short: bool) -> str:
    if not calendar._names_months or day.day != 1:
        return _numbered(calendar, day, Unit.MONTH, "P{:02}", short)
    name = MONTH_NAMES[day.month - 1]
    return name if short else f"{name} {day.year:04}"


def _week(calendar: Labelled, day: date, short: bool) -> str:
    start = day.toordinal()
    if calendar._has_periods:
        month = calendar._unit_start(start, Unit.MONTH)
        text = f"{_month(calendar, date_of(month), True)} W{(start - month) // 7 + 1}"
        return text if short else f"{text} {year_label(calendar, start)}"
    year, number = _week_number(start)
    if day.weekday() == 0:
        return f"W{number:02}" if short else f"{year:04}-W{number:02}"
    return f"week {number}" if short else f"week {number} of {year:04}"


def _week_number(start: int) -> tuple[int, int]:
    """The year and the number of a week by the rule of ISO 8601, whatever day it starts on.

    The first week is the one with 4 January in it, so the day that tells is the fourth one.
    """
    year = civil_of(start + 3)[0]
    return year, (start + 3 - number_of(year, 1, 1)) // 7 + 1


def labelled(calendar: Labelled, text: str) -> tuple[int, int] | None:
    """The start and stop of the unit with that long label, or None when there is none.

    Any case of letters will do; ``week 20 of 2026`` too where weeks start on a Monday.
    """
    found = unit_labelled(calendar, text)
    return found and (found[0], calendar._unit_stop(*found))


def unit_labelled(calendar: Labelled, text: str) -> tuple[int, Unit] | None:
    """The start of the unit with that long label, and which unit it is."""
    match = _LABEL.fullmatch(text.strip())
    if match is None:
        return None
    try:
        day, unit = _looked_for(calendar, match)
        start = calendar._unit_start(day, unit)
    except (ValueError, KeyError, ResolveError):
        return None
    called = calendar.label(date_of(start), unit)
    # What was built from the label has to be called by it, or the label is of another calendar.
    if match["number"]:
        is_so = _week_number(start) == (int(match["number_year"]), int(match["number"]))
    else:
        is_so = called.casefold() == text.strip().casefold()
    return (start, unit) if is_so else None


def weeks_named(calendar: Labelled, text: str) -> str | None:
    """Which weeks a year has, where a label speaks of one that it does not have."""
    match = _LABEL.fullmatch(text.strip())
    if match is None or calendar._has_periods or not (match["number"] or match["iso"]):
        return None
    year = int(match["number_year"] or match["iso_year"])
    if not 1 <= year < 9999:
        return None
    first = calendar._unit_start(date(year, 1, 4).toordinal(), Unit.WEEK)
    after = calendar._unit_start(date(year + 1, 1, 4).toordinal(), Unit.WEEK)
    return f"{year} has {(after - first) // 7} weeks, 1 to {(after - first) // 7}"


def samples(calendar: Labelled) -> list[str]:
    """The labels of the units around a day of 2026, from the largest unit on."""
    found = []
    for unit in reversed(calendar.units):
        try:
            start = date_of(calendar._unit_start(_SAMPLE_DAY, unit))
            found.append(calendar.label(start, unit))
        except ResolveError:
            continue
    return found


def _looked_for(calendar: Labelled, match: re.Match[str]) -> tuple[int, Unit]:
    """A day in the unit that a label speaks of; ValueError when there is none."""
    if match["day"]:
        return date.fromisoformat(match["day"]).toordinal(), Unit.DAY
    if match["own"]:
        day = date.fromisoformat(match["own_day"]).toordinal()
        return day, {unit.name: unit for unit in calendar.units}[match["own"].lower()]
    if match["iso"]:
        week = date.fromisocalendar(int(match["iso_year"]), int(match["iso_week"]), 1)
        return week.toordinal(), Unit.WEEK
    if match["number"] and calendar._has_periods:
        raise ValueError("weeks are counted by periods here")
    if match["number"]:
        first = date(int(match["number_year"]), 1, 4).toordinal()
        return first + 7 * (int(match["number"]) - 1), Unit.WEEK
    if match["name"]:
        month = MONTH_NAMES.index(match["name"].title()) + 1
        return date(int(match["name_year"]), month, 1).toordinal(), Unit.MONTH
    day = _year_named(calendar, int(match["year"]))
    if not match["part"]:
        return day, Unit.YEAR
    unit = {"Q": Unit.QUARTER, "H": Unit.HALF, "P": Unit.MONTH}[match["part"].upper()]
    for _ in range(int(match["place"]) - 1):
        day = calendar._unit_stop(day, unit)
    if match["week"]:
        return day + 7 * (int(match["week"]) - 1), Unit.WEEK
    return day, unit


def _year_named(calendar: Labelled, name: int) -> int:
    """The start of the year with that name."""
    # Years start on any day, so two days half a year apart are tried in each.
    for year in (name, name + 1):
        for month in (1, 7):
            if 1 <= year <= 9999:
                start = calendar._unit_start(date(year, month, 1).toordinal(), Unit.YEAR)
                if calendar._year_name(start) == name:
                    return start
    raise ValueError(f"no year is called {name}")

"""Labels on an axis of dates, in the words of the calendar in use."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from itertools import pairwise
from typing import Any

from ulnager.core.calendars.base import Calendar
from ulnager.core.calendars.daynumbers import date_of
from ulnager.core.errors import ResolveError
from ulnager.core.units import WEEKDAYS, Unit
from ulnager.core.words import Words

_WIDE = 8.2
"""How much room a letter of a label takes, in pixels."""


def calendar_told(calendar: Calendar, words: Words) -> str:
    """A calendar for a person to read."""
    parts = []
    for part in str(calendar).split(", "):
        start, _, day = part.rpartition(" ")
        is_day = day.lower() in WEEKDAYS
        name = words.weekday(WEEKDAYS.index(day.lower())) if is_day else day
        is_from = start in ("weeks from", "years from")
        parts.append(words.say(f"{start} {{0}}", name) if is_from else words.say(part))
    return ", ".join(parts)


def year_of(calendar: Calendar, day: date, unit: Unit) -> str:
    """The year of the unit around a day, as its label says it: 2026 of ``2026-W01``, though that
    begins in December; else the label of the year around the day."""
    short, whole = calendar.label(day, unit, short=True), calendar.label(day, unit)
    year = whole.removesuffix(short) if whole.endswith(short) else whole.removeprefix(short)
    year = year.strip(" -")
    return year if year and year != whole else calendar.label(day, Unit.YEAR)


def bucket_labels(buckets: Sequence[Any], calendar: Calendar, width: float) -> list[str]:
    """A short label for each bucket, with the year below the first and where it changes; empty
    where there is no room."""
    short = [bucket.short_label for bucket in buckets]
    years = [_year(calendar, bucket) for bucket in buckets]
    longest = max([*map(len, short), *(len(year) for year in years if year)], default=1)
    step = max(1, -(-len(buckets) // max(1, int(width / (longest * _WIDE)))))
    found = []
    before = ""
    for place, (text, year) in enumerate(zip(short, years, strict=True)):
        if place % step:
            found.append("")
            continue
        found.append(f"{text}\n{year}" if year and year != before and year != text else text)
        before = year or before
    return found


def _year(calendar: Calendar, bucket: Any) -> str:
    start = bucket.unit_start
    day = date(start.year, start.month, start.day)
    try:
        return year_of(calendar, day, bucket.unit)
    except ResolveError:
        return ""


def mark_units(
    axes: Any, calendar: Calendar, first: int, last: int, width: float, words: Words
) -> Unit:
    """Bands and labels of units that there is room for, on an axis of day numbers."""
    from ulnager.pictures.paper import BAND

    known = [unit for unit in (Unit.DAY, Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.YEAR)
             if unit in calendar.units or unit in (Unit.DAY, Unit.WEEK)]  # fmt: skip
    unit = known[-1]
    for one in known:
        try:
            start = calendar.unit_start(first, one)
            size = calendar.move_start(start, one, 1) - start
            label = calendar.label(date_of(start), one, short=True)
        except ResolveError:
            continue
        if (last - first + 1) / size * (len(label) + 1) * _WIDE <= width:
            unit = one
            break
    edges = [calendar.unit_start(first, unit)]
    while edges[-1] <= last and len(edges) < 4_000:
        edges.append(calendar.move_start(edges[-1], unit, 1))
    ticks, names, before = [], [], ""
    for number, (begin, stop) in enumerate(pairwise(edges)):
        low, high = max(begin, first), min(stop, last + 1)
        if number % 2:
            axes.axvspan(low - 0.5, high - 0.5, color=BAND, zorder=0, linewidth=0)
        text = calendar.label(date_of(begin), unit, short=True)
        text = words.unit(text)
        if (high - low) / (last - first + 1) * width < len(text) * 6.5:
            continue
        year = year_of(calendar, date_of(begin), unit)
        ticks.append((low + high) / 2 - 0.5)
        names.append(f"{text}\n{year}" if year not in (before, text) else text)
        before = year
    axes.set_xticks(ticks, names)
    axes.set_xlim(first - 0.5, last + 0.5)
    return unit

"""A calendar of shaded days: a band for each year of the calendar in use, a column for a week."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Final

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.text import number_text
from ulnager.core.units import Unit
from ulnager.core.words import Words
from ulnager.numbers.totals_rows import TotalRow, Totals
from ulnager.pictures.paper import FAINT, INK, SCALE, WARN, Sheet, calendar_told

MOST_YEARS: Final = 6


def draw_shades(
    found: Totals, target: str | Path, *, title: str, size: str | tuple[int, int] | None = None
) -> None:
    """Draw totals by the day as a calendar of shaded days into a PNG, SVG or PDF file.

    Darker is more; days that hold nothing are struck, days that are not whole ringed.

    Raises SettingError where the totals are not by the day, are split, or hold too many years.
    """
    rows = found.rows
    if not rows:
        raise SettingError(f"'{found.resolution.period}' has no days to draw")
    if rows[0].bucket.unit is not Unit.DAY or rows[0].split is not None or rows[0].other:
        raise SettingError("a calendar is of one value a day: give --by day, and no --split")
    calendar = found.resolution.calendar
    first, last = rows[0].bucket.start.toordinal(), rows[-1].bucket.start.toordinal()
    years = _years(calendar, first, last)
    if len(years) > MOST_YEARS:
        raise SettingError(
            f"{len(years)} years cannot be drawn as a calendar; at most {MOST_YEARS}"
        )
    values = sorted(float(row.value) for row in rows if row.value is not None)
    edges = _edges(values)
    words = found.resolution.words
    told = f"{found.resolution.period}: {found.resolution.label}; {calendar_told(calendar, words)}"
    sheet = Sheet(title, told, size, words)
    foot = 84 if sheet.is_narrow else 64
    room = (sheet.height - sheet.top - foot) / len(years)
    by_day = {row.bucket.start.toordinal(): row for row in rows}
    for place, (start, stop) in enumerate(years):
        above = sheet.top + place * room
        axes = sheet.axes(64, sheet.height - above - room + 8, top=above + 22)
        _draw_year(axes, calendar, start, stop, by_day, edges, sheet)
    sheet.key(_key(edges, rows, words), 8, narrow=4)
    sheet.write(target)


def _years(calendar: Calendar, first: int, last: int) -> list[tuple[int, int]]:
    found = []
    start = calendar._unit_start(first, Unit.YEAR)
    while start <= last:
        stop = calendar._move_start(start, Unit.YEAR, 1)
        found.append((start, stop))
        start = stop
    return found


def _edges(values: Sequence[float]) -> list[float]:
    """The upper edge of each shade, so that each holds about as many days."""
    if not values:
        return []
    marks = [
        values[min(len(values) - 1, len(values) * (n + 1) // len(SCALE) - (n == 4))]
        for n in range(len(SCALE))
    ]
    return sorted({*marks[:-1], values[-1]})


def _shade(value: float, edges: Sequence[float]) -> str:
    place = min(bisect_left(edges, value), len(edges) - 1)
    return SCALE[place + (len(SCALE) - len(edges) if len(edges) > 1 else 2)]


def _draw_year(
    axes: Any,
    calendar: Calendar,
    start: int,
    stop: int,
    by_day: dict[int, TotalRow],
    edges: Sequence[float],
    sheet: Sheet,
) -> None:
    from matplotlib.patches import Rectangle

    monday = calendar._unit_start(start, Unit.WEEK)
    for day in range(start, stop):
        row = by_day.get(day)
        week, weekday = divmod(day - monday, 7)
        if row is None:
            continue
        if not row.value:
            axes.plot(
                [week + 0.25, week + 0.75], [weekday + 0.25, weekday + 0.75], color=WARN, lw=1.1
            )
        else:
            colour = _shade(float(row.value), edges)
            axes.add_patch(Rectangle((week + 0.06, weekday + 0.06), 0.88, 0.88, color=colour, lw=0))
        if row.bucket.reasons:
            axes.add_patch(
                Rectangle(
                    (week + 0.05, weekday + 0.05), 0.9, 0.9, fill=False, edgecolor=WARN, lw=1.4
                )
            )
    axes.set_xlim(-0.3, 54.3)
    axes.set_ylim(7.1, -0.1)
    months, names = [], []
    month = start
    while month < stop:
        months.append((month - monday) / 7)
        names.append(sheet.words.unit(_month(calendar, month)))
        month = _next_month(calendar, month)
    if sheet.is_narrow:
        months, names = months[::3], names[::3]
    axes.set_xticks(months, names, ha="left")
    axes.xaxis.tick_top()
    shown = (0, 2, 4, 6) if not sheet.is_narrow else (0, 3)
    weekdays = [sheet.words.weekday((monday - 1 + n) % 7, short=True) for n in shown]
    axes.set_yticks([n + 0.5 for n in shown], weekdays)
    axes.tick_params(labelsize=8.5, labelcolor=FAINT, pad=2)
    axes.set_ylabel(
        calendar.label(date_of(start), Unit.YEAR), fontsize=11, color=INK, weight="bold"
    )
    axes.spines["bottom"].set_visible(False)
    axes.set_facecolor("none")


def _month(calendar: Calendar, start: int) -> str:
    try:
        return calendar.label(date_of(start), Unit.MONTH, short=True).split()[0]
    except ResolveError:
        return f"{date_of(start):%b}"


def _next_month(calendar: Calendar, start: int) -> int:
    try:
        return calendar._move_start(calendar._unit_start(start, Unit.MONTH), Unit.MONTH, 1)
    except ResolveError:
        return start + 28


def _key(edges: Sequence[float], rows: Sequence[TotalRow], words: Words) -> list[Any]:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    handles: list[Any] = [
        Patch(color=_shade(edge, edges), label=words.say("to {0}", words.digits(number_text(edge))))
        for edge in edges
    ]
    if any(not row.value for row in rows):
        handles.append(Line2D([], [], color=WARN, marker="", lw=1.1, label=words.say("nothing")))
    if any(row.bucket.reasons for row in rows):
        handles.append(Patch(fill=False, edgecolor=WARN, lw=1.4, label=words.say("not whole")))
    return handles

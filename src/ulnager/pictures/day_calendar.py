"""Days as a calendar: months side by side, and in each day a bar as high as its value."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Any, Final

from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.text import number_text
from ulnager.core.words import Words
from ulnager.numbers.chart_model import CUT, UNFINISHED, WHOLE
from ulnager.numbers.day_grids import (
    LACKING,
    MOST_MONTHS,
    Day,
    DayGrids,
    GridCell,
    MonthGrid,
    day_grids,
    grids_of,
    is_empty,
)
from ulnager.numbers.totals_rows import Totals
from ulnager.pictures.paper import BAND, INK, PERIOD, WARN, Sheet, calendar_told
from ulnager.sources.profile import Profile

_MARKED: Final = (CUT, UNFINISHED)
_LARGEST: Final = 52.0
"""A cell is at most so wide, in pixels."""


def draw_days(
    found: Totals,
    target: str | Path,
    *,
    title: str,
    size: str | tuple[int, int] | None = None,
    nothing: str | None = None,
) -> None:
    """Draw totals by the day as a calendar into a PNG, SVG or PDF file.

    A full cell is the highest day. Days off, and days past the data, stay empty; days without rows
    have a cross, unfinished ones a hollow bar. ``nothing`` says why there is nothing at all.

    Raises SettingError where the totals are not by the day, are split, or hold too many months.
    """
    grids, words = grids_of(found), found.resolution.words
    told = f"{found.resolution.period}: {found.resolution.label}; "
    told += calendar_told(found.resolution.calendar, words)
    sheet = Sheet(title, told, size, words)
    if nothing and not grids.top:
        sheet.instead(nothing)
    else:
        _draw(grids, sheet)
    sheet.write(target)


def draw_profile(found: Profile, target: str | Path) -> None:
    """Draw the rows of each day of a source as a calendar, as :func:`draw_days` does; of long data
    the last months.

    Days after the last whole one have a hollow bar. Raises SourceError when the file cannot be
    written.
    """
    days = {
        day.toordinal(): Day(float(rows), UNFINISHED if day > found.last_whole else WHOLE)
        for day, rows in found.counts.items()
    }
    for span in found.missing:
        if span.start is not None and span.stop is not None:
            lacking = range(span.start.toordinal(), span.stop.toordinal())
            days |= {number: Day(None, LACKING) for number in lacking if number not in days}
    edge = (found.last.replace(day=1) - timedelta(days=30 * (MOST_MONTHS - 2))).replace(day=1)
    kept = {number: day for number, day in days.items() if number >= edge.toordinal()}
    cut = "" if len(kept) == len(days) else f", drawn from {edge}"
    told = (
        f"{found.rows:,} rows from {found.first} to {found.last}{cut}; {found.median:,.0f} rows on "
        f"a usual day, {sum(span.days or 0 for span in found.missing)} days missing; "
        f"last whole day {found.last_whole}"
    )
    sheet = Sheet(f"Rows a day: {found.column}", told)
    _draw(day_grids(kept, GREGORIAN, sheet.words), sheet, "after the last whole day")
    sheet.write(target)


def _draw(grids: DayGrids, sheet: Sheet, unfinished: str = "unfinished") -> None:
    wide, high = sheet.width - 48.0, sheet.height - sheet.top - 66
    cell, columns = _fitting(len(grids.months), wide, high)
    axes = sheet.axes(24, 60, right=24)
    axes.set_xlim(0, wide)
    axes.set_ylim(high + 6, 0)
    axes.set_xticks([])
    axes.set_yticks([])
    axes.spines["bottom"].set_visible(False)
    axes.set_facecolor("none")
    for place, month in enumerate(grids.months):
        row, column = divmod(place, columns)
        _month(axes, month, column * cell * 8, row * cell * 7.6, cell, grids)
    sheet.key(_key(grids, sheet.words, unfinished))


def _fitting(count: int, wide: float, high: float) -> tuple[float, int]:
    """The largest cell with which so many months fit, and how many stand side by side."""
    best = (0.0, 1)
    for columns in range(1, count + 1):
        rows = -(-count // columns)
        best = max(best, (min(wide / (columns * 8 - 1), high / (rows * 7.6), _LARGEST), columns))
    return best


def _month(
    axes: Any, month: MonthGrid, left: float, top: float, cell: float, grids: DayGrids
) -> None:
    letters = max(5.5, min(10.0, cell * 0.42))
    title = f"{month.name} {month.year}".strip()
    look: dict[str, Any] = {"fontsize": letters, "color": INK, "va": "bottom"}
    axes.text(left, top + cell * 0.95, title, weight="bold" if month.year else "normal", **look)
    for one in month.cells:
        x, y = left + one.weekday * cell, top + (one.week + 1.1) * cell
        _cell(axes, one, x, y, cell)


def _cell(axes: Any, one: GridCell, x: float, y: float, cell: float) -> None:
    from matplotlib.patches import Rectangle

    axes.add_patch(Rectangle((x, y), cell * 0.9, cell * 0.9, color=BAND, lw=0))
    if one.state == LACKING:
        at = ([x + cell * 0.25, x + cell * 0.65], [y + cell * 0.25, y + cell * 0.65])
        axes.plot(*at, color=WARN, lw=1.1)
        axes.plot(at[0], at[1][::-1], color=WARN, lw=1.1)
        return
    if is_empty(one):
        return
    height = max(abs(one.height) * cell * 0.86, 0.6)
    is_marked = one.state in _MARKED
    colour = PERIOD if one.height >= 0 else WARN
    axes.add_patch(
        Rectangle(
            (x + cell * 0.12, y + cell * 0.9 - height),
            cell * 0.66,
            height,
            facecolor="white" if is_marked else colour,
            edgecolor=colour,
            lw=1.1 if is_marked else 0,
        )
    )


def _key(grids: DayGrids, words: Words, unfinished: str) -> list[Any]:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    top = words.digits(number_text(grids.top))
    handles: list[Any] = [Patch(color=PERIOD, label=words.say("a full day is {0}", top))]
    if grids.states & {*_MARKED}:
        hollow = words.say(unfinished)
        handles.append(Patch(facecolor="white", edgecolor=PERIOD, lw=1.1, label=hollow))
    if LACKING in grids.states:
        cross = words.say("no rows")
        handles.append(Line2D([], [], color=WARN, marker="x", lw=0, label=cross))
    weekdays = f"{grids.weekdays[0]} – {grids.weekdays[-1]}"
    handles.append(Patch(color=BAND, label=words.say("a row is a week, {0}", weekdays)))
    return handles

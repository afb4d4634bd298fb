"""The rows of each day as a calendar: gaps and half-loaded days are seen at once."""

from __future__ import annotations

from bisect import bisect_left
from datetime import date, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any

from ulnager.core.units import MONTH_NAMES, WEEKDAYS
from ulnager.pictures.paper import FAINT, INK, SCALE, WARN, new_figure, write_figure
from ulnager.sources.profile import Profile

MOST_YEARS = 6


def draw_profile(found: Profile, target: str | Path) -> None:
    """Draw the rows of each day into a PNG, SVG or PDF file of 1280x800, a band for each year.

    A column is a week from Monday, a cell a day, darker with more rows. Days without rows are
    crossed, days after the last whole one ringed. Of long data the last years are drawn.

    Raises SourceError when the file cannot be written.
    """
    years = list(range(found.first.year, found.last.year + 1))[-MOST_YEARS:]
    figure = new_figure()
    height = 0.74 / len(years)
    top = max(found.counts.values())
    for place, year in enumerate(years):
        axes = figure.add_axes((0.07, 0.84 - (place + 1) * height + 0.03, 0.9, height - 0.045))
        _draw_year(axes, year, found, top)
    cut = "" if years[0] == found.first.year else f", drawn from {years[0]}"
    figure.text(0.07, 0.94, f"Rows a day: {found.column}", fontsize=17, color=INK, weight="bold")
    figure.text(
        0.07,
        0.905,
        f"{found.rows:,} rows from {found.first} to {found.last}{cut}; {found.median:,.0f} rows on "
        f"a usual day, {sum(span.days or 0 for span in found.missing)} days missing; "
        f"last whole day {found.last_whole}",
        fontsize=11,
        color=FAINT,
    )
    _draw_key(figure, top)
    write_figure(figure, target)


def _draw_year(axes: Any, year: int, found: Profile, top: int) -> None:
    from matplotlib.patches import Rectangle

    missing = {
        start + timedelta(days=n)
        for span in found.missing
        if (start := span.start) is not None
        for n in range(span.days or 0)
    }
    day = date(year, 1, 1)
    offset = day.weekday()
    while day.year == year:
        week, weekday = divmod((day - date(year, 1, 1)).days + offset, 7)
        rows = found.counts.get(day)
        if rows is not None:
            colour = SCALE[bisect_left(_edges(top), rows) - 1]
            axes.add_patch(Rectangle((week + 0.06, weekday + 0.06), 0.88, 0.88, color=colour, lw=0))
            if day > found.last_whole:
                axes.add_patch(
                    Rectangle(
                        (week + 0.02, weekday + 0.02),
                        0.96,
                        0.96,
                        fill=False,
                        edgecolor=WARN,
                        lw=2.2,
                    )
                )
        elif day in missing:
            axes.plot(
                [week + 0.25, week + 0.75], [weekday + 0.25, weekday + 0.75], color=WARN, lw=1.3
            )
            axes.plot(
                [week + 0.25, week + 0.75], [weekday + 0.75, weekday + 0.25], color=WARN, lw=1.3
            )
        if day == date.max:
            break
        day += timedelta(days=1)
    axes.set_xlim(-0.3, 54)
    axes.set_ylim(7, 0)
    starts = [((date(year, m, 1) - date(year, 1, 1)).days + offset) / 7 for m in range(1, 13)]
    axes.set_xticks([start + 0.3 for start in starts], MONTH_NAMES, ha="left", va="baseline")
    axes.set_yticks([0.5, 2.5, 4.5, 6.5], [WEEKDAYS[n][:2].title() for n in (0, 2, 4, 6)])
    axes.tick_params(length=0, labelsize=9, labelcolor=FAINT)
    axes.tick_params(axis="x", pad=13)
    axes.set_ylabel(str(year), fontsize=12, color=INK, weight="bold")
    for side in axes.spines.values():
        side.set_visible(False)
    axes.set_facecolor("none")


def _edges(top: int) -> list[int]:
    """The most rows of each shade, with 0 before them."""
    return [-(-top * n // len(SCALE)) for n in range(len(SCALE) + 1)]


def _draw_key(figure: Any, top: int) -> None:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    edges = _edges(top)
    handles: list[Any] = [
        Patch(color=colour, label=f"{low + 1:,} to {high:,}" if low + 1 < high else f"{high:,}")
        for colour, low, high in (
            (shade, *pair) for shade, pair in zip(SCALE, pairwise(edges), strict=True)
        )
        if high > low
    ]
    handles.append(Line2D([], [], color=WARN, marker="x", lw=0, label="no rows"))
    handles.append(Patch(fill=False, edgecolor=WARN, lw=2, label="after the last whole day"))
    figure.legend(
        handles=handles,
        loc="lower left",
        bbox_to_anchor=(0.065, 0.015),
        ncol=8,
        frameon=False,
        fontsize=10,
        labelcolor=INK,
    )

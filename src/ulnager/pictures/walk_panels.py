"""A period walked through the data: small panels, one a step, or an animation."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from pathlib import Path
from typing import Any, Final, NamedTuple

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import SettingError
from ulnager.core.words import ENGLISH, Words
from ulnager.pictures.paper import (
    FAINT,
    INK,
    PERIOD,
    WARN,
    Sheet,
    cut,
    mark_units,
    plain,
    set_fonts,
    size_of,
)

MOST_PANELS: Final = 60
MOST_FRAMES: Final = 400
_NARROW: Final = 700
_NARROWEST: Final = 170
_FRAMES: Final = 3
"""So many a second."""


class Step(NamedTuple):
    """A step to draw: the day it is measured from, its dates, values by day, and remarks."""

    anchor: date
    label: str
    days: Sequence[int]
    values: Mapping[int, float]
    notes: Sequence[str] = ()
    total: str = ""


def draw_walk(
    steps: Sequence[Step],
    target: str | Path,
    *,
    title: str,
    text: str,
    calendar: Calendar,
    size: str | tuple[int, int] | None = None,
    words: Words = ENGLISH,
) -> None:
    """Draw steps as small panels into a PNG, SVG or PDF file, or into a GIF as an animation.

    All panels have one scale; a step that runs past the data, or is empty, says so.

    Raises SettingError for no steps or too many, SourceError when the file cannot be written.
    """
    is_moving = Path(target).suffix.lower() == ".gif"
    most = MOST_FRAMES if is_moving else MOST_PANELS
    if not 1 <= len(steps) <= most:
        raise SettingError(
            f"{len(steps):,} steps cannot be drawn; take 1 to {most}, with a longer --step or "
            "other ends (--first, --last)"
        )
    top = max((value for step in steps for value in step.values.values()), default=0) or 1
    if is_moving:
        _animate(steps, target, Sheet(title, text, size, words), calendar, top)
        return
    given = size_of(size)
    if given[0] < _NARROW and "x" not in str(size):
        # On a narrow sheet that may be as high as it needs to be.
        given = (given[0], 230 + -(-len(steps) // (given[0] // _NARROWEST)) * 112)
    sheet = Sheet(title, text, given, words)
    columns = _columns(len(steps), sheet)
    rows = -(-len(steps) // columns)
    width, height = (sheet.width - 36) / columns, (sheet.height - sheet.top - 16) / rows
    for place, step in enumerate(steps):
        row, column = divmod(place, columns)
        above = sheet.top + row * height
        axes = sheet.axes(
            18 + column * width + 6,
            sheet.height - above - height + 16,
            sheet.width - 18 - (column + 1) * width + 6,
            above + 44,
        )
        _draw_small(axes, step, top, width)
    sheet.write(target)


def _columns(count: int, sheet: Sheet) -> int:
    """So many columns that panels are about twice as wide as they are high."""
    best, found = float("inf"), 1
    for columns in range(1, min(count, max(1, sheet.width // _NARROWEST)) + 1):
        rows = -(-count // columns)
        width, height = sheet.width / columns, (sheet.height - sheet.top) / rows
        apart = abs(width / height - 2)
        if apart < best:
            best, found = apart, columns
    return found


def _bars(axes: Any, step: Step, top: float) -> None:
    values = [step.values.get(day, 0.0) for day in step.days]
    axes.bar(step.days, values, 0.9, color=PERIOD, zorder=3)
    missing = [day for day in step.days if day not in step.values]
    axes.plot(missing, [top * 0.02] * len(missing), "x", color=WARN, markersize=3, zorder=4)
    if step.days:
        axes.set_xlim(step.days[0] - 0.7, step.days[-1] + 0.7)
    axes.set_ylim(0, top * 1.05)


def _draw_small(axes: Any, step: Step, top: float, width: float) -> None:
    _bars(axes, step, top)
    axes.set_xticks([])
    axes.set_yticks([])
    letters = max(8, int(width / 6.9))
    axes.set_title(cut(step.label, letters), loc="left", fontsize=8.5, color=INK, pad=11)
    told = "; ".join(step.notes) or step.total
    axes.text(
        0,
        1.02,
        cut(told, max(8, int(width / 6.2))),
        fontsize=7.5,
        transform=axes.transAxes,
        color=WARN if step.notes else FAINT,
    )


def _animate(
    steps: Sequence[Step], target: str | Path, sheet: Sheet, calendar: Calendar, top: float
) -> None:
    from matplotlib.animation import FuncAnimation, PillowWriter

    from ulnager.sources.writing import whole_file

    axes = sheet.axes(80, 70, top=sheet.top + 40)

    def frame(place: int) -> list[Any]:
        step = steps[place]
        axes.clear()
        plain(axes, sheet.words)
        _bars(axes, step, top)
        if step.days:
            mark_units(axes, calendar, step.days[0], step.days[-1], sheet.width - 110, sheet.words)
        axes.set_title(step.label, loc="left", fontsize=12, color=INK, pad=20)
        axes.text(
            0,
            1.02,
            "; ".join(step.notes) or step.total,
            fontsize=9.5,
            transform=axes.transAxes,
            color=WARN if step.notes else FAINT,
        )
        set_fonts(sheet.figure, sheet.words)
        return []

    with whole_file(target) as path:
        FuncAnimation(sheet.figure, frame, frames=len(steps)).save(
            path, writer=PillowWriter(fps=_FRAMES)
        )

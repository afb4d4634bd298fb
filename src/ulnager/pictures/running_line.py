"""A running measure as a line over the daily values, marked where its window is not whole."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Final

from ulnager.core.errors import SettingError
from ulnager.numbers.running import Running, RunningRow
from ulnager.numbers.totals_rows import Totals
from ulnager.pictures.paper import (
    FAINT,
    INK,
    LIGHT,
    PERIOD,
    SCALE,
    WARN,
    Sheet,
    calendar_told,
    mark_units,
)

MOST_LINES = 6
_SHORT = "the window begins before the data"
_STYLES: Final[tuple[Any, ...]] = ("-", "--", ":", "-.", (0, (5, 1, 1, 1)), (0, (1, 2)))


def draw_running(
    found: Running,
    target: str | Path,
    *,
    title: str,
    daily: Totals | None = None,
    size: str | tuple[int, int] | None = None,
    nothing: str | None = None,
) -> None:
    """Draw a running measure into a PNG, SVG or PDF file, over the ``daily`` values in grey.

    Where the lead-in is short the line is thin and dashed; other days whose window is not whole
    have a ring. ``nothing`` says in place of the line why it has none.

    Raises SettingError for nothing to draw or too much, SourceError when it cannot be written.
    """
    lines: dict[Any, list[RunningRow]] = {}
    for row in found.rows:
        lines.setdefault(row.split, []).append(row)
    if not found.rows:
        raise SettingError(f"'{found.over.period}' has no days to draw")
    if len(lines) > MOST_LINES:
        raise SettingError(f"{len(lines)} lines cannot be drawn; at most {MOST_LINES}")
    words = found.over.words
    sheet = Sheet(title, _told(found), size, words)
    if nothing and not any(row.value for row in found.rows):
        sheet.instead(nothing)
        sheet.write(target)
        return
    values = [float(row.value) for row in found.rows if row.value is not None]
    days = [] if daily is None else [row for row in daily.rows if row.value is not None]
    # A total of many days and one of a single day have no scale in common.
    shown = max(map(abs, values), default=0) <= 4 * max(
        (abs(float(r.value)) for r in days), default=0
    )
    top = max([0.0, *values, *(float(row.value) for row in days if shown)])
    low = min([0.0, *values])
    axes = sheet.axes(30 + 7.5 * len(f"{top:,.0f}"), 92)
    first, last = found.rows[0].day.toordinal(), found.rows[-1].day.toordinal()
    mark_units(axes, found.over.calendar, first, last, sheet.width - 120, words)
    axes.grid(axis="y", color="#e6e2d8", linewidth=0.7)
    axes.set_axisbelow(True)
    if shown:
        axes.bar(
            [row.bucket.start.toordinal() for row in days],
            [float(row.value) for row in days],
            0.8,
            color="#d5d8dc",
            zorder=1,
        )
    for place, rows in enumerate(lines.values()):
        colour = PERIOD if len(lines) == 1 else [PERIOD, WARN, SCALE[4], FAINT, INK, LIGHT][place]
        _draw(axes, rows, colour, _STYLES[place])
    axes.set_ylim(low * 1.08, top * 1.12 or 1)
    sheet.key(_key(found, lines, is_daily=shown, say=words.say))
    sheet.write(target)


def _told(found: Running) -> str:
    first, words = found.rows[0], found.over.words
    key = "each day over its own dates ({0}: {1}), shown over {2}"
    parts = [
        words.say(key, words.day(first.day), words.span(first.window), found.over.label),
        calendar_told(found.over.calendar, words),
    ]
    short = [row for row in found.rows if _SHORT in row.reasons]
    if short:
        count = len({row.day for row in short})
        parts.append(words.say("the first {0} days begin before the data", count))
    return "; ".join(parts)


def _draw(axes: Any, rows: list[RunningRow], colour: str, style: Any) -> None:
    x = [row.day.toordinal() for row in rows]
    nan = float("nan")
    y = [nan if row.value is None else float(row.value) for row in rows]
    is_short = [_SHORT in row.reasons for row in rows]
    whole = [nan if short else value for short, value in zip(is_short, y, strict=True)]
    axes.plot(x, whole, color=colour, linewidth=2.2, linestyle=style, zorder=4)
    if any(is_short):
        part = [
            value if short or (place and is_short[place - 1]) else nan
            for place, (short, value) in enumerate(zip(is_short, y, strict=True))
        ]
        axes.plot(x, part, color=colour, linewidth=1.2, linestyle=(0, (2, 2)), zorder=4)
    odd = [
        (one, value)
        for one, value, row, short in zip(x, y, rows, is_short, strict=True)
        if row.reasons and not short and value == value
    ]
    if odd:
        axes.plot(
            [one for one, _ in odd],
            [value for _, value in odd],
            "o",
            zorder=5,
            markerfacecolor="white",
            markeredgecolor=WARN,
            markersize=5,
        )


def _key(
    found: Running, lines: dict[Any, Any], *, is_daily: bool, say: Callable[..., str]
) -> list[Any]:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    colours = [PERIOD, WARN, SCALE[4], FAINT, INK, LIGHT]
    handles: list[Any] = [
        Line2D(
            [],
            [],
            color=PERIOD if len(lines) == 1 else colours[place],
            lw=2.2,
            linestyle=_STYLES[place],
            label=str(found.period) if name is None else str(name),
        )
        for place, name in enumerate(lines)
    ]
    if is_daily:
        handles.append(Patch(color="#d5d8dc", label=say("the day itself")))
    if any(_SHORT in row.reasons for row in found.rows):
        handles.append(
            Line2D([], [], color=PERIOD, lw=1.2, linestyle=(0, (2, 2)), label=say("short lead-in"))
        )
    if any(row.reasons and _SHORT not in row.reasons for row in found.rows):
        handles.append(
            Line2D(
                [],
                [],
                color="none",
                marker="o",
                markerfacecolor="white",
                markeredgecolor=WARN,
                label=say("window not whole"),
            )
        )
    return handles

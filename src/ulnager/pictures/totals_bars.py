"""Totals as bars: units that are not whole are drawn so, and what is compared stands beside."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, Final

from ulnager.core.errors import SettingError
from ulnager.core.messages import code_of
from ulnager.core.periods.buckets import MISSING
from ulnager.core.periods.resolution import Resolution
from ulnager.core.text import number_text
from ulnager.numbers.totals_rows import TotalRow, Totals
from ulnager.pictures.paper import (
    FAINT,
    INK,
    LIGHT,
    PERIOD,
    WARN,
    Sheet,
    bucket_labels,
    calendar_told,
)

MOST_BARS: Final = 400
MOST_PANELS: Final = 8
_MOST_VALUES: Final = 16


def draw_totals(
    found: Totals, target: str | Path, *, title: str, size: str | tuple[int, int] | None = None
) -> None:
    """Draw totals into a PNG, SVG or PDF file; with a split a panel for each series.

    A unit that is unfinished is hatched, one with days missing has a cross at its foot; the value
    beside is a lighter, thinner bar.

    Raises SettingError for nothing to draw or too much, SourceError when it cannot be written.
    """
    panels: dict[Any, list[TotalRow]] = {}
    for row in found.rows:
        panels.setdefault((row.split, row.other), []).append(row)
    if not panels:
        raise SettingError(f"'{found.resolution.period}' has no units to draw")
    bars = len(next(iter(panels.values())))
    if bars > MOST_BARS:
        raise SettingError(f"{bars:,} bars cannot be drawn; group by a coarser unit")
    if len(panels) > MOST_PANELS:
        raise SettingError(
            f"{len(panels)} series cannot be drawn; take the largest: --top {MOST_PANELS - 1}"
        )
    result: Resolution = found.resolution
    sheet = Sheet(title, _told(found, result), size, result.words)
    bottom = 84 if sheet.is_narrow else 92
    room = (sheet.height - sheet.top - bottom) / len(panels)
    height = max((_highest(rows) for rows in panels.values()), default=0)
    low = min((_lowest(rows) for rows in panels.values()), default=0)
    for place, ((name, is_other), rows) in enumerate(panels.items()):
        top = sheet.top + place * room
        heading = 22 if len(panels) > 1 else 4
        axes = sheet.axes(_margin(height), sheet.height - top - room + 8, top=top + heading)
        _draw(
            axes,
            rows,
            sheet,
            is_last=place == len(panels) - 1,
            result=result,
            label_values=len(panels) == 1,
        )
        pad = (height - low) * 0.1 or 1
        axes.set_ylim(low - (pad if low < 0 else 0), height + pad)
        if len(panels) > 1:
            told = result.words.say("other") if is_other else str(name)
            axes.set_title(told, loc="left", fontsize=10.5, color=INK)
    sheet.key(_key(found, result.words.say))
    sheet.write(target)


def _margin(height: float) -> float:
    return 30 + 7.5 * len(f"{height:,.0f}")


def _told(found: Totals, result: Resolution) -> str:
    calendar = calendar_told(result.calendar, result.words)
    parts = [f"{result.period}: {result.label}; {calendar}"]
    left = [row.bucket for row in found.rows if not row.bucket.is_whole]
    say = result.words.say
    unfinished = list(
        dict.fromkeys((bucket.label, tuple(map(say, bucket.reasons))) for bucket in left)
    )
    parts += [f"{label}: {', '.join(reasons)}" for label, reasons in unfinished[:2]]
    if len(unfinished) > 2:
        parts.append(say("{0} more are not whole", len(unfinished) - 2))
    return "; ".join(parts)


def _values(rows: list[TotalRow]) -> list[float]:
    return [float(one) for row in rows for one in (row.value, row.beside) if one is not None]


def _highest(rows: list[TotalRow]) -> float:
    return max([0.0, *_values(rows)])


def _lowest(rows: list[TotalRow]) -> float:
    return min([0.0, *_values(rows)])


def _draw(
    axes: Any,
    rows: list[TotalRow],
    sheet: Sheet,
    *,
    is_last: bool,
    result: Resolution,
    label_values: bool,
) -> None:
    has_beside = any(row.beside_bucket is not None for row in rows)
    width, shift = (0.5, 0.16) if has_beside else (0.72, 0.0)
    for place, row in enumerate(rows):
        if row.beside is not None:
            axes.bar(place - 0.3, float(row.beside), 0.26, color=LIGHT, zorder=2)
        if row.value is None:
            axes.text(place + shift, 0, "–", ha="center", va="bottom", color=FAINT)
            continue
        is_whole = not is_unfinished(row)
        axes.bar(
            place + shift,
            float(row.value),
            width,
            zorder=3,
            linewidth=1.2,
            color=PERIOD if is_whole else "white",
            edgecolor=PERIOD,
            hatch=None if is_whole else "////",
        )
        if has_gaps(row):
            axes.annotate(
                "×",
                (place + shift, 0),
                (0, 4),
                textcoords="offset points",
                ha="center",
                color="white" if is_whole else WARN,
                fontsize=11,
                weight="bold",
                zorder=5,
            )
    room = sheet.width - 120
    if label_values and len(rows) <= _MOST_VALUES and room / len(rows) > 54:
        for place, row in enumerate(rows):
            if row.value is not None:
                text = number_text(row.value)
                if row.relative is not None:
                    text += f"\n{row.relative:+.1%}"
                text = result.words.digits(text)
                axes.annotate(
                    text,
                    (place + shift, float(row.value)),
                    (0, 3),
                    ha="center",
                    textcoords="offset points",
                    fontsize=9,
                    color=INK,
                )
    names = bucket_labels([row.bucket for row in rows], result.calendar, room) if is_last else []
    ticks = [(place, name) for place, name in enumerate(names) if name]
    axes.set_xticks([place for place, _ in ticks], [name for _, name in ticks])
    axes.set_xlim(-0.7, len(rows) - 0.3)
    if all(isinstance(row.value, int | None) for row in rows):
        axes.yaxis.get_major_locator().set_params(integer=True)
    axes.grid(axis="y", color="#e6e2d8", linewidth=0.7, zorder=0)
    axes.set_axisbelow(True)
    axes.axhline(0, color=FAINT, linewidth=0.8, zorder=4)


def is_unfinished(row: TotalRow) -> bool:
    """Whether a unit is not whole for more than days that are missing."""
    return any(code_of(reason) != MISSING for reason in row.bucket.reasons)


_CUT: Final = ("starts late", "ends early", "days are cut out")


def hatched_as(rows: Iterable[TotalRow]) -> str:
    """What the key calls units that are not whole: the period cuts some at its ends, and others are
    still running or lack data."""
    reasons = [{str(one) for one in row.bucket.reasons if code_of(one) != MISSING} for row in rows]
    some = [one for one in reasons if one]
    is_cut = [one <= set(_CUT) for one in some]
    if all(is_cut):
        return "cut by the period" if some else ""
    return "cut or unfinished" if any(is_cut) else "unfinished"


def has_gaps(row: TotalRow) -> bool:
    """Whether days are missing from a unit."""
    return any(code_of(reason) == MISSING for reason in row.bucket.reasons)


def _key(found: Totals, say: Callable[..., str]) -> list[Any]:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    handles: list[Any] = [Patch(color=PERIOD, label=say("finished units"))]
    if hatched := hatched_as(found.rows):
        handles.append(Patch(facecolor="white", edgecolor=PERIOD, hatch="////", label=say(hatched)))
    if any(has_gaps(row) for row in found.rows):
        handles.append(
            Line2D(
                [], [], color="none", marker="x", markeredgecolor=WARN, label=say("days missing")
            )
        )
    if any(row.beside_bucket is not None for row in found.rows):
        handles.append(Patch(color=LIGHT, label=say("beside: the units compared")))
    if found.notes:
        handles.append(Patch(color=WARN, label=say("{0} without a partner", len(found.notes))))
    return handles

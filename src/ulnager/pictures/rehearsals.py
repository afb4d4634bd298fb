"""A rehearsal: start, end and length of a period against the day it is measured from."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Final

import numpy as np

from ulnager.checking.rehearsing import Rehearsal
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import SettingError
from ulnager.core.words import ENGLISH
from ulnager.pictures.paper import FAINT, INK, LIGHT, PERIOD, SCALE, WARN, Sheet, mark_units

_MOST: Final = 800
"""So many days are drawn; of a longer rehearsal, the first ones."""
_LINES: Final[tuple[Any, ...]] = ("--", ":", "-.")


_ROOM: Final = 44
"""So wide is the name of a day, in pixels."""


def draw_rehearsal(
    found: Rehearsal, target: str | Path, *, size: str | tuple[int, int] | None = None
) -> None:
    """Draw a rehearsal into a PNG, SVG or PDF file: above how far its first and its last date lie
    from the anchor day, below how long it is beside its other readings; odd days are marked.

    Raises SettingError where it is open, SourceError when it cannot be written.
    """
    windows = found.windows
    if found.shortest is None:
        raise SettingError(f"'{found.period}' has no length to draw: it is open, or always empty")
    count = min(_MOST, len(windows.days))
    days, lengths = windows.days[:count], windows.lengths[:count]
    there = lengths > 0
    sheet = Sheet(f"{found.period}, day by day", _told(found, count), size)
    first, last = int(days[0]), int(days[-1])
    marks = _marks(found, first, last)
    others = [] if found.runs else _others(found, count)
    key = _key(others, marks, is_used=bool(found.runs))
    bottom = 58 + 19 * -(-len(key) // (2 if sheet.is_narrow else 6))
    room = sheet.height - sheet.top - bottom - 16
    left = 40 if sheet.is_narrow else 72
    upper = sheet.axes(left, bottom + room * 0.5 + 12, top=sheet.top + 16)
    lower = sheet.axes(left, bottom, top=sheet.top + 16 + room * 0.5 + 42)
    _prepared(upper, first, last, sheet.width - 120, "days from the anchor day")
    starts = np.where(there, windows.starts[:count] - days, np.nan)
    ends = np.where(there, windows.stops[:count] - 1 - days, np.nan)
    upper.fill_between(days, starts, ends, color=SCALE[0], linewidth=0, step="mid")
    upper.plot(days, starts, color=PERIOD, linewidth=1.8, drawstyle="steps-mid")
    upper.plot(days, ends, color=INK, linewidth=1.8, linestyle="--", drawstyle="steps-mid")
    for label, (sign, colour, odd) in marks.items():
        if len(odd):
            y = starts[odd - first] if label != "empty" else np.full(len(odd), np.nanmin(starts))
            upper.plot(odd, y, sign, color=colour, markersize=5, markerfacecolor="white")
            _name_days(upper, odd, y, (last - first) / max(1, sheet.width - 120))
    if found.runs:
        _draw_coverage(lower, found, count, sheet.width - 120)
    else:
        _prepared(lower, first, last, sheet.width - 120, "days long")
        _draw_lengths(lower, days, np.where(lengths >= 0, lengths, np.nan).astype(float), others)
    sheet.key(key)
    sheet.write(target)


def _name_days(axes: Any, days: Any, y: Any, days_a_pixel: float) -> None:
    """The days of marks, beside them, as far as there is room."""
    taken = -np.inf
    for number, at in zip(days.tolist(), np.asarray(y).tolist(), strict=True):
        if number - taken < _ROOM * days_a_pixel or not np.isfinite(at):
            continue
        taken = number
        day = date_of(number)
        axes.annotate(
            f"{day.day} {day:%b}",
            (number, at),
            (0, 5),
            textcoords="offset points",
            ha="center",
            fontsize=8,
            color=WARN,
        )


def _prepared(axes: Any, first: int, last: int, room: int, label: str) -> None:
    from matplotlib.ticker import MaxNLocator

    mark_units(axes, GREGORIAN, first, last, room, ENGLISH)
    axes.grid(axis="y", color="#e6e2d8", linewidth=0.7)
    axes.set_axisbelow(True)
    axes.yaxis.set_major_locator(MaxNLocator(5, integer=True))
    axes.set_title(label, loc="left", fontsize=9, color=INK, pad=4)


def _draw_lengths(axes: Any, days: Any, sized: Any, others: list[tuple[str, Any]]) -> None:
    for place, (_, other) in enumerate(others):
        axes.plot(
            days,
            other,
            color=FAINT,
            linewidth=1.3,
            linestyle=_LINES[place % 3],
            drawstyle="steps-mid",
        )
    axes.plot(days, sized, color=PERIOD, linewidth=2.2, drawstyle="steps-mid")
    low = float(min(np.nanmin(sized), *(np.nanmin(one) for _, one in others), np.inf))
    high = float(max(np.nanmax(sized), *(np.nanmax(one) for _, one in others), 0))
    edge = max(1.0, (high - low) * 0.18)
    axes.set_ylim(max(0.0, low - edge), high + edge)


def _draw_coverage(axes: Any, found: Rehearsal, count: int, room: int) -> None:
    """How many uses cover each date; those without one, and with more, are marked."""
    assert found.covered is not None
    counts, days = found.covered.counts[:count], found.covered.days[:count]
    _prepared(axes, int(days[0]), int(days[-1]), room, "times a date is covered")
    axes.fill_between(days, 0, counts, color=SCALE[1], linewidth=0, step="mid")
    axes.plot(days, counts, color=PERIOD, linewidth=1.2, drawstyle="steps-mid")
    for which, sign in ((counts == 0, "x"), (counts > 1, "s")):
        if which.any() and which.sum() < len(counts) / 2:
            axes.plot(
                days[which], counts[which], sign, color=WARN, markersize=5, markerfacecolor="white"
            )
    axes.set_ylim(-0.15, float(counts.max()) * 1.2 + 0.15)


def _told(found: Rehearsal, count: int) -> str:
    parts = [f"as of each day from {found.first} to {found.last}"]
    if count < len(found.windows.days):
        parts.append(f"the first {count} of {len(found.windows.days):,} days drawn")
    days = f"{found.longest:,} day{'s' * (found.longest != 1)} long"
    is_same = found.shortest == found.longest
    parts.append(f"always {days}" if is_same else f"{found.shortest:,} to {days}")
    parts += [f"'{one.phrase}' parts by up to {one.max_days} days" for one in found.readings[:3]]
    if found.runs:
        never, twice = (
            sum((b - a).days + 1 for a, b in one) for one in (found.never, found.more_than_once)
        )
        parts.append(f"used {found.runs:,} times: {never:,} dates never, {twice:,} more than once")
    return "; ".join(parts)


def _others(found: Rehearsal, count: int) -> list[tuple[str, Any]]:
    kept = []
    for one in found.readings[:3]:
        lengths = one.lengths[:count]
        if (lengths > 0).any():
            kept.append((one.phrase, np.where(lengths > 0, lengths, np.nan).astype(float)))
    return kept


def _marks(found: Rehearsal, first: int, last: int) -> dict[str, tuple[str, str, Any]]:
    def days_of(ranges: Any) -> Any:
        all_days = [day for a, b in ranges for day in range(a.toordinal(), b.toordinal() + 1)]
        return np.array([day for day in all_days if first <= day <= last], dtype=np.int64)

    still = days_of(found.still_on)
    # Where standing still is the rule, the days on which it moves are the odd ones.
    is_rule = len(still) > (last - first) / 2
    return {
        "jumps": ("^", WARN, days_of(found.jumps_on)),
        "does not move": ("o", WARN, np.array([], dtype=np.int64) if is_rule else still),
        "empty": ("x", WARN, days_of(found.empty_on)),
    }


def _key(
    others: list[tuple[str, Any]], marks: dict[str, tuple[str, str, Any]], *, is_used: bool
) -> list[Any]:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    handles: list[Any] = [
        Line2D(
            [],
            [],
            color=PERIOD,
            lw=2.2,
            label="first date; below, " + ("how often" if is_used else "how long"),
        ),
        Line2D([], [], color=INK, lw=1.8, linestyle="--", label="last date"),
        Patch(color=LIGHT, alpha=0.4, label="the period"),
    ]
    handles += [
        Line2D([], [], color=FAINT, lw=1.3, linestyle=_LINES[place % 3], label=phrase)
        for place, (phrase, _) in enumerate(others)
    ]
    handles += [
        Line2D(
            [],
            [],
            color="none",
            marker=sign,
            markerfacecolor="white",
            markeredgecolor=colour,
            label=label,
        )
        for label, (sign, colour, odd) in marks.items()
        if len(odd)
    ]
    if is_used:
        handles += [
            Line2D(
                [],
                [],
                color="none",
                marker=sign,
                markerfacecolor="white",
                markeredgecolor=WARN,
                label=label,
            )
            for sign, label in (("x", "never"), ("s", "more than once"))
        ]
    return handles

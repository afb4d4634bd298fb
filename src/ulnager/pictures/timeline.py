"""Periods on a timeline: their spans, the units, the anchor, and what the data holds."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from itertools import pairwise
from pathlib import Path
from textwrap import wrap
from typing import Any, Final

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.language.phrase import period
from ulnager.core.messages import Message
from ulnager.core.periods.anchors import Anchor, Extent
from ulnager.core.periods.resolution import Resolution
from ulnager.core.units import Unit
from ulnager.core.words import Words
from ulnager.pictures.paper import (
    BAND,
    FAINT,
    INK,
    LIGHT,
    PERIOD,
    SIZE,
    WARN,
    calendar_told,
    letters_of,
    new_figure,
    wrapped,
    write_figure,
)

MOST_PERIODS = 24
_MOST_LABELS = 26
_SIGN = 0.0072
"""How wide a sign of a label is, as a part of the width of the timeline."""


_MARGIN: Final = 24
"""In pixels, around all that is drawn."""
_LETTER: Final = 8.6


def draw_timeline(
    results: Sequence[Resolution],
    target: str | Path,
    *,
    unit: str | Unit = "month",
    data: Extent | None = None,
    labels: Sequence[str] | None = None,
) -> None:
    """Draw resolutions under each other into a PNG, SVG or PDF file of 1280x800.

    Bands mark the units, a line the anchor, hatching the part of the anchor's unit that is
    still to come; with ``data`` a bar below shows its dates. An open side ends in an arrow.
    ``labels`` name the rows; without them the phrases do.

    Raises SettingError for no periods or too many, ResolveError for periods of hours,
    SourceError when the file cannot be written.
    """
    if not 1 <= len(results) <= MOST_PERIODS:
        raise SettingError(f"{len(results)} periods cannot be drawn; give 1 to {MOST_PERIODS}")
    if any(
        result.spans and not result.days and result.end is None and not _is_open(result)
        for result in results
    ):
        raise ResolveError("periods of hours cannot be drawn on a timeline of days")
    first, last = _range(results, data)
    figure = new_figure()
    names = [_folded(str(text)) for text in labels or [result.period for result in results]]
    words = results[0].words
    names += [words.say("data")] if data is not None else []
    # As much room at the left as the names need, and no more.
    wide = max(letters_of(line) for name in names for line in name.split("\n"))
    left = (_MARGIN + 20 + _LETTER * wide) / SIZE[0]
    axes = figure.add_axes((left, 0.09, 1 - left - _MARGIN / SIZE[0], 0.77))
    axes.set_facecolor("white")
    rows = len(results) + (data is not None)
    axes.set_xlim(_place(first), _place(last))
    axes.set_ylim(rows - 0.4, -0.6)
    anchor = results[0].anchor
    calendar = results[0].calendar
    known = results[0].unit_named(unit)
    _draw_units(axes, calendar, known, first, last, words)
    if first <= anchor.day <= last:
        _draw_open_unit(axes, calendar, known, anchor.day, anchor.running)
    anchor_place = _place(anchor.day) + (0.5 if anchor.running else 1)
    is_seen = _place(first) <= anchor_place <= _place(last)
    for row, result in enumerate(results):
        _draw_period(axes, row, result, first, last, anchor_place)
    if data is not None:
        _draw_data(axes, rows - 1, data, first, last, words)
    if is_seen:
        axes.axvline(anchor_place, color=WARN, linewidth=2, zorder=5)
    title = words.say("Periods on a timeline")
    figure.text(_MARGIN / SIZE[0], 0.93, title, fontsize=17, color=INK, weight="bold")
    told = f"{calendar_told(calendar, words)}; {_anchor_told(anchor, known, words, is_seen)}"
    figure.text(
        _MARGIN / SIZE[0], 0.918, "\n".join(wrapped(told, 140)), fontsize=11, color=FAINT, va="top"
    )
    axes.set_yticks(range(rows), names)
    axes.tick_params(axis="y", length=0, labelsize=11, labelcolor=INK)
    for side in ("left", "right", "top"):
        axes.spines[side].set_visible(False)
    axes.spines["bottom"].set_color(FAINT)
    write_figure(figure, target, words)


def _anchor_told(anchor: Anchor, unit: Unit, words: Words, is_seen: bool) -> str:
    """What the line and the hatching are."""
    day = words.day(anchor.day)
    if not is_seen:
        return words.say("the anchor, {0}, has no say in these dates and is not shown", day)
    source = Message("anchor" if anchor.source == str(anchor.day) else anchor.source)
    state = "running" if anchor.running else "over"
    return "; ".join(
        (
            words.say(f"the line is {{0}}, {{1}}, whose day is {state}", source, day),
            words.say("hatched is what is left of its {0}", Message(unit.name)),
        )
    )


def _is_open(result: Resolution) -> bool:
    return any(start is None or stop is None for start, stop in result.spans)


def _folded(text: str, width: int = 30) -> str:
    return "\n".join(wrap(text, width)[:3])


def _place(day: date) -> float:
    return float(day.toordinal())


def _range(results: Sequence[Resolution], data: Extent | None) -> tuple[date, date]:
    """The dates that are shown: those of the periods and the anchor, with some room."""
    days = [result.anchor.day for result in results if result.is_measured]
    for result in results:
        for span in result.spans:
            days += [edge for edge in (span.start, span.stop) if edge is not None]
    days = days or [result.anchor.day for result in results]
    first, last = min(days), max(days)
    room = timedelta(days=max(4, (last - first).days // 14))
    low = max(first.toordinal() - room.days, 1)
    high = min(last.toordinal() + room.days, date.max.toordinal())
    return date.fromordinal(low), date.fromordinal(high)


def _draw_units(
    axes: Any, calendar: Calendar, unit: Unit, first: date, last: date, words: Any
) -> None:
    """Every other unit as a band, and their short labels at the bottom."""
    start = calendar._unit_start(first.toordinal(), unit)
    number = calendar._unit_number(start, unit)
    ticks: list[float] = []
    names: list[str] = []
    edges = [start]
    while edges[-1] < last.toordinal() and len(edges) < 3_000:
        edges.append(calendar._unit_stop(edges[-1], unit))
    for begin, stop in pairwise(edges):
        if number % 2:
            axes.axvspan(begin, stop, color=BAND, zorder=0, linewidth=0)
        number += 1
        if not names and len(edges) > 4 and stop - first.toordinal() < 0.6 * (stop - begin):
            continue  # Too little of it is seen for its name.
        middle = (max(begin, first.toordinal()) + min(stop, last.toordinal())) / 2
        ticks.append(middle)
        name = _unit_label(calendar, unit, date.fromordinal(begin), first=not names)
        short, _, year = name.partition("\n")
        short = words.unit(short)
        names.append(f"{short}\n{year}" if year else short)
    step = -(-len(ticks) // _MOST_LABELS)
    axes.set_xticks(ticks[::step], names[::step])
    axes.tick_params(axis="x", length=0, labelsize=10, labelcolor=INK)


def _unit_label(calendar: Calendar, unit: Unit, start: date, first: bool) -> str:
    short = calendar.label(start, unit, short=True)
    year = calendar.label(calendar.floor(start, Unit.YEAR), Unit.YEAR)
    opens_year = calendar.floor(start, Unit.YEAR) == start
    following = calendar._unit_stop(start.toordinal(), unit)
    # Two years' names beside each other would meet.
    first = first and following != calendar._unit_stop(start.toordinal(), Unit.YEAR)
    return f"{short}\n{year}" if (first or opens_year) and year not in short else short


def _draw_open_unit(axes: Any, calendar: Calendar, unit: Unit, day: date, running: bool) -> None:
    """What is left of the unit around the anchor."""
    stop = calendar._unit_stop(day.toordinal(), unit)
    begin = day.toordinal() + (not running)
    if begin < stop:
        axes.axvspan(
            begin,
            stop,
            facecolor="none",
            edgecolor=FAINT,
            hatch="///",
            linewidth=0,
            alpha=0.45,
            zorder=1,
        )


# Words stand on a ground of their own, so that the anchor's line does not strike them through.
_GROUND: Final = {"facecolor": "white", "edgecolor": "none", "alpha": 0.85, "pad": 1.5}


def _clear_of(line: float, left: float, text: str, first: date, last: date) -> tuple[float, str]:
    """Where words that would begin at ``left`` begin or end, so that the line misses them."""
    width = letters_of(text) * _SIGN * (_place(last) - _place(first))
    room = 0.006 * (_place(last) - _place(first))
    # Near the right edge there is no room for the words behind the start.
    if left + width > _place(last):
        left = _place(last) - width
    if not left - room <= line <= left + width + room:
        return left, "left"
    if line - room - width >= _place(first):
        return line - room, "right"
    return line + room, "left"


def _draw_period(
    axes: Any, row: int, result: Resolution, first: date, last: date, line: float
) -> None:
    if result.is_empty:
        told = f"  {result.words.say('empty')}"
        axes.text(_place(result.anchor.day), row, told, color=WARN, va="center", fontsize=11)
    for span in result.spans:
        start, stop = _place(span.start or first), _place(span.stop or last)
        axes.barh(row, stop - start, left=start, height=0.56, color=PERIOD, zorder=3)
        for is_open, edge, sign in ((span.start is None, start, -1), (span.stop is None, stop, 1)):
            if is_open:
                axes.plot(
                    edge - sign * 0.01 * (_place(last) - _place(first)),
                    row,
                    zorder=4,
                    marker="<" if sign < 0 else ">",
                    color="white",
                    markersize=9,
                )
    if result.spans:
        words, count = result.words, len(result.spans)
        text = result.label if count == 1 else words.say("{0} spans", count)
        if result.days is not None:
            text += f", {words.counted(result.days, 'day')}"
        left = max(_place(result.spans[0].start or first), _place(first))
        place, side = _clear_of(line, left, text, first, last)
        axes.text(
            place,
            row - 0.33,
            text,
            va="bottom",
            ha=side,
            fontsize=9.5,
            color=INK,
            zorder=6,
            bbox=_GROUND,
        )


def _draw_data(axes: Any, row: int, data: Extent, first: date, last: date, words: Words) -> None:
    low, high = max(_place(data.first), _place(first)), min(_place(data.last) + 1, _place(last))
    axes.barh(row, high - low, left=low, height=0.3, color=LIGHT, edgecolor=INK, zorder=3)
    for start, stop in data.missing:
        if start is not None and stop is not None:
            axes.barh(row, stop - start, left=start, height=0.3, color="white", zorder=4)
    dates = period(f"from {data.first} to {data.last}").resolve(locale=words)
    text = dates.label
    if data.last_whole is not None and data.last_whole < data.last:
        whole = _place(data.last_whole) + 1
        axes.barh(row, high - whole, left=whole, height=0.3, color=WARN, edgecolor=INK, zorder=4)
        text += ", " + words.say("whole to {0}", words.day(data.last_whole))
    axes.text(
        low,
        row - 0.2,
        text,
        va="bottom",
        fontsize=9.5,
        color=INK,
        zorder=6,
        clip_on=True,
        bbox=_GROUND,
    )

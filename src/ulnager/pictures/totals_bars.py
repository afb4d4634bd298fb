"""Totals as bars: units that are not whole are drawn so, and what is compared stands beside."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Final

from ulnager.core.errors import SettingError
from ulnager.core.periods.resolution import Resolution
from ulnager.core.text import number_text
from ulnager.numbers.chart_model import (
    BARS,
    CUT,
    KEY,
    LINE,
    NUMBER,
    RANKED,
    UNFINISHED,
    WHOLE,
    ChartModel,
    Mark,
    Series,
    chart_of,
)
from ulnager.numbers.totals_rows import TotalRow, Totals
from ulnager.pictures.paper import (
    DASHES,
    FAINT,
    INK,
    LIGHT,
    PERIOD,
    SERIES,
    WARN,
    Sheet,
    bucket_labels,
    calendar_told,
    cut,
    letters_of,
    size_of,
)

MOST_BARS: Final = 400
MOST_PANELS: Final = 8
MOST_RANKS: Final = 20
_MOST_VALUES: Final = 16


def draw_totals(
    found: Totals,
    target: str | Path,
    *,
    title: str,
    size: str | tuple[int, int] | None = None,
    nothing: str | None = None,
) -> None:
    """Draw totals into a PNG, SVG or PDF file: bars, a line of many, lines of up to seven series in
    one chart, a panel each of more; of a split without a unit a bar for each value.

    A unit that is unfinished is hatched, one that the period cuts is lined across, one with days
    missing has a cross at its foot; the value beside is lighter. ``nothing`` says why there is
    nothing, in place of axes, where there is not.

    Raises SettingError for nothing to draw or too much, SourceError when it cannot be written.
    """
    if not found.rows:
        raise SettingError(f"'{found.resolution.period}' has no units to draw")
    result: Resolution = found.resolution
    model = chart_of(found)
    if model.form == NUMBER:
        model = model._replace(form=BARS)
    bars = max(len(one.marks) for one in model.series)
    if bars > MOST_BARS:
        raise SettingError(f"{bars:,} bars cannot be drawn; group by a coarser unit")
    panels = 1 if model.is_together or model.form == RANKED else len(model.series)
    if panels > MOST_PANELS or (model.form == RANKED and len(model.series) > MOST_RANKS):
        raise SettingError(
            f"{len(model.series)} series cannot be drawn; take the largest: --top {MOST_PANELS - 1}"
        )
    if size is None and model.form == RANKED:
        width, height = size_of(None)
        size = width, min(height, 240 + 100 * len(model.series))  # As high as its bars need.
    sheet = Sheet(title, _told(found, result), size, result.words)
    if nothing and not model.has_beside and not any(mark.value for mark in model.marks):
        sheet.instead(nothing)
        sheet.write(target)
        return
    if model.form == RANKED:
        _ranked(model, sheet, result)
    else:
        _panels(model, sheet, result)
    sheet.key(_key(model, found, result.words.say))
    sheet.write(target)


def _panels(model: ChartModel, sheet: Sheet, result: Resolution) -> None:
    """A panel for each series, all on one scale; lines that share one stand in one."""
    parts = [model.series] if model.is_together else [(one,) for one in model.series]
    bottom = 84 if sheet.is_narrow else 92
    room = (sheet.height - sheet.top - bottom) / len(parts)
    for place, part in enumerate(parts):
        top = sheet.top + place * room
        heading = 22 if len(parts) > 1 else 4
        axes = sheet.axes(_margin(model.high), sheet.height - top - room + 8, top=top + heading)
        is_last = place == len(parts) - 1
        if model.form == LINE:
            for number, one in enumerate(part):
                _line(axes, one.marks, number)
        else:
            _bars(axes, part[0].marks, sheet, result, label_values=len(parts) == 1)
        _ends(axes, part[0].marks, sheet, result, is_last=is_last)
        pad = (model.high - model.low) * 0.1 or 1
        axes.set_ylim(model.low - (pad if model.low < 0 else 0), model.high + pad)
        if len(parts) > 1:
            axes.set_title(_title(part[0], result), loc="left", fontsize=10.5, color=INK)


def _title(one: Series, result: Resolution) -> str:
    title = result.words.say("other") if one.is_other else one.title
    return f"{one.group} › {title}" if one.group else title


def _ranked(model: ChartModel, sheet: Sheet, result: Resolution) -> None:
    """A bar for each value of a split, the largest at the top, with its number and its share."""
    names = [cut(_title(one, result), 34) for one in model.series]
    room = min(sheet.height - sheet.top - 92, 40 + 100 * len(names))
    left = 40 + 7.6 * max(map(letters_of, names))
    axes = sheet.axes(left, sheet.height - sheet.top - room, right=150)
    for place, one in enumerate(model.series):
        mark = one.marks[0]
        row = mark.row
        assert isinstance(row, TotalRow)
        if mark.beside is not None:
            axes.barh(place + 0.27, mark.beside, 0.2, color=LIGHT, zorder=2)
        if mark.value is None:
            continue
        axes.barh(place, mark.value, 0.62 if mark.beside is None else 0.34, **_fill(mark))
        told = number_text(row.value) + ("" if row.share is None else f"  {row.share:.1%}")
        told += "" if row.relative is None else f"  {row.relative:+.1%}"
        at = (max(mark.value, 0), place)
        axes.annotate(
            *(result.words.digits(told), at, (5, 0)),
            **{"va": "center", "textcoords": "offset points", "fontsize": 9.5, "color": INK},
        )
    axes.xaxis.set_major_formatter(axes.yaxis.get_major_formatter().func)
    axes.set_yticks(range(len(names)), names)
    axes.set_ylim(len(names) - 0.4, -0.6)
    axes.set_xlim(min(model.low * 1.1, 0), model.high * 1.02 or 1)
    axes.grid(axis="x", color="#e6e2d8", linewidth=0.7, zorder=0)
    axes.set_axisbelow(True)


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


def _fill(mark: Mark) -> dict[str, Any]:
    """How a bar is filled: hatched where it is unfinished, with lines across where it is cut."""
    hatch = {CUT: "---", UNFINISHED: "////"}.get(mark.state)
    colour = PERIOD if hatch is None else "white"
    return {"color": colour, "edgecolor": PERIOD, "hatch": hatch, "linewidth": 1.2, "zorder": 3}


def _bars(
    axes: Any, marks: Sequence[Mark], sheet: Sheet, result: Resolution, *, label_values: bool
) -> None:
    has_beside = any(mark.beside is not None for mark in marks)
    width, shift = (0.5, 0.16) if has_beside else (0.72, 0.0)
    room = sheet.width - 120
    is_told = label_values and len(marks) <= _MOST_VALUES and room / len(marks) > 54
    for place, mark in enumerate(marks):
        row = mark.row
        assert isinstance(row, TotalRow)
        if mark.beside is not None:
            axes.bar(place - 0.3, mark.beside, 0.26, color=LIGHT, zorder=2)
        if mark.value is None:
            axes.text(place + shift, 0, "–", ha="center", va="bottom", color=FAINT)
            continue
        axes.bar(place + shift, mark.value, width, **_fill(mark))
        offset = {"textcoords": "offset points", "ha": "center"}
        if mark.has_gaps:
            colour = "white" if mark.state == WHOLE else WARN
            look = {"color": colour, "fontsize": 11, "weight": "bold", "zorder": 5}
            axes.annotate("×", (place + shift, 0), (0, 4), **offset, **look)
        if is_told:
            text = number_text(row.value)
            text += "" if row.relative is None else f"\n{row.relative:+.1%}"
            text = result.words.digits(text)
            at = (place + shift, mark.value)
            axes.annotate(text, at, (0, 3), **offset, fontsize=9, color=INK)


def _line(axes: Any, marks: Sequence[Mark], place: int) -> None:
    nan = float("nan")
    colour, dashes = SERIES[place % len(SERIES)][0], DASHES[place % len(DASHES)]
    values = [nan if mark.on_line is None else mark.on_line for mark in marks]
    style: Any = (0, dashes) if dashes else "-"
    if any(mark.beside is not None for mark in marks):
        beside = [nan if mark.beside is None else mark.beside for mark in marks]
        axes.plot(beside, color=LIGHT, linewidth=1.8, zorder=2)
    axes.plot(values, color=colour, linewidth=2, linestyle=style, zorder=4)
    gaps = [n for n, mark in enumerate(marks) if mark.has_gaps and not place]
    axes.plot(gaps, [0.0] * len(gaps), "x", color=WARN, markersize=5, zorder=5, clip_on=False)
    for state, filled in ((CUT, colour), (UNFINISHED, "white")):
        odd = [n for n, mark in enumerate(marks) if mark.state == state]
        axes.plot(
            odd,
            [values[n] for n in odd],
            "o",
            markersize=5,
            markerfacecolor=filled,
            markeredgecolor=colour,
            zorder=5,
        )


def _ends(
    axes: Any, marks: Sequence[Mark], sheet: Sheet, result: Resolution, *, is_last: bool
) -> None:
    """The names below, and the ends of the axes."""
    rows = [mark.row for mark in marks if isinstance(mark.row, TotalRow)]
    buckets = [row.bucket for row in rows] if is_last else []
    names = bucket_labels(buckets, result.calendar, sheet.width - 120)
    ticks = [(place, name) for place, name in enumerate(names) if name]
    axes.set_xticks([place for place, _ in ticks], [name for _, name in ticks])
    axes.set_xlim(-0.7, len(marks) - 0.3)
    if all(isinstance(row.value, int | None) for row in rows):
        axes.yaxis.get_major_locator().set_params(integer=True)
    axes.grid(axis="y", color="#e6e2d8", linewidth=0.7, zorder=0)
    axes.set_axisbelow(True)
    axes.axhline(0, color=FAINT, linewidth=0.8, zorder=4)


def _key(model: ChartModel, found: Totals, say: Callable[..., str]) -> list[Any]:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    is_line = model.form == LINE
    handles: list[Any] = []
    if is_line and model.is_together:
        for place, one in enumerate(model.series):
            look: dict[str, Any] = {"color": SERIES[place][0], "lw": 2}
            look["label"] = _title(one, found.resolution)
            style: Any = (0, DASHES[place]) if DASHES[place] else "-"
            handles.append(Line2D([], [], linestyle=style, **look))
    elif is_line:
        handles.append(Line2D([], [], color=PERIOD, lw=2, label=say("finished units")))
    else:
        handles.append(Patch(color=PERIOD, label=say("finished units")))
    for state in model.states:
        if is_line:
            ring: dict[str, Any] = {"color": "none", "marker": "o", "markeredgecolor": PERIOD}
            face = PERIOD if state == CUT else "white"
            handles.append(Line2D([], [], markerfacecolor=face, label=say(KEY[state]), **ring))
        else:
            hatch = "---" if state == CUT else "////"
            hatched: dict[str, Any] = {"facecolor": "white", "edgecolor": PERIOD, "hatch": hatch}
            handles.append(Patch(label=say(KEY[state]), **hatched))
    if model.has_gaps and model.form != RANKED:  # A bar of all days has no foot for it.
        cross: dict[str, Any] = {"color": "none", "marker": "x", "markeredgecolor": WARN}
        handles.append(Line2D([], [], label=say("days missing"), **cross))
    if model.has_beside:
        handles.append(Patch(color=LIGHT, label=say("beside: the units compared")))
    if found.notes:
        handles.append(Patch(color=WARN, label=say("{0} without a partner", len(found.notes))))
    return handles

"""Ages as a distribution, the open rows apart from those that ended."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ulnager.core.errors import SettingError
from ulnager.core.messages import Message
from ulnager.core.words import ENGLISH, Words
from ulnager.numbers.ages import Ages
from ulnager.pictures.paper import FAINT, INK, LIGHT, PERIOD, Sheet

_MOST_BARS = 60


def draw_ages(
    found: Ages,
    target: str | Path,
    *,
    title: str,
    size: str | tuple[int, int] | None = None,
    words: Words = ENGLISH,
) -> None:
    """Draw ages into a PNG, SVG or PDF file: how many rows have each, open ones above, ended below.

    Raises SettingError where no row has an age, SourceError when the file cannot be written.
    """
    if not found.rows:
        raise SettingError("no row has an age, so there is nothing to draw")
    top = found.rows[-1].age
    width = max(1, -(-(top + 1) // _MOST_BARS))
    bins = range(0, top + 1, width)
    is_open, ended = ([0] * len(bins) for _ in range(2))
    for row in found.rows:
        is_open[row.age // width] += row.open
        ended[row.age // width] += row.closed
    sheet = Sheet(title, _told(found, width, words), size, words)
    counts = [words.digits(f"{count:,}") for count in (found.open, found.closed)]
    room = (sheet.height - sheet.top - 60) / 2
    for place, (rows, name, colour) in enumerate(
        (
            (is_open, words.say("open: {0}", counts[0]), PERIOD),
            (ended, words.say("ended: {0}", counts[1]), LIGHT),
        )
    ):
        above = sheet.top + place * room
        axes = sheet.axes(70, sheet.height - above - room + 30, top=above + 22)
        axes.bar(range(len(bins)), rows, 0.86, color=colour, zorder=2)
        axes.set_title(name, loc="left", fontsize=11, color=INK, weight="bold")
        _mark(axes, bins, width, found.median, sheet)
        axes.set_ylim(0, max([*rows, 1]) * 1.12)
        axes.yaxis.get_major_locator().set_params(integer=True)
        axes.grid(axis="y", color="#e6e2d8", linewidth=0.7)
        axes.set_axisbelow(True)
        axes.set_xlim(-0.7, len(bins) - 0.3)
    sheet.figure.text(
        0.5,
        16 / sheet.height,
        words.say("age in {0}", Message(found.unit.plural)),
        ha="center",
        fontsize=10.5,
        color=INK,
    )
    sheet.write(target)


def _mark(axes: Any, bins: range, width: int, median: float | None, sheet: Sheet) -> None:
    names = [str(one) if width == 1 else f"{one}–{one + width - 1}" for one in bins]
    most = min(12, int((sheet.width - 94) / (len(names[-1]) * 8.5 + 14)))
    step = max(1, -(-len(bins) // max(1, most)))
    axes.set_xticks(list(range(0, len(bins), step)), names[::step])
    if median is not None:
        axes.axvline(median / width, color=FAINT, linewidth=1.2, linestyle="--", zorder=3)
        axes.annotate(
            sheet.words.say("median"),
            (median / width, 1),
            (4, -4),
            fontsize=9,
            color=FAINT,
            xycoords=("data", "axes fraction"),
            textcoords="offset points",
            va="top",
        )


def _told(found: Ages, width: int, words: Words) -> str:
    left = [
        (found.later, "{0} begin later"),
        (found.reversed, "{0} end before they begin"),
        (found.nulls, "{0} have no date"),
    ]
    say, units = words.say, Message(found.unit.plural)
    parts = [say("as of {0}", words.day(found.anchor)), say("open rows are measured to that day")]
    if found.median is not None:
        parts.append(say("the median of all is {0} {1}", words.digits(f"{found.median:g}"), units))
    if width > 1:
        parts.append(say("a bar is {0} {1}", width, units))
    told = [say(key, words.digits(f"{count:,}")) for count, key in left if count]
    if told:
        parts.append(say("left out: {0}", ", ".join(told)))
    return "; ".join(parts)

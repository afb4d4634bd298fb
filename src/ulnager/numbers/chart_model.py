"""What a chart of numbers is: its form, its series and marks, and what its key says.

It is decided here once; pages and pictures draw it, each with its own means.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any, Final, NamedTuple

from ulnager.core.messages import Message, code_of
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.buckets import MISSING
from ulnager.core.periods.resolution import Resolution
from ulnager.numbers.running import Running, RunningRow
from ulnager.numbers.totals_rows import TotalRow, Totals

BARS, LINE, RANKED, NUMBER = "bars", "line", "ranked", "number"
WHOLE, CUT, UNFINISHED, NOTHING = "whole", "cut", "unfinished", "nothing"
MOST_BARS: Final = 60
"""More marks than these are a line."""
MOST_LINES: Final = 7
"""So many lines stand in one chart; more are a small panel each, on one scale."""
_CUTS: Final = frozenset(("starts late", "ends early", "days are cut out"))
_BEYOND: Final = frozenset(("not begun", "the data ends", "the data begins later"))
KEY: Final = {CUT: "cut by the period", UNFINISHED: "unfinished"}
"""What the key calls marks that are not whole."""


class Mark(NamedTuple):
    """A value of a unit or a day: what it is, whether it is whole, and what stands beside it.

    ``value`` is None where nothing is drawn: there is none, or its days lie past the data.
    """

    row: TotalRow | RunningRow
    value: float | None
    beside: float | None
    state: str
    has_gaps: bool

    @property
    def on_line(self) -> float | None:
        """Where it lies on a line, which is broken by days without rows."""
        return None if self.has_gaps and not self.value else self.value


class Series(NamedTuple):
    """The marks of one value of a split, under its name, and that of its group, if it has one."""

    title: str
    group: str
    marks: tuple[Mark, ...]
    is_other: bool = False


class ChartModel(NamedTuple):
    """A chart: its form, its series on one scale, and whether they share one chart."""

    form: str
    series: tuple[Series, ...]
    is_together: bool
    low: float
    high: float
    daily: tuple[Mark, ...] = ()
    """The days themselves, behind a running measure on the same scale."""

    @property
    def marks(self) -> Iterator[Mark]:
        """The marks of all series."""
        return (mark for one in self.series for mark in one.marks)

    @property
    def states(self) -> tuple[str, ...]:
        """Which sorts of marks that are not whole there are, as the key names them."""
        found = {mark.state for mark in self.marks}
        return tuple(state for state in KEY if state in found)

    @property
    def has_gaps(self) -> bool:
        """Whether days are missing from a unit."""
        return any(mark.has_gaps for mark in self.marks)

    @property
    def has_beside(self) -> bool:
        """Whether something stands beside a value."""
        return any(mark.beside is not None for mark in self.marks)


def without_rows(result: Resolution | None, extent: Extent, words: Any) -> Message | None:
    """Why no row can be in some dates: they have not begun, or lie before or after the data.

    None where some could be.
    """
    if result is None or result.is_empty:
        return None
    found: Message | None = None
    start, end = result._days_around
    if start is not None and start > extent.last:
        first, today = words.day(start), result._clock_day
        if today is not None and start.toordinal() > today:
            found = words.say("not begun: it starts on {0}", first, code="not-begun")
        else:
            told = "nothing from {0} on: the data ends on {1}"
            found = words.say(told, first, words.day(extent.last), code="data-ended")
    elif end is not None and end < extent.first:
        told = "nothing up to {0}: the data begins on {1}"
        found = words.say(told, words.day(end), words.day(extent.first), code="before-data")
    return found


def state_of(reasons: Iterable[str], value: Any) -> str:
    """Whether a value is whole: a period that begins or ends within a unit cuts it; one that is
    still running, or that the data does not reach, is unfinished, or nothing at all."""
    left = {str(one) for one in reasons if code_of(one) != MISSING}
    if value is None or (not value and left & _BEYOND):
        return NOTHING
    if not left:
        return WHOLE
    return CUT if left <= _CUTS else UNFINISHED


def chart_of(
    found: Totals | Running, *, by_unit: bool = True, form: str | None = None
) -> ChartModel:
    """What is drawn of totals or of a running measure; ``form`` is asked for, else the one that
    fits: a number for one value, ranked bars for a split, bars up to 60 marks, and a line."""
    if isinstance(found, Running):
        return _of_running(found, form)
    series = tuple(_series(found.rows, _mark_of_total))
    most = max((len(one.marks) for one in series), default=0)
    is_split = any(row.split is not None or row.other for row in found.rows)
    if is_split and most < 2:
        return _scaled(RANKED, series, False)
    if not is_split and not by_unit:
        return _scaled(NUMBER, series, False)
    few = len(series) <= MOST_LINES
    if form is None:
        form = LINE if most > MOST_BARS or (is_split and few) else BARS
    return _scaled(form, series, form == LINE and is_split and few)


def _of_running(found: Running, form: str | None) -> ChartModel:
    series = tuple(_series(found.rows, _mark_of_day))
    days = () if found.daily is None else tuple(map(_mark_of_total, found.daily.rows))
    model = _scaled(form or LINE, series, 1 < len(series) <= MOST_LINES)
    highest = max((abs(one.value) for one in days if one.value is not None), default=0.0)
    # A total of many days and one of a single day have no scale in common.
    if not days or max(abs(model.low), model.high) > 4 * highest:
        return model
    return model._replace(daily=days, high=max(model.high, highest))


def _series(rows: Iterable[Any], mark: Any) -> Iterator[Series]:
    parts: dict[Any, list[Any]] = {}
    for row in rows:
        parts.setdefault((row.split, getattr(row, "other", False)), []).append(mark(row))
    for (name, is_other), marks in parts.items():
        group, title = name if isinstance(name, tuple) else ("", name)
        told = "" if title is None and len(parts) == 1 else "–" if title is None else str(title)
        yield Series(
            "other" if is_other else told,
            "–" if group is None else str(group),
            tuple(marks),
            is_other,
        )


def _mark_of_total(row: TotalRow) -> Mark:
    reasons = row.bucket.reasons
    state = state_of(reasons, row.value)
    return Mark(
        row,
        None if state == NOTHING else float(row.value),
        None if row.beside is None or (state == NOTHING and not row.beside) else float(row.beside),
        state,
        any(code_of(one) == MISSING for one in reasons),
    )


def _mark_of_day(row: RunningRow) -> Mark:
    window = row.window
    ends_here = window.stop is not None and (window.stop - row.day).days == 1
    is_past = ends_here and "the window runs past the data" in row.reasons
    state = NOTHING if row.value is None or is_past else UNFINISHED if row.reasons else WHOLE
    return Mark(row, None if state == NOTHING else float(row.value), None, state, False)


def _scaled(form: str, series: tuple[Series, ...], is_together: bool) -> ChartModel:
    every = [
        one
        for part in series
        for mark in part.marks
        for one in (mark.value, mark.beside)
        if one is not None
    ]
    return ChartModel(form, series, is_together, min([0.0, *every]), max([0.0, *every]))

"""Panels of a page's charts: where bars and lines go. Heights are in pixels, widths in per cent."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby, pairwise
from typing import Any, Final, NamedTuple

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.text import number_text
from ulnager.core.words import ENGLISH, Words
from ulnager.numbers.chart_model import CUT, LINE, MOST_BARS, UNFINISHED, ChartModel, Mark, Series
from ulnager.numbers.running import RunningRow
from ulnager.numbers.totals_rows import TotalRow
from ulnager.pictures.paper import bucket_year

HEIGHT: Final = 150
WIDE: Final = 1000
"""How wide lines are drawn, before they are stretched over the chart."""
_SMALL: Final = 80
MOST_PANELS: Final = 12
_MOST_NAMES: Final = 10
_MOST_WITH_YEARS: Final = 6
MARKED: Final = (CUT, UNFINISHED)


class Bar(NamedTuple):
    """A value as a bar from ``y`` down over ``height``."""

    at: float
    width: float
    y: float
    height: float
    kind: str
    has_gaps: bool
    told: str


class BarName(NamedTuple):
    """A name below a bar."""

    at: float
    text: str
    is_spare: bool


class Path(NamedTuple):
    """A line, or the area below one, as the path of an SVG that is WIDE and as high as its panel;
    of which series it is, from 1 on."""

    d: str
    kind: str
    series: int


class Dot(NamedTuple):
    """A value on a line that is not whole."""

    at: float
    y: float
    kind: str
    series: int
    told: str


class Panel(NamedTuple):
    """Bars or lines over a scale."""

    title: str
    height: int
    bars: tuple[Bar, ...]
    paths: tuple[Path, ...]
    dots: tuple[Dot, ...]
    names: tuple[BarName, ...]
    scale: tuple[tuple[float, str], ...]
    foot: float
    told: str

    @property
    def gutter(self) -> int:
        """How much room the scale takes, in pixels."""
        return 12 + 7 * max(len(text) for _, text in self.scale)


class Said:
    """What a chart says, in the viewer's language: sentences and numbers."""

    def __init__(self, words: Words) -> None:
        self.words = words

    def __call__(self, text: str, *arguments: Any) -> str:
        return self.words.say(text, *arguments)

    def of(self, value: Any) -> str:
        """A number for a person to read; a dash for none."""
        return self.words.digits(number_text(value, none="–"))

    def share(self, value: float | None) -> str:
        """A share in per cent."""
        return "" if value is None else self.words.digits(f"{value:.1%}")

    def change(self, value: float | None) -> str:
        """A relative change in per cent."""
        return "" if value is None else self.words.digits(f"{value:+.1%}")

    def why(self, reasons: Iterable[str]) -> str:
        """Why something is not whole."""
        return ", ".join(map(self, reasons))


class _ValueAxis:
    """From values to pixels, over a few round numbers."""

    def __init__(
        self, values: Sequence[float], say: Said | None = None, height: int = HEIGHT
    ) -> None:
        say = say or Said(ENGLISH)
        self.height = height
        low, high = min([0.0, *values]), max([0.0, *values])
        span = (high - low) or 1.0
        rough = span / (3 if height == HEIGHT else 2)
        power = 10 ** math.floor(math.log10(rough))
        step = next(one * power for one in (1, 2, 5, 10) if one * power >= rough)
        self.low = math.floor(low / step) * step
        self.high = math.ceil((high or step) / step) * step
        count = round((self.high - self.low) / step)
        self.lines = tuple(
            (self.y(self.low + step * n), say.of(round(self.low + step * n, 9)))
            for n in range(count + 1)
        )

    def y(self, value: float) -> float:
        """Where a value is, from the top."""
        share = (value - self.low) / (self.high - self.low)
        return float(round(self.height * (1 - share), 2))


def panels_of(model: ChartModel, say: Said, calendar: Calendar) -> Iterator[Panel]:
    """The panels of a chart: one for series that share it, else one each, all on one scale."""
    together = model.is_together or len(model.series) == 1
    axis = _ValueAxis([model.low, model.high], say, HEIGHT if together else _SMALL)
    if model.is_together:
        yield _panel("", model.series, model, axis, say, calendar)
        return
    for one in model.series[:MOST_PANELS]:
        title = say(one.title) if one.is_other else one.title
        title = f"{one.group} › {title}" if one.group else title
        yield _panel(title, (one,), model, axis, say, calendar)


def _panel(
    title: str,
    series: Sequence[Series],
    model: ChartModel,
    axis: _ValueAxis,
    say: Said,
    calendar: Calendar,
) -> Panel:
    marks = max((one.marks for one in series), key=len, default=())
    bars = () if model.form == LINE else tuple(_bars(marks, axis, say))
    if model.daily:
        bars = tuple(_bars(model.daily, axis, say, "daily"))
    paths: list[Path] = []
    dots: list[Dot] = []
    if model.form == LINE:
        for place, one in enumerate(series, 1):
            paths += _paths(one.marks, axis, place, has_area=len(series) == 1 and not model.daily)
            dots += _dots(one.marks, axis, say, place)
    names = tuple(_names(marks, say, calendar))
    told = _told(series, model, say)
    return Panel(
        title, axis.height, bars, tuple(paths), tuple(dots), names, axis.lines, axis.y(0), told
    )


def _told(series: Sequence[Series], model: ChartModel, say: Said) -> str:
    marks = [(one, mark) for one in series for mark in one.marks if mark.value is not None]
    count = max((len(one.marks) for one in series), default=0)
    is_line = model.form == LINE
    if len(series) > 1:
        told = say("{0} lines over {1} units", len(series), count)
    else:
        told = say("a line over {0} units" if is_line else "{0} bars", count)
    if marks:
        top = max(marks, key=lambda pair: pair[1].value or 0.0)[1]
        told += "; " + say("the highest is {0}, {1}", say.of(top.row.value), _unit_told(top, say))
    return told


def _unit_told(mark: Mark, say: Said) -> str:
    row = mark.row
    return (
        say.words.day(row.day) if isinstance(row, RunningRow) else say.words.unit(row.bucket.label)
    )


def mark_told(mark: Mark, say: Said) -> str:
    """A mark in words: its unit, its value, and why it is not whole."""
    reasons = mark.row.reasons if isinstance(mark.row, RunningRow) else mark.row.bucket.reasons
    why = f" ({say.why(reasons)})" if reasons else ""
    return f"{_unit_told(mark, say)}: {say.of(mark.row.value)}{why}"


def _bars(marks: Sequence[Mark], axis: _ValueAxis, say: Said, kind: str = "") -> Iterator[Bar]:
    each = 100 / max(1, len(marks))
    for place, mark in enumerate(marks):
        left = place * each
        if mark.beside is not None and isinstance(mark.row, TotalRow):
            told = f"{say('beside it')}, {_unit_told(mark, say)}: {say.of(mark.row.beside)}"
            yield _bar(left + each * 0.06, each * 0.3, mark.beside, axis, "beside", False, told)
        if mark.value is None:
            continue
        indent, wide = (0.38, 0.52) if mark.beside is not None else (0.12, 0.76)
        told = mark_told(mark, say)
        yield _bar(
            *(left + each * indent, each * wide, mark.value, axis),
            *(kind or mark.state, mark.has_gaps and not kind, told),
        )


def _bar(
    at: float, width: float, value: float, axis: _ValueAxis, kind: str, has_gaps: bool, told: str
) -> Bar:
    top, foot = axis.y(max(value, 0.0)), axis.y(min(value, 0.0))
    height = round(max(foot - top, 0.5), 2)
    return Bar(round(at, 3), round(width, 3), top, height, kind, has_gaps, told)


def _paths(
    marks: Sequence[Mark], axis: _ValueAxis, series: int, *, has_area: bool
) -> Iterator[Path]:
    """The line of a series, thin where it leads to or from what is not whole; with its area."""
    each = WIDE / max(1, len(marks))
    points = [
        None
        if mark.on_line is None
        else (round((place + 0.5) * each, 1), axis.y(mark.on_line), mark.state in MARKED)
        for place, mark in enumerate(marks)
    ]
    firm: list[str] = []
    thin: list[str] = []
    area: list[str] = []
    for is_there, group in groupby(points, key=lambda one: one is not None):
        run = [one for one in group if one is not None] if is_there else []
        if run and has_area:
            edge = " ".join(f"L{x} {y}" for x, y, _ in run)
            area.append(f"M{run[0][0]} {axis.y(0)} {edge} L{run[-1][0]} {axis.y(0)}Z")
        if len(run) == 1:
            firm.append(f"M{run[0][0]} {run[0][1]}h0")
        # A stretch of one kind is one path.
        for is_thin, some in groupby(pairwise(run), key=lambda pair: pair[0][2] or pair[1][2]):
            stretch = list(some)
            ends = [stretch[0][0], *(b for _, b in stretch)]
            text = " ".join(f"{'L' if n else 'M'}{x} {y}" for n, (x, y, _) in enumerate(ends))
            (thin if is_thin else firm).append(text)
    if area:
        yield Path(" ".join(area), "area", series)
    beside = [
        (round((place + 0.5) * each, 1), axis.y(mark.beside))
        for place, mark in enumerate(marks)
        if mark.beside is not None
    ]
    if beside:
        text = " ".join(f"{'L' if n else 'M'}{x} {y}" for n, (x, y) in enumerate(beside))
        yield Path(text, "beside", series)
    if firm:
        yield Path(" ".join(firm), "firm", series)
    if thin:
        yield Path(" ".join(thin), "thin", series)


def _dots(marks: Sequence[Mark], axis: _ValueAxis, say: Said, series: int) -> Iterator[Dot]:
    """Rings on what is not whole, as long as there are few, and crosses where days are missing."""
    each = 100 / max(1, len(marks))
    odd = [(n, mark) for n, mark in enumerate(marks) if mark.state in MARKED and not mark.has_gaps]
    gaps = [(n, mark) for n, mark in enumerate(marks) if mark.has_gaps and series == 1]
    for kind, some in (("", odd), ("gaps", gaps)):
        for place, mark in some if len(some) <= MOST_BARS else some[-1:]:
            at = round((place + 0.5) * each, 3)
            y = axis.y(0.0 if kind else mark.value or 0.0)
            yield Dot(at, y, kind or mark.state, series, mark_told(mark, say))


def _named_places(count: int, years: Sequence[int]) -> range:
    """Which of so many marks are named: fewer, where some names have a year."""
    most = _MOST_NAMES if len(set(years)) < 2 else _MOST_WITH_YEARS
    return range(0, count, max(1, -(-count // most)))


def with_years(texts: Sequence[str], years: Sequence[str]) -> list[str]:
    """Names on an axis, with the year at the first and where it changes, if there are several."""
    if len(set(years)) < 2:
        return list(texts)
    found, before = [], ""
    for text, year in zip(texts, years, strict=True):
        is_new = bool(year) and year != before and year not in text
        found.append(f"{text} {year}" if is_new else text)
        before = year or before
    return found


def _names(marks: Sequence[Mark], say: Said, calendar: Calendar) -> Iterator[BarName]:
    rows = [mark.row for mark in marks]
    ends = [_year(row) for row in (rows[0], rows[-1])] if rows else []
    places = _named_places(len(rows), ends)
    texts, years = [], []
    for place in places:
        row = rows[place]
        if isinstance(row, RunningRow):
            texts.append(say.words.unit(f"{row.day.day} {row.day:%b}"))
            years.append(say.words.digits(str(row.day.year)))
        else:
            texts.append(row.bucket.short_label)
            years.append(say.words.unit(bucket_year(calendar, row.bucket)))
    each = 100 / max(1, len(rows))
    for number, (place, text) in enumerate(zip(places, with_years(texts, years), strict=True)):
        yield BarName(round((place + 0.5) * each, 3), text, number % 2 == 1)


def _year(row: TotalRow | RunningRow) -> int:
    return row.day.year if isinstance(row, RunningRow) else row.bucket.unit_start.year

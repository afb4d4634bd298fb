"""Charts of a page: where bars, lines and numbers go. Heights are in pixels, widths in per cent."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime
from itertools import groupby, pairwise
from typing import Any, Final, NamedTuple

from ulnager.choices.charts import OpenedChart
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.messages import Message
from ulnager.core.text import number_text
from ulnager.core.words import ENGLISH, Words
from ulnager.numbers.chart_model import (
    CUT,
    KEY,
    LINE,
    MOST_BARS,
    NUMBER,
    RANKED,
    UNFINISHED,
    WHOLE,
    ChartModel,
    Mark,
    Series,
    chart_of,
)
from ulnager.numbers.running import Running, RunningRow
from ulnager.numbers.totals_rows import TotalRow, Totals
from ulnager.pictures.paper import bucket_year
from ulnager.sources.shown_rows import ShownRows

HEIGHT: Final = 150
WIDE: Final = 1000
"""How wide lines are drawn, before they are stretched over the chart."""
_SMALL: Final = 80
_MOST_PANELS: Final = 12
_MOST_NAMES: Final = 10
_MOST_WITH_YEARS: Final = 6
_MOST_DOTS: Final = 400
_MOST_RANKS: Final = 40
_MARKED: Final = (CUT, UNFINISHED)


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


class Rank(NamedTuple):
    """A value of a split, with its bar in per cent of the largest, its number and its share."""

    title: str
    width: float
    kind: str
    number: str
    share: str
    beside: str
    is_below: bool


class Number(NamedTuple):
    """One value for all the dates, what stands beside it, and why it is not whole."""

    text: str
    kind: str
    beside: str
    change: str
    why: str


class Cell(NamedTuple):
    """A cell of the table of values; marked where its value is not whole."""

    text: str
    is_marked: bool = False


class Drawn(NamedTuple):
    """A chart as the page draws it: what it says of itself, and its panels, number or sentence."""

    key: str
    label: str
    dates: str
    days: str
    governed_by: str
    by: str
    beside: str
    measure: str
    problems: tuple[str, ...]
    notes: tuple[str, ...]
    nothing: str = ""
    """What stands in place of the axes, where there is nothing to draw."""
    number: Number | None = None
    panels: tuple[Panel, ...] = ()
    ranks: tuple[tuple[str, tuple[Rank, ...]], ...] = ()
    """Values of a split under the name of their group, which is empty where there is none."""
    columns: tuple[str, ...] = ()
    rows: tuple[tuple[Cell, ...], ...] = ()
    listed: bool = False
    """Whether the table is the chart: rows as they are."""
    csv: bool = False
    legend: tuple[tuple[str, str], ...] = ()
    """What the key shows: a sort of mark, and what it means."""


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


def drawn(chart: OpenedChart, values: Any, problems: Iterable[str]) -> Drawn:
    """A chart with its numbers, ready for a template."""
    say = Said(chart.moment.words)
    result, asked = chart.resolution, dict(chart.chart.drawn)
    value, how = asked.get("value"), asked.get("how")
    found = Drawn(
        chart.key,
        chart.label,
        chart.dates,
        "" if result is None or not result.days else chart.counted(result.days, "day"),
        chart.governed_for_viewers,
        say("by {0}", Message(chart.by)) if chart.by else "",
        say("compared with {0}", beside.label) if (beside := chart.beside_dates) else "",
        say(f"{how or 'sum'} of {{0}}", value) if value else say("rows"),
        tuple(problems),
        tuple(one for one in chart.said_of_it if one != values),
    )
    if isinstance(values, str):
        return found._replace(nothing="" if values in found.problems else values)
    if isinstance(values, ShownRows):
        return _of_rows(found, values, say)._replace(csv=bool(asked.get("csv")))
    if not isinstance(values, (Running, Totals)):
        return found
    calendar = GREGORIAN if result is None else result.calendar
    model = chart_of(values, by_unit=chart.by is not None, form=asked.get("form"))
    if chart.nothing and not model.has_beside and not any(m.value for m in model.marks):
        rest = tuple(one for one in found.notes if one != chart.nothing)
        return found._replace(notes=rest, nothing=chart.nothing)
    if isinstance(values, Running):
        measure = f"{found.measure}, {values.period}"
        found = found._replace(measure=measure, **_table_of_days(values, measure, say))
    else:
        notes = (*found.notes, *values.notes)
        found = found._replace(notes=notes, **_table_of(values, model, found.measure, say))
    if model.form == NUMBER:
        return found._replace(number=_number(model, say))
    legend = tuple(_legend(model, found.measure, say))
    if model.form == RANKED:
        return found._replace(ranks=tuple(_ranks(model, say)), legend=legend)
    panels = tuple(_panels(model, say, calendar))
    if len(model.series) > _MOST_PANELS and not model.is_together:
        told = "{0} series; the first {1} are drawn, all are in the table"
        found = found._replace(notes=(*found.notes, say(told, len(model.series), _MOST_PANELS)))
    return found._replace(panels=panels, legend=legend)


def _of_rows(found: Drawn, values: ShownRows, say: Said) -> Drawn:
    rows = tuple(tuple(Cell(_shown(one, say)) for one in row) for row in values.rows)
    told = say("{0} rows", say.of(values.count))
    if len(rows) < values.count:
        told = say("the first {0} of {1} rows", say.of(len(rows)), say.of(values.count))
    return found._replace(measure=told, columns=values.columns, rows=rows, listed=True)


def _shown(value: Any, say: Said) -> str:
    if isinstance(value, datetime):
        return f"{say.words.day(value.date())}, {value:%H:%M}"
    if isinstance(value, date):
        return say.words.day(value)
    return "–" if value is None else say.of(value)


def _legend(model: ChartModel, measure: str, say: Said) -> Iterator[tuple[str, str]]:
    is_line = model.form == LINE
    if model.is_together:
        for place, one in enumerate(model.series, 1):
            yield f"series-{place}", say(one.title) if one.is_other else one.title
    else:
        yield ("line" if is_line else "whole"), measure
    if model.daily:
        yield "daily", say("the day itself")
    for state in model.states:
        yield (f"{state} dot" if is_line else state), say(KEY[state])
    if model.has_gaps:
        yield "gaps", say("days missing")
    if model.has_beside:
        yield ("beside line" if is_line else "beside"), say("beside it")


def _number(model: ChartModel, say: Said) -> Number:
    mark = next(model.marks, None)
    if mark is None or not isinstance(mark.row, TotalRow):
        return Number("–", WHOLE, "", "", "")
    row, partner = mark.row, mark.row.beside_bucket
    beside = ""
    if partner is not None:
        told = say.words.span(_span_of(partner)) if partner.start else partner.label
        beside = say("{0} in {1}", say.of(row.beside), told)
    return Number(
        say.of(None if mark.value is None else row.value),
        mark.state,
        beside,
        say.change(row.relative),
        say.why(row.bucket.reasons),
    )


def _span_of(partner: Any) -> Any:
    from datetime import timedelta

    from ulnager.core.periods.spans import Span

    return Span(partner.start, partner.end + timedelta(1))


def _table_of(totals: Totals, model: ChartModel, measure: str, say: Said) -> dict[str, Any]:
    rows = totals.rows
    has_beside = any(row.beside_bucket is not None for row in rows)
    has_split = any(row.split is not None or row.other for row in rows)
    head = (
        *("unit", "dates"),
        *(("series",) if has_split else ()),
        measure,
        *(("beside", "change") if has_beside else ()),
        "why it is not whole",
    )
    marks = {id(mark.row): mark for mark in model.marks}
    table = tuple(
        _cells(row, marks[id(row)], say, has_split=has_split, has_beside=has_beside) for row in rows
    )
    return {"columns": tuple(map(say, head)), "rows": table}


def _cells(
    row: TotalRow, mark: Mark, say: Said, *, has_split: bool, has_beside: bool
) -> tuple[Cell, ...]:
    bucket = row.bucket
    name = " › ".join(map(str, row.split)) if isinstance(row.split, tuple) else str(row.split)
    beside = (say.of(row.beside), say.change(row.relative)) if has_beside else ()
    texts = (
        say.words.unit(bucket.label),
        say.words.span(_span_of(bucket)) if bucket.end else "",
        *((say("other") if row.other else name,) if has_split else ()),
    )
    value = Cell(say.of(row.value if mark.value is not None else None), mark.state in _MARKED)
    return (*map(Cell, texts), value, *map(Cell, beside), Cell(say.why(bucket.reasons)))


def _table_of_days(running: Running, measure: str, say: Said) -> dict[str, Any]:
    has_split = any(row.split is not None for row in running.rows)
    head = ("day", "over", *(("series",) if has_split else ()), measure, "why it is not whole")
    table = tuple(
        (
            Cell(say.words.day(row.day)),
            Cell(say.words.span(row.window)),
            *((Cell(str(row.split)),) if has_split else ()),
            Cell(say.of(row.value), not row.whole),
            Cell(say.why(row.reasons)),
        )
        for row in running.rows[-_MOST_DOTS:]
    )
    return {"columns": tuple(map(say, head)), "rows": table}


def _ranks(model: ChartModel, say: Said) -> Iterator[tuple[str, tuple[Rank, ...]]]:
    most = max(abs(model.low), abs(model.high)) or 1.0
    sizes: dict[str, float] = {}
    for one in model.series:
        sizes[one.group] = sizes.get(one.group, 0.0) + sum(mark.value or 0.0 for mark in one.marks)
    # Of several groups the largest is first, and in each its largest value.
    ordered = sorted(model.series, key=lambda one: (one.is_other, -sizes[one.group]))
    for group, some in groupby(ordered[:_MOST_RANKS], key=lambda one: one.group):
        yield group, tuple(_rank(one, most, say) for one in some if one.marks)


def _rank(one: Series, most: float, say: Said) -> Rank:
    mark = one.marks[0]
    row = mark.row
    assert isinstance(row, TotalRow)
    value = mark.value or 0.0
    beside = "" if row.beside is None else f"{say.of(row.beside)} {say.change(row.relative)}"
    return Rank(
        say(one.title) if one.is_other else one.title,
        round(100 * abs(value) / most, 2),
        mark.state,
        say.of(row.value if mark.value is not None else None),
        say.share(row.share),
        beside.strip(),
        value < 0,
    )


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


def _panels(model: ChartModel, say: Said, calendar: Calendar) -> Iterator[Panel]:
    together = model.is_together or len(model.series) == 1
    axis = _ValueAxis([model.low, model.high], say, HEIGHT if together else _SMALL)
    if model.is_together:
        yield _panel("", model.series, model, axis, say, calendar)
        return
    for one in model.series[:_MOST_PANELS]:
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


def _mark_told(mark: Mark, say: Said) -> str:
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
        told = _mark_told(mark, say)
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
        else (round((place + 0.5) * each, 1), axis.y(mark.on_line), mark.state in _MARKED)
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
    odd = [(n, mark) for n, mark in enumerate(marks) if mark.state in _MARKED and not mark.has_gaps]
    gaps = [(n, mark) for n, mark in enumerate(marks) if mark.has_gaps and series == 1]
    for kind, some in (("", odd), ("gaps", gaps)):
        for place, mark in some if len(some) <= MOST_BARS else some[-1:]:
            at = round((place + 0.5) * each, 3)
            y = axis.y(0.0 if kind else mark.value or 0.0)
            yield Dot(at, y, kind or mark.state, series, _mark_told(mark, say))


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

"""Charts of a page: where bars, lines and numbers go. Heights are in pixels, widths in per cent."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from itertools import pairwise
from typing import Any, Final, NamedTuple

from ulnager.choices.charts import OpenedChart
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.messages import Message
from ulnager.core.text import number_text
from ulnager.core.words import ENGLISH, Words
from ulnager.numbers.running import Running, RunningRow
from ulnager.numbers.totals_rows import TotalRow, Totals
from ulnager.pictures.paper import bucket_year
from ulnager.pictures.totals_bars import has_gaps, hatched_as, is_unfinished

HEIGHT: Final = 150
_MOST_PANELS: Final = 8
_MOST_NAMES: Final = 10
_MOST_WITH_YEARS: Final = 6
_MOST_DOTS: Final = 400


class Bar(NamedTuple):
    """A value as a bar from ``y`` down over ``height``."""

    at: float
    width: float
    y: float
    height: float
    kind: str
    told: str


class BarName(NamedTuple):
    """A name below a bar."""

    at: float
    text: str
    is_spare: bool


class Line(NamedTuple):
    """A piece of a line."""

    x1: float
    y1: float
    x2: float
    y2: float
    is_whole: bool


class Panel(NamedTuple):
    """One series: bars or a line, over a scale."""

    title: str
    bars: tuple[Bar, ...]
    lines: tuple[Line, ...]
    names: tuple[BarName, ...]
    scale: tuple[tuple[float, str], ...]
    foot: float
    told: str

    @property
    def gutter(self) -> int:
        """How much room the scale takes, in pixels."""
        return 12 + 7 * max(len(text) for _, text in self.scale)


class Drawn(NamedTuple):
    """A chart as the page draws it: what it says of itself, and its panels, number or sentence."""

    key: str
    label: str
    dates: str
    days: str
    governed_by: str
    by: str
    measure: str
    number: str
    beside: str
    panels: tuple[Panel, ...]
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    problems: tuple[str, ...]
    notes: tuple[str, ...]
    hatched: str
    """What hatched bars are called in the key; empty where there are none."""
    has_gaps: bool
    has_beside: bool


class Said:
    """What a chart says, in the viewer's language: sentences and numbers."""

    def __init__(self, words: Words) -> None:
        self.words = words

    def __call__(self, text: str, *arguments: Any) -> str:
        return self.words.say(text, *arguments)

    def of(self, value: Any) -> str:
        """A number for a person to read; a dash for none."""
        return self.words.digits(number_text(value, none="–"))


def drawn(chart: OpenedChart, values: Any, problems: Iterable[str]) -> Drawn:
    """A chart with its numbers, ready for a template."""
    say = Said(chart.moment.words)
    result, asked = chart.resolution, dict(chart.chart.drawn)
    value, how = asked.get("value"), asked.get("how")
    measure = say(f"{how or 'sum'} of {{0}}", value) if value else say("rows")
    days = "" if result is None or not result.days else chart.counted(result.days, "day")
    by = say("by {0}", Message(chart.by)) if chart.by else ""
    found = Drawn(
        chart.key,
        chart.label,
        chart.dates,
        days,
        chart.governed_for_viewers,
        by,
        measure,
        "",
        "",
        (),
        (),
        (),
        tuple(problems),
        chart.notes,
        "",
        False,
        False,
    )
    if isinstance(values, str):
        told = () if values in found.problems else (values,)
        return found._replace(notes=(*found.notes, *told))
    if isinstance(values, Running):
        return _of_running(found, values, say)
    if isinstance(values, Totals):
        calendar = GREGORIAN if result is None else result.calendar
        return _of_totals(found, values, say, calendar, is_by=chart.by is not None)
    return found


def _of_totals(
    found: Drawn, totals: Totals, say: Said, calendar: Calendar, *, is_by: bool
) -> Drawn:
    rows = totals.rows
    has_beside = any(row.beside_bucket is not None for row in rows)
    has_split = any(row.split is not None or row.other for row in rows)
    notes = (*found.notes, *totals.notes)
    head = (
        "unit",
        "dates",
        *(("series",) if has_split else ()),
        found.measure,
        *(("beside", "change") if has_beside else ()),
        "why it is not whole",
    )
    table = tuple(_row(row, say, has_split=has_split, has_beside=has_beside) for row in rows)
    found = found._replace(
        columns=tuple(map(say, head)), rows=table, notes=notes, has_beside=has_beside
    )
    if not is_by and not has_split:
        number = say.of(rows[0].value) if rows else "–"
        beside = ""
        if rows and has_beside and rows[0].beside is not None:
            beside = say("{0} beside it", say.of(rows[0].beside))
        return found._replace(number=number, beside=beside)
    series: dict[Any, list[TotalRow]] = {}
    for row in rows:
        series.setdefault((row.split, row.other), []).append(row)
    shown = list(series.items())[:_MOST_PANELS]
    if len(series) > _MOST_PANELS:
        more = f"{len(series):,} series; the first {_MOST_PANELS} are drawn, all are in the table"
        found = found._replace(notes=(*found.notes, more))
    every = [float(v) for row in rows for v in (row.value, row.beside) if v is not None]
    scale = _ValueAxis(every, say)
    panels = tuple(
        _bars(
            "other" if is_other else "" if name is None else str(name), some, scale, say, calendar
        )
        for (name, is_other), some in shown
    )
    return found._replace(
        panels=panels, hatched=hatched_as(rows), has_gaps=any(has_gaps(row) for row in rows)
    )


def _row(row: TotalRow, say: Said, *, has_split: bool, has_beside: bool) -> tuple[str, ...]:
    bucket = row.bucket
    series = ("other" if row.other else str(row.split),) if has_split else ()
    change = "" if row.relative is None else f"{row.relative:+.1%}"
    beside = (say.of(row.beside), change) if has_beside else ()
    return (
        bucket.label,
        f"{bucket.start} to {bucket.end}",
        *series,
        say.of(row.value),
        *beside,
        ", ".join(map(say, bucket.reasons)),
    )


class _ValueAxis:
    """From values to pixels, over a few round numbers."""

    def __init__(self, values: Sequence[float], say: Said | None = None) -> None:
        say = say or Said(ENGLISH)
        low, high = min([0.0, *values]), max([0.0, *values])
        span = (high - low) or 1.0
        rough = span / 3
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
        return float(round(HEIGHT * (1 - share), 2))


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


def _bars(
    title: str, rows: Sequence[TotalRow], scale: _ValueAxis, say: Said, calendar: Calendar
) -> Panel:
    each = 100 / max(1, len(rows))
    bars, names = [], []
    foot = scale.y(0)
    for place, row in enumerate(rows):
        told = f"{row.bucket.label}: {say.of(row.value)}"
        reasons = f" ({', '.join(map(say, row.bucket.reasons))})" if row.bucket.reasons else ""
        left = place * each
        if row.beside is not None:
            bars.append(
                _bar(
                    left + each * 0.06,
                    each * 0.3,
                    float(row.beside),
                    scale,
                    "beside",
                    f"beside {told}: {say.of(row.beside)}",
                )
            )
        if row.value is not None:
            kind = "unfinished" if is_unfinished(row) else "gaps" if has_gaps(row) else "whole"
            indent, wide = (0.38, 0.52) if row.beside is not None else (0.12, 0.76)
            bars.append(
                _bar(
                    left + each * indent, each * wide, float(row.value), scale, kind, told + reasons
                )
            )
    ends = [row.bucket.unit_start.year for row in (rows[0], rows[-1])] if rows else []
    places = _named_places(len(rows), ends)
    shown = [rows[place].bucket for place in places]
    texts = with_years(
        [one.short_label for one in shown],
        [say.words.unit(bucket_year(calendar, one)) for one in shown],
    )
    for number, (place, text) in enumerate(zip(places, texts, strict=True)):
        names.append(BarName(round((place + 0.5) * each, 3), text, number % 2 == 1))
    whole = [row for row in rows if row.value is not None]
    told = f"{len(rows)} bars"
    if whole:
        top = max(whole, key=lambda row: row.value)
        told += f", the highest {say.of(top.value)} in {top.bucket.label}"
    return Panel(title, tuple(bars), (), tuple(names), scale.lines, foot, told)


def _bar(at: float, width: float, value: float, scale: _ValueAxis, kind: str, told: str) -> Bar:
    top, foot = scale.y(max(value, 0.0)), scale.y(min(value, 0.0))
    return Bar(round(at, 3), round(width, 3), top, round(max(foot - top, 0.5), 2), kind, told)


def _of_running(found: Drawn, running: Running, say: Said) -> Drawn:
    series: dict[Any, list[RunningRow]] = {}
    for row in running.rows:
        series.setdefault(row.split, []).append(row)
    every = [float(row.value) for row in running.rows if row.value is not None]
    scale = _ValueAxis(every, say)
    panels = tuple(
        _line("" if name is None else str(name), rows, scale, say)
        for name, rows in list(series.items())[:_MOST_PANELS]
    )
    table = tuple(
        (
            str(row.day),
            str(row.window),
            *(() if row.split is None else (str(row.split),)),
            say.of(row.value),
            ", ".join(map(say, row.reasons)),
        )
        for row in running.rows[-_MOST_DOTS:]
    )
    has_split = any(row.split is not None for row in running.rows)
    head = (
        "day",
        "over",
        *(("series",) if has_split else ()),
        found.measure,
        "why it is not whole",
    )
    return found._replace(
        panels=panels,
        columns=tuple(map(say, head)),
        rows=table,
        measure=f"{found.measure}, {running.period}",
    )


def _line(title: str, rows: Sequence[RunningRow], scale: _ValueAxis, say: Said) -> Panel:
    step = max(1, -(-len(rows) // _MOST_DOTS))
    some = rows[::step]
    each = 100 / max(1, len(some))
    lines = []
    for place, (one, other) in enumerate(pairwise(some)):
        if one.value is None or other.value is None:
            continue
        lines.append(
            Line(
                round((place + 0.5) * each, 3),
                scale.y(float(one.value)),
                round((place + 1.5) * each, 3),
                scale.y(float(other.value)),
                one.whole and other.whole,
            )
        )
    places = _named_places(len(some), [row.day.year for row in (some[0], some[-1])] if some else [])
    texts = with_years(
        [say.words.unit(f"{some[place].day.day} {some[place].day:%b}") for place in places],
        [say.words.digits(str(some[place].day.year)) for place in places],
    )
    names = tuple(
        BarName(round((place + 0.5) * each, 3), text, number % 2 == 1)
        for number, (place, text) in enumerate(zip(places, texts, strict=True))
    )
    last = next((row for row in reversed(rows) if row.value is not None), None)
    told = f"a line over {len(rows)} days"
    if last is not None:
        told += f", {say.of(last.value)} on {last.day}"
    return Panel(title, (), tuple(lines), names, scale.lines, scale.y(0), told)

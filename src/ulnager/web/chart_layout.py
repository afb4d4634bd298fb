"""Charts of a page: where bars, lines and numbers go. Heights are in pixels, widths in per cent."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import date, datetime, timedelta
from decimal import Decimal
from itertools import groupby
from typing import Any, Final, NamedTuple

from ulnager.choices.charts import OpenedChart
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import SettingError
from ulnager.core.messages import Message
from ulnager.core.periods.spans import Span
from ulnager.numbers.chart_model import (
    KEY,
    LINE,
    NUMBER,
    RANKED,
    WHOLE,
    ChartModel,
    Mark,
    Series,
    chart_of,
)
from ulnager.numbers.day_grids import LACKING, GridCell, grids_of, is_empty
from ulnager.numbers.running import Running
from ulnager.numbers.totals_rows import TotalRow, Totals
from ulnager.sources.shown_rows import ShownRows
from ulnager.web.chart_panels import MARKED, MOST_PANELS, Panel, Said, mark_told, panels_of

_MOST_DOTS: Final = 400
_MOST_RANKS: Final = 40
CALENDAR: Final = "calendar"
DAY_HEIGHT: Final = 17
"""How high the bar of a full day is, in a calendar."""


class Rank(NamedTuple):
    """A value of a split, with its bar in per cent of the largest, its number and its share."""

    title: str
    width: float
    kind: str
    number: str
    share: str
    beside: str
    beside_width: float
    is_below: bool


class Number(NamedTuple):
    """One value for all the dates, what stands beside it, and why it is not whole."""

    text: str
    kind: str
    beside: str
    change: str
    why: str


class Month(NamedTuple):
    """A month of a calendar: its name, how many weeks it has, and its days."""

    name: str
    weeks: int
    days: tuple[tuple[int, int, float, str, str], ...]
    """Of each day its column and row, the height of its bar in pixels, its sort, and what it is."""


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
    months: tuple[Month, ...] = ()
    listed: bool = False
    """Whether the table is the chart: rows as they are."""
    csv: bool = False
    legend: tuple[tuple[str, str], ...] = ()
    """What the key shows: a sort of mark, and what it means."""


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
        if chart.nothing and not values.count:
            rest = tuple(one for one in found.notes if one != chart.nothing)
            return found._replace(notes=rest, nothing=chart.nothing)
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
    if asked.get("form") == CALENDAR and isinstance(values, Totals):
        return _of_days(found, values, say)
    legend = tuple(_legend(model, found.measure, say))
    if model.form == RANKED:
        return found._replace(ranks=tuple(_ranks(model, say)), legend=legend)
    panels = tuple(panels_of(model, say, calendar))
    if len(model.series) > MOST_PANELS and not model.is_together:
        told = "{0} series; the first {1} are drawn, all are in the table"
        found = found._replace(notes=(*found.notes, say(told, len(model.series), MOST_PANELS)))
    return found._replace(panels=panels, legend=legend)


def _of_days(found: Drawn, values: Totals, say: Said) -> Drawn:
    """Days as a calendar: months side by side, in each day a bar as high as its value."""
    try:
        grids = grids_of(values)
    except SettingError as error:
        return found._replace(notes=(*found.notes, say(str(error))))
    months = tuple(
        Month(
            f"{month.name} {month.year}".strip(),
            month.weeks,
            tuple(
                (
                    *(cell.weekday, cell.week, round(abs(cell.height) * DAY_HEIGHT, 1)),
                    *("off" if is_empty(cell) else cell.state, _day_told(cell, say)),
                )
                for cell in month.cells
            ),
        )
        for month in grids.months
    )
    legend = [("whole", say("a full day is {0}", say.of(grids.top)))]
    legend += [(state, say(KEY[state])) for state in KEY if state in grids.states]
    if LACKING in grids.states:
        legend.append(("gaps", say("no rows")))
    weekdays = f"{grids.weekdays[0]} – {grids.weekdays[-1]}"
    legend.append(("band", say("a row is a week, {0}", weekdays)))
    return found._replace(months=months, legend=tuple(legend))


def _day_told(cell: GridCell, say: Said) -> str:
    return "" if cell.mark is None else mark_told(cell.mark, say)


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
    if isinstance(value, (int, float, Decimal)) and not isinstance(value, bool):
        return say.words.digits(f"{value:,}")  # As it is, and not rounded.
    return "–" if value is None else str(value)


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
    return _with_reasons(head, table, say)


def _with_reasons(
    head: tuple[str, ...], rows: tuple[tuple[Cell, ...], ...], say: Said
) -> dict[str, Any]:
    """A table whose last column is left out where all are whole."""
    kept = len(head) - (not any(row[-1].text for row in rows))
    return {"columns": tuple(map(say, head[:kept])), "rows": tuple(row[:kept] for row in rows)}


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
    value = Cell(say.of(row.value if mark.value is not None else None), mark.state in MARKED)
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
    return _with_reasons(head, table, say)


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
        round(100 * abs(mark.beside or 0.0) / most, 2),
        value < 0,
    )

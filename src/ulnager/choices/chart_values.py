"""The numbers of a page's charts, asked of their sources: together where they can be."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

from sqlalchemy import ColumnElement, and_

from ulnager.choices.charts import ChartSource, OpenedChart
from ulnager.choices.resolver import Moment
from ulnager.core.errors import ResolveError, SettingError, SourceError, UlnagerError, sentence_of
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.grain import Grain
from ulnager.numbers.daily_aggregates import FROM_DAYS
from ulnager.numbers.lasting_rows import lasting_totals
from ulnager.numbers.page_totals import Looked, answered_together, first_looks
from ulnager.numbers.plan import Plan
from ulnager.numbers.running import Running, running_period, running_plan
from ulnager.numbers.totals import asked_for, checked_how, in_grain, lasting_extent, totals_plan
from ulnager.numbers.totals_rows import Totals
from ulnager.sources.kept import rows_in
from ulnager.sources.profile import profiled
from ulnager.sources.shown_rows import ShownRows, csv_of, shown_rows
from ulnager.sources.source import Relation


def values_of(
    sources: Mapping[str, ChartSource],
    charts: Mapping[str, OpenedChart],
    *,
    by: bool = True,
    opened: dict[str, Any] | None = None,
) -> dict[str, Any]:
    """The totals of each chart, or its running measure; a sentence where there are none, None for a
    chart that has no dates.

    With ``by`` they are by its unit, without it one row for all its dates. ``opened`` keeps the
    sources that were opened.
    """
    found: dict[str, Any] = dict.fromkeys(charts)
    plans: dict[str, Plan] = {}
    opened = {} if opened is None else opened
    looked = _first_looks(sources, charts, opened)
    for key, chart in charts.items():
        if chart.resolution is None:
            found[key] = "; ".join(chart.problems) or None
        elif chart.filtered:
            found[key] = chart.filtered
        elif by and chart.too_many:
            found[key] = chart.too_many
        else:
            try:
                if chart.chart.drawn.get("form") == "rows":
                    found[key] = rows_of(sources, chart, opened) if by else None
                    continue
                plan = _plan(sources, chart, opened, by)
                if chart.chart.until is not None:
                    found[key] = lasting_totals(plan, chart.chart.until)
                    continue
                plans[key] = plan
                if by and _has_daily(chart):
                    plans[f"{key}{_DAILY}"] = _plan(sources, chart, opened, by, is_daily=True)
            except UlnagerError as error:
                found[key] = sentence_of(error)
    answers = answered_together(plans, looked)
    for key in [key for key in answers if key.endswith(_DAILY)]:
        days, running = answers.pop(key), answers[key.removesuffix(_DAILY)]
        if isinstance(days, Totals) and isinstance(running, Running):
            answers[key.removesuffix(_DAILY)] = replace(running, daily=days)
    return found | answers


_DAILY = ", by day"
"""What follows the key of a chart for the days behind its running measure; no key has it."""


def _has_daily(chart: OpenedChart) -> bool:
    """Whether the days themselves stand behind a running measure."""
    drawn = chart.chart.drawn
    is_plain = drawn.get("running") is not None and drawn.get("split") is None
    return is_plain and drawn.get("how") in (None, *FROM_DAYS)


def _first_looks(
    sources: Mapping[str, ChartSource], charts: Mapping[str, OpenedChart], opened: dict[str, Any]
) -> dict[int, Looked]:
    """Of sources whose dates nobody has asked for yet: these, and what the widest charts measure of
    each day, by one question."""
    found: dict[int, Looked] = {}
    by_source: dict[str, list[OpenedChart]] = {}
    for chart in charts.values():
        by_source.setdefault(chart.chart.source, []).append(chart)
    for name, some in by_source.items():
        entry = sources[name]
        moment = some[0].moment
        if not moment.has_to_look(name) or moment.up_to is not None:
            continue
        asked = []
        try:
            rows = opened_once(sources, name, opened, some[0].moment)
            for chart in some:
                drawn, result = dict(chart.chart.drawn), chart.resolution
                is_plain = drawn.get("split") is None and not drawn.get("where")
                is_plain = is_plain and not chart.filters and chart.chart.until is None
                if result is None or not result.days or not is_plain:
                    continue
                if rows.column(chart.chart.column).name != entry.column:
                    continue
                value = drawn.get("value")
                how = checked_how(drawn.get("how"), value)
                asked.append(
                    (
                        asked_for(rows, entry.column, entry.tz, value, None, None),
                        (value, how),
                        result.days,
                    )
                )
            known = first_looks(asked)
            if known is None:
                continue
            told = profiled(
                rows,
                known.asked.column,
                known.held.counts,
                None,
                entry.tz,
                entry.calendar,
                entry.share,
            )
        except UlnagerError:
            continue  # Each chart says what it cannot have.
        some[0].moment.known["source", name] = told.extent
        found[id(rows)] = known
    return found


def opened_once(
    sources: Mapping[str, ChartSource], name: str, opened: dict[str, Any], moment: Moment
) -> Any:
    """A source of the book as it is at a moment, opened when it is first asked for."""
    if name not in opened:
        opened[name] = sources[name].opened(moment=moment)
    return opened[name]


def rows_of(
    sources: Mapping[str, ChartSource], chart: OpenedChart, opened: dict[str, Any]
) -> ShownRows:
    """The first rows of a chart of rows, and how many there are."""
    source, kept = _rows_kept(sources, chart, opened)
    drawn = chart.chart.drawn
    return shown_rows(source, kept, drawn["columns"], drawn.get("order", ()), drawn["limit"])


def csv_rows(
    sources: Mapping[str, ChartSource], chart: OpenedChart, opened: dict[str, Any]
) -> Iterator[bytes]:
    """All rows of a chart as CSV; ResolveError while it has no dates, or a filter has a problem."""
    if chart.resolution is None or chart.filtered:
        raise ResolveError(chart.filtered or "; ".join(chart.problems) or "it has no dates")
    source, kept = _rows_kept(sources, chart, opened)
    drawn = chart.chart.drawn
    return csv_of(source, kept, drawn["columns"], drawn.get("order", ()))


def _rows_kept(
    sources: Mapping[str, ChartSource], chart: OpenedChart, opened: dict[str, Any]
) -> tuple[Relation, list[ColumnElement[bool]]]:
    """The source of a chart, and the conditions of the rows that it keeps; FilterError where its
    dates cut what a row stands for, as its numbers have it."""
    assert chart.resolution is not None
    source = opened_once(sources, chart.chart.source, opened, chart.moment)
    column, entry = source.column(chart.chart.column), sources[chart.chart.source]
    result = in_grain(chart.resolution, _grain_of(entry, chart), entry.rounding)
    days = rows_in(source, column, entry.tz, result, chart.chart.until)
    wheres = [
        source.values_in(name, _listed(one)) for some in chart.where for name, one in some.items()
    ]
    return source, [days, *wheres]


def _extent_of(source: ChartSource, chart: OpenedChart) -> Extent:
    """The dates of a chart's source, with what a row stands for in the chart's own column."""
    extent = chart.extent or source.extent(chart.moment)
    if chart.chart.until is not None and chart.resolution is not None:
        return lasting_extent(extent, chart.resolution)._replace(grain=None)
    return extent if chart.chart.is_of_source else extent._replace(grain=None)


def _grain_of(source: ChartSource, chart: OpenedChart) -> Grain | None:
    """What a row stands for in the column of a chart; None where nobody can tell."""
    try:
        return _extent_of(source, chart).grain
    except UlnagerError:
        return None


def kept_by(
    sources: Mapping[str, ChartSource], chart: OpenedChart, opened: dict[str, Any]
) -> int | None:
    """How many rows of its source a chart keeps; None where it has no dates."""
    if chart.resolution is None:
        return None
    source, (days, *wheres) = _rows_kept(sources, chart, opened)
    if chart.filtered:
        return 0
    name = source.column(chart.chart.column).name
    kept: int = source.kept(name, and_(days, *wheres))[0]
    return kept


def _listed(values: Any) -> list[Any]:
    return list(values) if isinstance(values, (list, tuple)) else [values]


def _plan(
    sources: Mapping[str, ChartSource],
    chart: OpenedChart,
    opened: dict[str, Any],
    by: bool,
    *,
    is_daily: bool = False,
) -> Plan:
    entry, drawn = chart.chart, dict(chart.chart.drawn)
    source = sources[entry.source]
    rows = opened_once(sources, entry.source, opened, chart.moment)
    extent = _extent_of(source, chart)
    phrase, per = drawn.pop("running", None), drawn.pop("per", None)
    # One row for all the dates is the measure of all series.
    value = drawn.get("value")
    top, split = (drawn.get(name) if by else None for name in ("top", "split"))
    is_running = phrase is not None and by and not is_daily
    per = per if is_running else None
    how = checked_how(drawn.get("how"), value, per, None if is_running else top, split)
    try:
        asked = asked_for(rows, entry.column, source.tz, value, split, chart.where)
    except SettingError as error:
        # A column that is not there, or not of that sort: nothing that a viewer chose.
        raise SourceError(f"{entry.source}: {error}") from None
    assert chart.resolution is not None
    if is_running:
        when = {"calendar": chart.resolution.calendar}
        return running_plan(
            asked, running_period(phrase, when), chart.resolution, (value, how), extent, when, per
        )
    return totals_plan(
        asked,
        chart.resolution,
        (value, how),
        extent,
        {},
        by="day" if is_daily else chart.by if by else None,
        partial=entry.partial,
        beside=chart.beside,
        top=top,
        rounding=source.rounding,
    )

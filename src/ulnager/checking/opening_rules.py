"""What pickers, pages and schedules open with and show, judged as their viewers meet it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from sqlalchemy import and_

from ulnager.book.picker_builder import USUAL, usual_offers
from ulnager.checking.inspection import Checking, Key
from ulnager.choices.chart_values import values_of
from ulnager.choices.charts import OpenedChart
from ulnager.choices.pages import OpenedPage
from ulnager.choices.picker_base import PickerBase
from ulnager.choices.view import View
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import UlnagerError
from ulnager.core.periods.anchor_provenance import hangs_on_anchor
from ulnager.numbers.totals_rows import Totals
from ulnager.sources.kept import rows_in


def mixed_anchors(checking: Checking) -> None:
    """Pickers whose choices are measured from different days."""
    for name, picker in checking.book.pickers.items():
        if not picker._is_of_several:
            continue
        told = "; ".join(f"{', '.join(keys)} from {one}" for one, keys in _by_anchor(picker))
        checking.add(
            "mixed-anchors",
            ("pickers", name, "choices"),
            f"its choices are measured from different days: {told}. Side by side, 'this' and "
            "'last' mean other days in each",
            "Give them one anchor, at the top of the book, or accept it with a reason.",
        )


def _by_anchor(picker: PickerBase) -> list[tuple[str, list[str]]]:
    found: dict[str, list[str]] = {}
    for choice in picker.choices:
        if hangs_on_anchor(choice.period.definition):
            anchor = picker._anchor_for(choice)
            found.setdefault(anchor.name if anchor else "the clock", []).append(choice.key)
    return list(found.items())


def usual_replaced(checking: Checking) -> None:
    """Periods that stand in place of a usual choice, whose key they have."""
    book = checking.book
    for name, picker in book.pickers.items():
        entry = checking.values.get("pickers", {}).get(name, {})
        said = entry.get("choices") or [USUAL]
        if USUAL not in said:
            continue
        offers = usual_offers(book.calendar or GREGORIAN, picker.anchor or book.resolver.anchor)
        for choice in picker.choices:
            if choice.key in book.periods and choice.key in offers and choice.key not in said:
                usual = offers[choice.key]
                checking.add(
                    "usual-replaced",
                    ("periods", choice.key),
                    f"in {name} it stands in place of the usual choice of that key, "
                    f"{usual.label!r}, which is '{usual.phrase}'",
                    "Give it another name, or accept it with a reason.",
                )


def openings(checking: Checking) -> None:
    """Pickers, pages and schedules that open with a problem, and charts that show nothing."""
    book, moment = checking.book, checking.moment
    told: set[str] = set()
    for name, entry in book.sources.items():
        if entry.where and checking.source(name) is not None:
            whole = replace(entry, where=()).opened(moment=moment)
            for column, values in entry.where:
                checking.lacks(("sources", name, "where", column), whole, column, values)
    for name, picker in book.pickers.items():
        path = ("pickers", name, "opens" if _says(checking, "pickers", name) else "choices")
        _problems(checking, path, View(picker, picker.at(moment)), told)
    for picker in book.pickers.values():
        _closed_choices(checking, View(picker, picker.at(moment)))
    opened: dict[str, Any] = {}
    for name, page in book.pages.items():
        shown = page._opened_at(moment)
        for view in shown.views.values():
            if view.picker.start and view.frozen is not None and not view.problems:
                checking.add(
                    "stale",
                    ("pages", name, "opens"),
                    f"it opens with typed dates, {view.choice_label}; they are the same next month",
                    "Open with a choice that moves.",
                )
            _problems(checking, ("pages", name, "opens"), view, told)
        _charts(checking, ("pages", name, "charts"), shown, opened)
        _filters(checking, ("pages", name), shown)
    for name, schedule in book.schedules.items():
        shown = schedule.page._read_at(moment, schedule.opens, "schedule")
        _filters(checking, ("schedules", name), shown, only=schedule.opens)
        for view in shown.views.values():
            _problems(checking, ("schedules", name, "opens"), view, told)
        if schedule.opens:
            _empty(checking, ("schedules", name, "opens"), shown)


def _filters(
    checking: Checking, path: Key, shown: OpenedPage, only: Iterable[str] | None = None
) -> None:
    """Filters by value that filter nothing, or open with what the data does not hold."""
    for name, one in shown.filters.items():
        if only is not None and name not in only:
            continue
        if any(checking.source(chart.chart.source) is None for chart in one.charts):
            continue  # It cannot be read, which is told of the source.
        if not one.charts:
            checking.add(
                "nothing",
                (*path, "values"),
                f"{name!r} filters no chart: no source of them has a column {one.made.column!r}, "
                "so whatever viewers choose keeps all rows",
                f"Say its column in [values.{name}], or leave it out.",
            )
        elif one.problem:
            own = (*path, "opens", name) if only or name in shown.page.values_open else None
            checking.add(
                "nothing",
                own or ("values", name, "opens"),
                f"it opens with a problem, so that its charts have no rows: {one.problem}",
                "Open with values that the data holds.",
            )


def _says(checking: Checking, section: str, name: str) -> bool:
    entry = checking.values.get(section, {}).get(name, {})
    return isinstance(entry, dict) and "opens" in entry


def _problems(checking: Checking, path: Key, view: View, told: set[str]) -> None:
    """A view that opens with problems; what a page only takes over from its picker is not told
    again, nor what was told of the period itself."""
    text = "; ".join(view.problems)
    if not text or text in told or _is_told(checking, view):
        return
    told.add(text)
    checking.add(
        "nothing",
        path,
        f"it opens with {view.choice_label!r}, which has no dates on {checking.today}: {text}",
        "Say what its inputs open with, or open with another choice.",
    )


def _closed_choices(checking: Checking, view: View) -> None:
    """Choices that have no dates until a viewer types some."""
    for one in view.picker.choices:
        waiting = [
            name for name, made in one.inputs.items() if made.needs_opening and made.opens is None
        ]
        if waiting and one.key != view._opening_key and one.key in checking.book.periods:
            told = ", ".join(f"{{{name}}}" for name in waiting)
            checking.add(
                "nothing",
                ("periods", one.key),
                f"whoever chooses it sees a problem first: nothing to open {told} with",
                "Add opens = … to its inputs.",
                as_hint=True,
            )


def _is_told(checking: Checking, view: View | None, key: str | None = None) -> bool:
    """Whether the period that is shown has a finding of its own that says so."""
    name = key or (view.choice if view is not None else None)
    return name is not None and checking.has_found("nothing", ("periods", name))


def _charts(checking: Checking, path: Key, shown: OpenedPage, opened: dict[str, Any]) -> None:
    """Charts that say a sentence in place of values, or have no row to show."""
    able = {
        key: chart
        for key, chart in shown.charts.items()
        if checking.source(chart.chart.source) is not None
        and not checking.has_found("missing", (*path, key))
    }
    values = values_of(checking.book.sources, able, opened=opened)
    for key, chart in able.items():
        found, at = values.get(key), (*path, key)
        if chart.problems and chart.view is None and not _is_told(checking, None, _pin(chart)):
            checking.add(
                "nothing",
                (*at, "period"),
                f"it has no dates on {checking.today}: {'; '.join(chart.problems)}",
            )
        elif chart.resolution is None:
            continue
        elif isinstance(found, str):
            part = "by" if chart.too_many else "beside" if chart.beside else ""
            checking.add(
                "nothing",
                (*at, part) if part else at,
                f"viewers see a sentence in place of the chart: {found}",
                "Group it by a coarser unit, or give max_buckets." if chart.too_many else "",
            )
        elif _where(checking, at, chart):
            continue
        elif not _keeps(checking, chart) and not _is_told(checking, chart.view, _pin(chart)):
            checking.add(
                "nothing",
                at,
                f"{chart.chart.source} has no row for what it opens with on {checking.today}, "
                f"{chart.dates}: viewers see an empty chart",
                "Open with dates that the data has, or measure them from the data.",
            )
        elif isinstance(found, Totals) and _is_beside_nothing(found):
            checking.add(
                "nothing",
                (*at, "beside"),
                f"what it compares with has no value in {chart.chart.source} on {checking.today}",
                "Compare with dates that the data has.",
                as_hint=True,
            )


def _pin(chart: OpenedChart) -> str | None:
    return None if chart.chart.pinned is None else chart.chart.pinned.key


def _empty(checking: Checking, path: Key, shown: OpenedPage) -> None:
    """A schedule whose charts would all be empty as it opens."""
    charts = [
        one
        for one in shown.charts.values()
        if one.resolution is not None
        and one.view is not None
        and checking.source(one.chart.source) is not None
    ]
    if charts and not any(_keeps(checking, one) for one in charts):
        if any(_is_told(checking, one.view) for one in charts):
            return
        checking.add(
            "nothing",
            path,
            f"sent on {checking.today}, no chart has a row for what it opens with, "
            f"{charts[0].dates}",
            "Open with dates that the data has.",
        )


def _where(checking: Checking, path: Key, chart: OpenedChart) -> bool:
    """Whether a chart asks for values that no row has, which is told."""
    source, said = checking.source(chart.chart.source), chart.chart.drawn.get("where") or {}
    wrong = False
    for name, values in said.items():
        wrong |= checking.lacks((*path, "where", name), source, name, values)
    return wrong


def _keeps(checking: Checking, chart: OpenedChart) -> bool:
    """Whether any row lies in the dates of a chart, and has its values."""
    source, result = checking.source(chart.chart.source), chart.resolution
    assert source is not None
    assert result is not None
    if result.is_empty:
        return False
    try:
        column = source.column(chart.chart.column)
        tz = checking.book.sources[chart.chart.source].tz
        clauses = [rows_in(source, column, tz, result, chart.chart.until)]
        for name, values in (chart.chart.drawn.get("where") or {}).items():
            some = values if isinstance(values, (list, tuple)) else [values]
            clauses.append(source.values_in(name, some))
        return bool(source.kept(column.name, and_(*clauses))[0])
    except UlnagerError:
        return True  # What is wrong there is told by the chart itself.


def _is_beside_nothing(found: Totals) -> bool:
    partners = [row for row in found.rows if row.beside_bucket is not None]
    return bool(partners) and all(not row.beside for row in partners)

"""The rules of a book, each a function that adds what it finds."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from itertools import pairwise
from typing import Final

import numpy as np

from ulnager.book.book import BookPeriod
from ulnager.checking.consistency_rules import (
    begins_late,
    offsets_end,
    runs_out,
    same_dates,
    schedules,
    unused,
    unused_units,
    zones,
)
from ulnager.checking.inspection import Checking
from ulnager.checking.label_rules import contradiction, has_year, in_english, speaks_of_now
from ulnager.checking.opening_rules import mixed_anchors, openings, usual_replaced
from ulnager.checking.rehearsing import windows_of
from ulnager.core.errors import UlnagerError
from ulnager.core.language.period import Period, PeriodBase
from ulnager.core.periods import phrases
from ulnager.core.periods.anchor_provenance import hangs_on_anchor
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.resolution import InstantResolution, Resolution
from ulnager.core.periods.rule import Kind
from ulnager.sources.profile import Profile

_STOPPED: Final = 7
"""Data whose newest day is more days behind has stopped."""
_LATELY: Final = 90
_FEW: Final = 5
"""So few days with rows do not tell how often there are some."""
_CLOSE: Final = 31
"""So many days from the data's last one is a date close to it."""
_BACK: Final = 4_000


def missing(checking: Checking) -> None:
    """Columns that are not there; sources and their date columns are told when they are opened."""
    for name in checking.book.sources:
        checking.profile(name)
    for page in checking.book.pages.values():
        for chart in page.charts:
            source = checking.source(chart.source)
            if source is None:
                continue
            names = [one.name for one in source.columns]
            path = ("pages", page.name, "charts", chart.key)
            wanted = [
                ("column", chart.column),
                ("until", chart.until),
                ("value", chart.drawn.get("value")),
                ("split", chart.drawn.get("split")),
            ]
            wanted += [("where", column) for column in chart.drawn.get("where", {})]
            for key, column in wanted:
                if column is not None and column not in names:
                    checking.add(
                        "missing",
                        (*path, key),
                        f"there is no column {column!r} in {chart.source}; the chart stays empty",
                        f"It has: {', '.join(names[:20])}.",
                    )


def nothing_or_everything(checking: Checking) -> None:
    """Periods that keep no row of a source, and those that keep all."""
    for entry, result in checking.all_resolved():
        if isinstance(result, InstantResolution):
            continue
        for name in checking.used_by[entry.name]:
            held = checking.profile(name)
            if held is None or not held.counts:
                continue
            kept, path = checking.kept(name, result), ("periods", entry.name)
            if kept == 0:
                dates = "no dates" if result.is_empty else f"{result.start} to {result.end}"
                checking.add(
                    "nothing",
                    path,
                    f"it keeps no row of {name}, which holds {held.first} to {held.last}: on "
                    f"{checking.today} it has {dates}. {_since(checking, entry, held)} Viewers "
                    "see an empty chart.",
                    f"{_from_data(name)} Or look why {name} has stopped."
                    if hangs_on_anchor(entry.period.definition)
                    else "Write dates that the data has.",
                )
                break
            if kept == sum(held.counts.values()) and str(entry.period) != "all dates":
                checking.add(
                    "everything",
                    path,
                    f"on {checking.today} it keeps all {kept:,} rows of {name}: a filter that does "
                    "nothing looks like one that works",
                    "Say 'all dates' where that is meant, or a shorter period.",
                )
                break


def _from_data(name: str) -> str:
    """The lines that measure a period from the data of a source."""
    return (
        f"Measure it from the data: [anchors] {name}_end = {{ point = 'latest', sources = "
        f"['{name}'] }}, and anchor = '{name}_end' in the period."
    )


def _since(checking: Checking, entry: BookPeriod, held: Profile) -> str:
    """Since when a period keeps nothing."""
    phrase = checking.period(entry)
    if phrase is None or checking.asks_data(entry) or phrase.definition.is_sub_day:
        return ""
    anchor = checking.anchor_of(entry)
    if anchor is not None:
        point = anchor.as_point.definition
        phrase = phrase._as_of(point)
    low, high = held.first.toordinal(), checking.today.toordinal()
    days = np.arange(max(low, high - _BACK), high + 1, dtype=np.int64)
    if not len(days):
        return ""
    settings = {
        "calendar": checking.calendar(entry),
        "calendars": checking.book.calendars,
        "defaults": checking.book.defaults,
    }
    found = windows_of(phrase, days, settings)
    kept = np.array(sorted(day.toordinal() for day in held.counts), dtype=np.int64)
    stops = np.where(found.lengths < 0, 4_000_000, found.stops)
    has = np.searchsorted(kept, np.maximum(found.starts, 0)) < np.searchsorted(kept, stops)
    has &= found.lengths != 0
    if not has.any():
        return "It never kept one."
    last = int(days[np.flatnonzero(has)[-1]])
    return f"It has kept none since {date.fromordinal(last + 1)}."


def labels(checking: Checking) -> None:
    """Labels that say another thing than their phrase."""
    book = checking.book
    for name, entry in book.periods.items():
        result = checking.resolved(entry)
        for key, label in (("label", entry.label), ("short", entry.short)):
            if key not in _raw(checking, "periods", name):
                continue
            wrong = contradiction(label, entry.period.definition, result)
            for locale, text in (book.language.texts or {}).get(label, {}).items():
                said = None if locale == "en" else in_english(text)
                if wrong is None and said:
                    wrong = contradiction(said, entry.period.definition, None)
                    label = text if wrong is not None else label
            if wrong is not None:
                checking.add(
                    "label",
                    ("periods", name, key),
                    f"the label {label!r} {wrong}: viewers read other dates than they see",
                    f"Write a label for '{entry.period}'"
                    + (f", such as '{result.label}'." if result is not None else "."),
                )


def _raw(checking: Checking, section: str, name: str) -> dict[str, object]:
    found = checking.values.get(section, {}).get(name, {})
    return found if isinstance(found, dict) else {}


def stale(checking: Checking) -> None:
    """Fixed dates where viewers expect dates that move."""
    book = checking.book
    fixed = {
        entry.name: result
        for entry, result in checking.all_resolved()
        if _is_fixed(entry, result, checking)
    }
    opening = set()
    for name, picker in book.pickers.items():
        opened = _raw(checking, "pickers", name).get("opens", picker.opens)
        if opened in fixed:
            opening.add(str(opened))
            checking.add(
                "stale",
                ("pickers", name, "opens"),
                f"it opens with {opened}, whose dates are typed: {_dates(fixed[str(opened)])}; "
                "they are the same next month",
                "Open with a period that moves, such as 'last 30 rolling days'.",
            )
    for name, result in fixed.items():
        label = book.periods[name].label
        if speaks_of_now(label):
            checking.add(
                "stale",
                ("periods", name),
                f"the label {label!r} speaks of now, and its dates are typed: {_dates(result)}",
                "Write the phrase that moves, or a label that names these dates.",
            )
        elif name not in opening:
            ends = [
                held.last
                for one in checking.used_by[name] or book.sources
                if (held := checking.profile(one)) is not None
            ]
            if ends and result.end is not None and result.end < max(ends):
                checking.add(
                    "stale",
                    ("periods", name),
                    f"its dates are typed, {_dates(result)}, and the data goes on to {max(ends)}",
                    "Accept it with a reason if it is history, or put its year into the label.",
                    as_hint=True,
                    only_accepted=has_year(label),
                )


def _is_fixed(entry: BookPeriod, result: Resolution, checking: Checking) -> bool:
    return (
        not result.is_measured
        and not checking.asks_data(entry)
        and not result.is_empty
        and result.start is not None
        and result.end is not None
    )


def _dates(result: Resolution) -> str:
    return f"{result.start} to {result.end}"


def two_readings(checking: Checking) -> None:
    """Ambiguous phrases that nothing decides."""
    book = checking.book
    if book.defaults is not None:
        return
    for name, entry in book.periods.items():
        _check_readings(checking, ("periods", name), checking.period(entry) or entry.period)
    for page in book.pages.values():
        for chart in page.charts:
            path = ("pages", page.name, "charts", chart.key)
            if chart.pinned is not None and chart.pinned.key not in book.periods:
                _check_readings(checking, (*path, "period"), chart.pinned.period)
            phrase = chart.drawn.get("running")
            if phrase is not None:
                try:
                    _check_readings(checking, (*path, "running"), book.read(phrase))
                except UlnagerError as error:
                    checking.add("book", (*path, "running"), str(error).split("\n")[0])


def _check_readings(checking: Checking, path: tuple[str, ...], phrase: PeriodBase) -> None:
    parts = phrase.definition.walk()
    is_read = any(part.rule.kind is Kind.READING for part in parts)
    if not is_read or not isinstance(phrase, Period):  # Dates that viewers type are told by them.
        return
    told = []
    for reading in phrase.readings().values():
        try:
            result = reading.resolve(
                today=checking.today,
                calendar=checking.book.calendar,
                calendars=checking.book.calendars,
            )
            told.append(f"'{reading}' is {_dates(result)}")
        except UlnagerError:
            told.append(f"'{reading}'")
    checking.add(
        "two-readings",
        path,
        f"'{phrase}' can be read in {len(told)} ways, and nothing says which: {'; '.join(told)}",
        f"Write one of them, or decide for the book: [readings] {phrase.family} = 'whole'.",
    )


def single_day(checking: Checking) -> None:
    """Points a while ago, which keep one day."""
    for entry, result in checking.all_resolved():
        point = entry.period.definition.point
        if point is None or point.rule.shape != ("count", "units", "point"):
            continue
        count, unit = point.args[0], point.args[1]
        named = unit.name if count == 1 else unit.plural
        checking.add(
            "single-day",
            ("periods", entry.name),
            f"'{entry.period}' is one day, {result.start}, not the time since",
            f"Write 'last {count} rolling {named}', or 'since {entry.period}'.",
        )


def half_loaded(checking: Checking) -> None:
    """Periods that end with a day that is not loaded whole."""
    for entry, result in checking.all_resolved():
        for name in checking.used_by[entry.name]:
            held = checking.profile(name)
            if held is None or held.grain is not None or held.last >= checking.today:
                continue
            if held.last_whole < held.last and result.end == held.last:
                checking.add(
                    "half-loaded-day",
                    ("periods", entry.name),
                    f"it ends on {held.last}, the newest day of {name}, which is not loaded whole: "
                    f"{held.evidence[0] if held.evidence else 'too few rows'}. It ends too low",
                    f"Measure it from 'latest whole day', {held.last_whole}.",
                )
                break


def clock_or_data(checking: Checking) -> None:
    """The clock where the data has stopped, and the data where it lies past the clock."""
    for entry, result in checking.all_resolved():
        if not result.is_measured and not checking.asks_data(entry):
            continue
        for name in checking.used_by[entry.name]:
            held = checking.profile(name)
            if held is None:
                continue
            behind = (checking.today - held.extent.last).days
            if checking.asks_data(entry):
                if behind < 0 and result.anchor.day > checking.today:
                    checking.add(
                        "clock-or-data",
                        ("periods", entry.name),
                        f"it is measured from the latest date of {name}, {held.last}, which lies "
                        f"{-behind:,} days past the clock, {checking.today}",
                        "Measure it from today, or from 'latest up to today'.",
                    )
            elif behind > _STOPPED and behind > 2 * _longest_gap(held):
                checking.add(
                    "clock-or-data",
                    ("periods", entry.name),
                    f"it is measured from the clock, {checking.today}, and {name} ends on "
                    f"{held.last}, {behind:,} days before: its last days are empty",
                    _from_data(name),
                )


def _longest_gap(held: Profile) -> int:
    """The longest way from one day with rows to the next, in the last ninety days; of what comes
    seldom, in the last two years."""
    for lately in (_LATELY, 8 * _LATELY):
        near = (day for day in held.counts if 0 <= (held.last - day).days <= lately)
        days = sorted(near)
        if len(days) > _FEW:
            break
    return max((b - a).days for a, b in pairwise(days)) if days[1:] else 0


def typed_anchor(checking: Checking) -> None:
    """Fixed dates as anchors, close to the data's last day."""
    book = checking.book
    lasts = {name: held.last for name in book.sources if (held := checking.profile(name))}
    points: list[tuple[tuple[str, ...], Definition]] = [
        (("anchors", name, "point"), one.point.definition) for name, one in book.anchors.items()
    ]
    points += [
        (("periods", name), part.args[1])
        for name, entry in book.periods.items()
        for part in entry.period.definition.walk()
        if part.rule.sets_anchor
    ]
    for path, definition in points:
        point = definition.point or definition
        if point.rule is not phrases.day:
            continue
        day = point.args[0]
        near = [name for name, last in lasts.items() if abs((last - day).days) <= _CLOSE]
        if near:
            checking.add(
                "typed-anchor",
                path,
                f"it is measured from {day}, a typed date close to the last day of {near[0]}, "
                f"{lasts[near[0]]}: it stays there when new data comes",
                "Write 'latest' or 'latest whole day'.",
            )


ALL: Final[tuple[Callable[[Checking], None], ...]] = (
    missing,
    nothing_or_everything,
    labels,
    stale,
    two_readings,
    single_day,
    half_loaded,
    clock_or_data,
    begins_late,
    offsets_end,
    runs_out,
    zones,
    mixed_anchors,
    schedules,
    same_dates,
    usual_replaced,
    typed_anchor,
    openings,
    unused,
    unused_units,
)

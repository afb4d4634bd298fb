"""Rules about parts of a book that must fit together: calendars, zones, schedules, choices."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from typing import TYPE_CHECKING, Any, Final

import numpy as np
from sqlalchemy import func, select

from ulnager.book.book import BookPeriod
from ulnager.book.sources import BookSource
from ulnager.checking.inspection import Checking
from ulnager.checking.periods_of_entries import periods_named
from ulnager.checking.rehearsing import Dates, rehearse, windows_of
from ulnager.core.calendars.table_calendar import TableCalendar
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import SourceError, UlnagerError
from ulnager.core.periods.definitions import Definition
from ulnager.core.units import Unit

if TYPE_CHECKING:
    from ulnager.checking.inspection import Checking


def runs_out(checking: Checking) -> None:
    """Holidays and tables that end before the periods do."""
    for entry, result in checking.all_resolved():
        calendar, end = checking.calendar(entry), result.end
        if end is None:
            continue
        name = next((n for n, one in checking.book.calendars.items() if one == calendar), None)
        path = ("calendars", name) if name else ("periods", entry.name)
        holidays = calendar.business.holidays
        if holidays and _counts_business_days(entry) and holidays[-1].year < end.year:
            checking.add(
                "runs-out",
                (*path, "holidays"),
                f"its last holiday is {holidays[-1]}, and {entry.name} counts business days up to "
                f"{end}: from {end.year}-01-01 on, holidays are counted as business days",
                f"Add those of {end.year}.",
            )
        if isinstance(calendar, TableCalendar):
            _check_table(checking, calendar, entry, end, path)


def _check_table(
    checking: Checking, calendar: TableCalendar, entry: BookPeriod, end: date, path: tuple[str, ...]
) -> None:
    units = {one.name for one in _units(entry.period.definition)}
    for unit in calendar.own_units:
        if unit.name not in units:
            continue
        try:
            stop = calendar._unit_stop(end.toordinal(), unit)
            calendar._unit_stop(stop, unit)
        except UlnagerError:
            checking.add(
                "runs-out",
                path,
                f"its table has no {unit.name} after {end}, where {entry.name} ends",
                f"Add the next {unit.plural} to the table.",
            )


def _units(definition: Definition) -> list[Unit]:
    return [arg for part in definition.walk() for arg in part.args if isinstance(arg, Unit)]


def _counts_business_days(entry: BookPeriod) -> bool:
    text = str(entry.period)
    return Unit.BUSINESS_DAY in _units(entry.period.definition) or "business day" in text


def zones(checking: Checking) -> None:
    """A source, a picker and a schedule whose days lie in different zones."""
    book = checking.book
    told = set()
    for page in book.pages.values():
        for chart in page.charts:
            zone = book.sources[chart.source].tz
            picker = None if chart.follows is None else page.pickers[chart.follows]
            if picker is None or picker.tz is None or zone is None or picker.tz == zone:
                continue
            if (picker.name, chart.source) not in told:
                told.add((picker.name, chart.source))
                checking.add(
                    "zones",
                    ("pickers", picker.name, "tz"),
                    f"its days are those of {picker.tz}, and {chart.source} lays its rows onto "
                    f"those of {zone}: around midnight a row falls on another day",
                    "Give both the same tz.",
                )
    for name, schedule in book.schedules.items():
        for picker in schedule.page.pickers.values():
            if picker.tz is not None and picker.tz != str(schedule.zone):
                checking.add(
                    "zones",
                    ("schedules", name, "tz"),
                    f"it goes out by the days of {schedule.zone}, and its picker {picker.name} has "
                    f"those of {picker.tz}: near midnight it is of another day",
                    "Give both the same tz.",
                )


def schedules(checking: Checking) -> None:
    """Schedules whose windows overlap, or leave days out."""
    book = checking.book
    for name, schedule in book.schedules.items():
        midnight = datetime.combine(checking.today, time(), schedule.zone)
        if schedule.next(midnight) is None:
            checking.add(
                "nothing",
                ("schedules", name, "every"),
                f"{schedule.every} has no moment after {checking.today}: it goes out no more",
                "Give it another end, or take it out.",
            )
        follows = {one.key for one in schedule.page.charts if one.follows and not one.shift}
        told = set()
        for key, named in periods_named(book, name).items():
            if key not in follows or str(named.period) in told:
                continue
            told.add(str(named.period))
            try:
                found = rehearse(
                    named.period,
                    checking.today,
                    _after(checking.today, 400),
                    calendar=named.calendar,
                    calendars=book.calendars,
                    defaults=book.defaults,
                    every=named.every,
                    starts=named.starts,
                    readings=False,
                )
            except UlnagerError:
                continue
            often = f"sent by {schedule.every}, '{named.period}'"
            if found.more_than_once:
                checking.add(
                    "counted-twice",
                    ("schedules", name),
                    f"{often} has {_listed(found.more_than_once)} in more than one mail: who adds "
                    "them up counts twice",
                    "Send it as often as the period is long, or accept it with a reason.",
                )
            if found.never:
                checking.add(
                    "left-out",
                    ("schedules", name),
                    f"{often} never has {_listed(found.never)}",
                    "Make the period as long as the time between two mails.",
                )


def _after(day: date, days: int) -> date:
    """So many days later, or the last day of all."""
    return date.fromordinal(min(day.toordinal() + days, date.max.toordinal()))


def _listed(ranges: tuple[Dates, ...]) -> str:
    days = sum((last - first).days + 1 for first, last in ranges)
    first, last = ranges[0]
    told = str(first) if first == last else f"{first} to {last}"
    return (
        f"{told}{f' and {days - (last - first).days - 1:,} days more' if len(ranges) > 1 else ''}"
    )


def same_dates(checking: Checking) -> None:
    """Choices of one picker that have the same dates on every day of ten years."""
    book = checking.book
    days = np.arange(checking.today.toordinal(), checking.today.toordinal() + 3653, dtype=np.int64)
    for name, picker in book.pickers.items():
        seen: dict[tuple[bytes, bytes, bytes], str] = {}
        for key, named in periods_named(book, name).items():
            if named.period.definition.is_sub_day:
                continue
            settings = {
                "calendar": named.calendar,
                "calendars": book.calendars,
                "defaults": book.defaults,
            }
            try:
                found = windows_of(named.period, days, settings)
            except UlnagerError:
                continue
            sign = (found.starts.tobytes(), found.stops.tobytes(), found.lengths.tobytes())
            if sign in seen and picker.choices:
                checking.add(
                    "same-dates",
                    ("pickers", name, "choices"),
                    f"{key} has the same dates as {seen[sign]} on every day of ten years",
                    "Leave one of them out.",
                )
            seen.setdefault(sign, key)


_NAME: Final = re.compile(r"[a-z][a-z0-9_]*")
_PHRASES: Final = ("phrase", "point", "period", "running", "beside")
_NAMED_BY: Final = {
    "calendars": ("calendar", "base", *_PHRASES),
    "sources": ("source", "sources", "query"),
    "anchors": ("anchor", "of", *_PHRASES),
    "periods": ("choices", "opens", *_PHRASES),
    "pickers": ("picker", "follows"),
}
"""The keys that name something of a section."""
_WHAT: Final = {
    "calendars": "calendar",
    "sources": "source",
    "anchors": "anchor",
    "periods": "period",
    "pickers": "picker",
}


def unused(checking: Checking) -> None:
    """Calendars, sources and anchors that nothing uses; periods that no picker, chart or phrase
    does, where the book has any; pickers on no page, where it has pages."""
    book = checking.book
    words: dict[str, set[str]] = {}
    for key, word in _words(checking.values):
        words.setdefault(key, set()).add(word)
    is_asked = {
        "periods": bool(book.pickers or book.pages),
        "pickers": bool(book.pages),
        # The only source answers for all.
        "sources": len(book.sources) > 1 and bool(book.pages or book.anchors),
    }
    for section, keys in _NAMED_BY.items():
        if not is_asked.get(section, True):
            continue
        used = set().union(*(words.get(key, set()) for key in keys))
        for name in getattr(book, section):
            if name not in used:
                checking.add(
                    "unused",
                    (section, name),
                    f"no part of the book uses this {_WHAT[section]}",
                    "Take it out, or accept it with a reason.",
                )


def unused_units(checking: Checking) -> None:
    """Pickers that let viewers choose a unit which no chart is grouped by, or a comparison that no
    chart follows; filters by value on no page."""
    book = checking.book
    for name, picker in book.pickers.items():
        charts = [one for page in book.pages.values() for one in page.charts if one.follows == name]
        if picker.by is not None and charts and not any(one.by == "viewer" for one in charts):
            checking.add(
                "unused",
                ("pickers", name, "by"),
                "no chart is grouped by what viewers choose here, so it is not offered",
                "Say by = 'viewer' in a chart, or take it out.",
            )
        is_followed = any(one.drawn.get("beside") == "viewer" for one in charts)
        if picker.compare is not None and charts and not is_followed:
            checking.add(
                "unused",
                ("pickers", name, "compare"),
                "no chart is compared with what viewers choose here, so it is not offered",
                "Say beside = 'viewer' in a chart, or take it out.",
            )
    offered = {one.name for page in book.pages.values() for one in page.filters}
    for name in checking.values.get("values", {}):
        if name not in offered:
            checking.add(
                "unused",
                ("values", name),
                "no page offers this filter by value",
                f"Say values = ['{name}'] on a page, or take it out.",
            )


def _words(values: Any, path: tuple[str, ...] = ()) -> Iterator[tuple[str, str]]:
    """The words of all texts, each with the key that it stands under."""
    key = path[-1] if path else ""
    if isinstance(values, dict):
        for name, one in values.items():
            if key == "opens":
                # A state: the picker and its input, and what it opens with.
                yield "picker", name.split(".")[0]
                yield from _words(one, path)
            elif name not in ("accept", "where"):
                yield from _words(one, (*path, str(name)))
    elif isinstance(values, list):
        for one in values:
            yield from _words(one, path)
    elif isinstance(values, str):
        if len(path) == 2 and path[0] in ("periods", "anchors"):
            key = "phrase"  # Its short form.
        for word in _NAME.findall(values):
            yield key, word


def offsets_end(checking: Checking) -> None:
    """A table of offsets that ends within a year, or has no rows for the book's zones."""
    book = checking.book
    if book.offsets is None:
        return
    try:
        held = _offsets_held(book.offsets)
    except SourceError as error:
        checking.add("runs-out", ("offset_file",), str(error))
        return
    for zone, last in held.items():
        if last < _after(checking.today, 365):
            checking.add(
                "runs-out",
                ("offset_file",),
                f"the offsets of {zone} end on {last}; live conditions keep no row after that",
                f"Write them anew: ulnager calendar FIRST LAST --offsets {zone} --to …",
            )
    asked = {book.tz, *(one.tz for one in book.sources.values())} - {None, "UTC"}
    for name in sorted(str(one) for one in asked if one not in held):
        checking.add(
            "runs-out",
            ("offset_file",),
            f"the table of offsets has no {name}, in which days begin here",
            f"Write it with --offsets {name}, too.",
        )


def _offsets_held(source: BookSource) -> dict[str, date]:
    """The zones of a table of offsets, each with the last day that lies in it whole."""
    found = source.opened()
    if {"zone", "utc_stop"} - {one.name for one in found.columns}:
        raise SourceError(
            f"{source.told_place} has no columns zone and utc_stop, which a table of offsets has"
        )
    zone, stop = found.value("zone"), found.value("utc_stop")
    rows = found.run(select(zone, func.max(stop)).select_from(found.rows).group_by(zone))
    # A day of any zone is over two days after its midnight in UTC.
    return {
        str(name): date(1970, 1, 1) + timedelta(int(last) // 86_400 - 2)
        for name, last in sorted(rows, key=str)
    }


def begins_late(checking: Checking) -> None:
    """Tables of calendars that begin after the data of the sources that go by them."""
    book = checking.book
    for name, source in book.sources.items():
        calendar = source.calendar or book.calendar
        if not isinstance(calendar, TableCalendar):
            continue
        extent = checking.extent([name])
        if extent is None:
            continue
        for unit in calendar._tables:
            first = date_of(calendar._tables[unit].edges[0])
            if extent.first < first:
                named = next((n for n, one in book.calendars.items() if one == calendar), "")
                checking.add(
                    "runs-out",
                    ("calendars", named) if named else ("sources", name),
                    f"its table has no {unit.name} before {first}, and {name} begins on "
                    f"{extent.first}: what lies before is one bar by {unit.name}",
                    f"Add the {unit.plural} from then on, or say the period of the source.",
                )

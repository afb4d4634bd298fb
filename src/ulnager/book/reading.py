"""Reading a book: from a TOML file to named periods that resolve.

Every mistake is reported with the file, the path to the key, and what would be right.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from ulnager.book.book import Book, BookAnchor, BookPeriod, read_phrase
from ulnager.book.house import House
from ulnager.book.languages import language_of, one_language
from ulnager.book.offering import Offers
from ulnager.book.offers import ByEntry, ChartEntry, PageEntry, PickerEntry, ScheduleEntry
from ulnager.book.paging import Pages, checked_names
from ulnager.book.schema import (
    AnchorEntry,
    BookFile,
    CalendarEntry,
    CycleEntry,
    PeriodEntry,
    ReadingsEntry,
    SourceEntry,
)
from ulnager.book.signing import KeySigner
from ulnager.book.sources import BookSource, lag_of
from ulnager.book.toml import values_of_file
from ulnager.core.arguments import Sort, checked
from ulnager.core.calendars.base import Calendar
from ulnager.core.calendars.business import BusinessDays
from ulnager.core.calendars.months import MonthCalendar
from ulnager.core.calendars.weeks import WeekCalendar
from ulnager.core.choices.resolver import asks_data
from ulnager.core.errors import BookError, PeriodSyntaxError, SettingError, SourceError
from ulnager.core.language.openperiod import open_period
from ulnager.core.language.period import Period
from ulnager.core.language.reader import is_phrase, read_period
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.phrases.shifts import GREGORIAN_NAME
from ulnager.core.suggest import nearest, no_such
from ulnager.core.units import own_unit
from ulnager.sources.days import calendar_from_file, holidays_from_file, holidays_of
from ulnager.sources.limits import limits_now
from ulnager.sources.profile import SHARE
from ulnager.sources.queries import checked_query


@checked(path=Sort((str, Path), "the path of a book"))
def read_book(path: str | Path, *, allow_outside: bool = False) -> Book:
    """The book in a TOML file.

    It reads files in and below its own folder only, and no database server, unless
    ``allow_outside`` is set: a book is data, and may come from somebody else.

    >>> from ulnager.demo import book_file
    >>> read_book(book_file()).period("quarter").label
    'Last 3 whole months'

    Raises BookError with the file, the key path, what is wrong and what would be right.
    """
    return book_of(path, values_of_file(path), allow_outside=allow_outside)


def book_of(path: str | Path, values: Mapping[str, Any], *, allow_outside: bool = False) -> Book:
    """The book that these values of a file define; BookError at the first mistake."""
    file = str(path)
    values, texts = one_language(values)
    try:
        entries = BookFile.model_validate(values)
    except ValidationError as error:
        raise _shape_error(file, error) from None
    house = House(Path(path).resolve().parent, allow_outside)
    calendars = _calendars(file, entries, house)
    sources = _sources(file, entries, calendars, house)
    anchors = {
        name: _anchor(file, name, anchor, sources, calendars)
        for name, anchor in entries.anchors.items()
    }
    periods = {}
    for name, entry in entries.periods.items():
        key = f"periods.{name}"
        _check_name(file, key, name)
        periods[name] = BookPeriod(
            name,
            _phrase_with_inputs(file, key, entry, calendars),
            entry.label or name.replace("_", " ").capitalize(),
            _named(file, f"{key}.anchor", "anchor", entry.anchor, anchors),
            _named(file, f"{key}.calendar", "calendar", entry.calendar, calendars),
            entry.short,
            entry.ranges,
        )
    book = Book(
        file,
        calendars,
        sources,
        anchors,
        periods,
        Defaults(entries.readings.last, entries.readings.next)
        if "readings" in entries.model_fields_set
        else None,
        _named(file, "calendar", "calendar", entries.calendar, calendars),
        _named(file, "anchor", "anchor", entries.anchor, anchors),
        language=language_of(file, "", entries.locale, entries.dates_as, texts),
    )
    return _with_offers(book, entries)


def _with_offers(book: Book, entries: BookFile) -> Book:
    """The book with its pickers, pages and schedules."""
    if not (entries.pickers or entries.pages or entries.schedules or entries.picker):
        return book
    signer = None if entries.link_key is None else KeySigner(entries.link_key)
    offers = Offers(book, signer)
    checked_names(offers, entries.pickers, entries.pages, entries.schedules)
    pickers = {name: offers.picker(name, entry) for name, entry in entries.pickers.items()}
    if entries.picker is not None:
        offers.known("picker", "picker", entries.picker, pickers)
    paged = Pages(book, offers, pickers)
    pages = {name: paged.page(name, entry, entries.picker) for name, entry in entries.pages.items()}
    schedules = {
        name: paged.schedule(name, entry, pages) for name, entry in entries.schedules.items()
    }
    return replace(book, pickers=pickers, pages=pages, schedules=schedules)


Found = TypeVar("Found")


def _named(
    file: str, key: str, what: str, name: str | None, known: Mapping[str, Found]
) -> Found | None:
    """What an entry names, None when it names nothing."""
    if name is not None and name not in known:
        fix = f"Add it under [{what}s], or name one that is there."
        raise BookError(file, key, no_such(what, name, known), fix)
    return None if name is None else known[name]


def _calendars(file: str, entries: BookFile, house: House) -> dict[str, Calendar]:
    """The calendars of a book; one may build on another, wherever that stands."""
    found: dict[str, Calendar] = {}

    def make(name: str, waiting: tuple[str, ...]) -> None:
        entry, key = entries.calendars[name], f"calendars.{name}"
        if len(waiting) >= limits_now().bases:
            raise BookError(
                file, "calendars", f"more than {limits_now().bases} calendars build on "
                "each other", "Let it build on one of the first.",
            )  # fmt: skip
        base = entry.base
        if base is not None and base not in found:
            _named(file, f"{key}.base", "calendar", base, entries.calendars)
            if base in (*waiting, name):
                circle = " → ".join((*waiting, name, base)[(*waiting, name).index(base) :])
                raise BookError(
                    file, f"{key}.base", f"these calendars build on each other: {circle}",
                    "Leave the base out of one of them.",
                )  # fmt: skip
            make(base, (*waiting, name))
        try:
            found[name] = _calendar(house, entry, found)
        except (SettingError, SourceError) as error:
            raise BookError(file, key, str(error)) from None

    if GREGORIAN_NAME in entries.calendars:
        raise BookError(
            file, f"calendars.{GREGORIAN_NAME}", f"'{GREGORIAN_NAME}' is the name of the Gregorian "
            "calendar, which every phrase may speak of", "Choose another name.",
        )  # fmt: skip
    for name in entries.calendars:
        if name not in found:
            make(name, ())
    return {name: found[name] for name in entries.calendars}


def _calendar(house: House, entry: CalendarEntry, known: dict[str, Calendar]) -> Calendar:
    kind = _KINDS[entry.kind]
    given = entry.model_dump(exclude_none=True)
    for name in _KIND_KEYS:
        if name in given and name not in kind:
            raise SettingError(
                f"{name} is not for a calendar of {entry.kind}; it takes {', '.join(kind)}"
            )
    settings = {name: given[name] for name in kind if name in given}
    holidays = list(entry.holidays)
    if entry.holiday_file is not None:
        holidays += holidays_from_file(house.path(entry.holiday_file), within=house.within)
    if entry.holiday_country is not None:
        holidays += holidays_of(entry.holiday_country, entry.holiday_region)
    days_off = ("saturday", "sunday") if entry.days_off is None else tuple(entry.days_off)
    shared: dict[str, Any] = {
        "business": BusinessDays(days_off, holidays, entry.working_days),
        "cycles": [own_unit(name, unit.days, unit.starts) for name, unit in entry.cycles.items()],
    }
    if entry.kind == "weeks":
        return WeekCalendar(year_named_by=entry.year_named_by, **settings, **shared)
    if entry.kind == "months":
        return MonthCalendar(year_named_by=entry.year_named_by, **settings, **shared)
    if entry.file is None:
        raise SettingError("a calendar of kind table needs the file that lists its units")
    base = known[entry.base] if entry.base else MonthCalendar(**shared)
    return calendar_from_file(house.path(entry.file), base, within=house.within)


_KINDS = {
    "months": ("year_starts", "week_starts"),
    "weeks": ("layout", "last_day", "month", "ends", "long_period"),
    "table": ("file", "base"),
}
_KIND_KEYS = [name for names in _KINDS.values() for name in names]


def _sources(
    file: str, entries: BookFile, calendars: dict[str, Calendar], house: House
) -> dict[str, BookSource]:
    found = {}
    for name, entry in entries.sources.items():
        key = f"sources.{name}"
        try:
            place, lag = _place(entry, house), lag_of(entry.loaded)
        except (SettingError, SourceError) as error:
            raise BookError(file, key, str(error)) from None
        found[name] = BookSource(
            name,
            place,
            entry.column,
            entry.tz,
            _named(file, f"{key}.calendar", "calendar", entry.calendar, calendars),
            SHARE if entry.share is None else entry.share,
            entry.table,
            entry.password_env,
            tuple(
                (setting, given)
                for setting in _READ_AS
                if (given := getattr(entry, setting)) is not None
            )
            + _key_types(file, key, entry),
            None if entry.period is None
            else _phrase(file, f"{key}.period", entry.period, calendars),
            tuple((column, tuple(one) if isinstance(one, list) else (one,))
                  for column, one in entry.where.items()),
            within=house.within,
            lag=lag,
        )  # fmt: skip
    for name, entry in entries.sources.items():
        if entry.query is not None:
            found[name] = replace(found[name], **_asked(file, name, entry, found))
    return found


def _asked(
    file: str, name: str, entry: SourceEntry, found: dict[str, BookSource]
) -> dict[str, Any]:
    """The query of a source, and the others that it may speak of, which are no queries."""
    others = tuple(one for key, one in found.items() if key != name and one.place)
    query = str(entry.query)
    try:
        checked_query(query, "duckdb", [one.name for one in others])
    except (SourceError, SettingError) as error:
        raise BookError(
            file, f"sources.{name}.query", str(error), "It reads the book's sources that are files."
        ) from None
    return {"query": query, "others": others}


_READ_AS = ("delimiter", "header", "encoding", "date_format", "grain", "stamps", "open_ended")


def _key_types(file: str, key: str, entry: SourceEntry) -> tuple[tuple[str, Any], ...]:
    if entry.column_type is None:
        return ()
    if entry.column is None:
        raise BookError(file, key, "column_type is about a column", "Name that too: column = …")
    return (("column_types", {entry.column: entry.column_type}),)


def _place(entry: SourceEntry, house: House) -> str | tuple[str, ...]:
    """Where a source of a book is."""
    said = [one for one in (entry.file, entry.url, entry.query) if one is not None]
    if len(said) != 1:
        raise SettingError(
            "a source is a file, the url of a database, or a query over others; give one of them"
        )
    if entry.query is not None:
        if entry.table is not None or entry.password_env is not None:
            raise SettingError("table and password_env are for the url of a database")
        return ()
    if entry.url is not None:
        if entry.table is None:
            raise SettingError("the url of a database needs a table")
        return house.url(entry.url)
    if entry.table is not None or entry.password_env is not None:
        raise SettingError("table and password_env are for the url of a database, not for a file")
    if isinstance(entry.file, list):
        return tuple(house.path(name) for name in entry.file)
    return house.path(str(entry.file))


def _anchor(
    file: str,
    name: str,
    entry: AnchorEntry,
    sources: dict[str, BookSource],
    calendars: dict[str, Calendar],
) -> BookAnchor:
    key = f"anchors.{name}"
    point = _phrase(file, key, entry.point, calendars)
    if point.definition.rule.key != "on":
        raise BookError(
            file,
            key,
            f"'{entry.point}' is a period, and an anchor is one day",
            f"Write 'start of {point}' or 'end of {point}'.",
        )
    named = [_named(file, f"{key}.sources", "source", one, sources) for one in entry.sources]
    found = tuple(one for one in named if one is not None)
    if not found and asks_data(point.definition):
        if len(sources) > 1:
            raise BookError(
                file, key, f"'{entry.point}' speaks of the data, and nobody says which",
                f"Write {name} = {{ point = \"{entry.point}\", sources = ['…'] }}.",
            )  # fmt: skip
        found = tuple(sources.values())
    running = None if entry.day is None else entry.day == "running"
    return BookAnchor(name, point, running, found)


def _phrase_with_inputs(
    file: str, key: str, entry: PeriodEntry, calendars: dict[str, Calendar]
) -> Period:
    """The period of an entry, which may have slots."""
    if "{" not in entry.phrase and not entry.inputs:
        if entry.ranges > 1:
            raise BookError(file, f"{key}.ranges", "a phrase without slots has one range only")
        return _phrase(file, f"{key}.phrase", entry.phrase, calendars)
    own = {unit.name: unit for one in calendars.values() for unit in one.own_units}
    try:
        return open_period(entry.phrase, entry.inputs, tuple(own.values()))
    except PeriodSyntaxError as error:
        raise BookError(file, f"{key}.phrase", str(error)) from None
    except SettingError as error:
        raise BookError(file, f"{key}.inputs", str(error)) from None


def _phrase(file: str, key: str, phrase: str, calendars: dict[str, Calendar]) -> Period:
    try:
        return read_phrase(phrase, calendars.values())
    except PeriodSyntaxError as error:
        raise BookError(file, key, str(error)) from None


def _check_name(file: str, key: str, name: str) -> None:
    """A name that is a phrase too would have two meanings on the command line."""
    if not is_phrase(name):
        return
    raise BookError(
        file,
        key,
        f"the name '{name}' is a phrase of its own, '{read_period(name)}'",
        f"Choose another, such as '{name}_period'.",
    )


def _shape_error(file: str, error: ValidationError) -> BookError:
    """The first thing that is wrong with the shape of the file, in plain words."""
    first = error.errors()[0]
    path = [str(part) for part in first["loc"] if part != "[key]"]
    key = ".".join(path)
    if first["type"] == "extra_forbidden":
        known = _known_keys(path[:-1])
        near = nearest(path[-1], known)
        fix = f"Did you mean '{near}'? " if near else ""
        return BookError(
            file, key, "this key is not known", f"{fix}Known here: {', '.join(known)}."
        )
    if first["type"] == "missing":
        return BookError(file, key, "this key is missing", f"Add '{path[-1]} = …'.")
    if first["type"] == "string_pattern_mismatch":
        return BookError(
            file,
            key,
            "a name is made of small letters, digits and _",
            "Begin it with a letter, such as 'last_week'.",
        )
    given = first.get("input")
    return BookError(
        file,
        key,
        f"{first['msg'][0].lower()}{first['msg'][1:]}",
        "" if isinstance(given, dict) else f"It is {given!r}.",
    )


def _known_keys(path: list[str]) -> list[str]:
    """The keys that may stand at a path of the file."""
    entries: dict[str, type[BaseModel]] = {
        "calendars": CycleEntry if "cycles" in path else CalendarEntry,
        "sources": SourceEntry,
        "anchors": AnchorEntry,
        "readings": ReadingsEntry,
        "periods": PeriodEntry,
        "pickers": ByEntry if "by" in path else PickerEntry,
        "pages": ChartEntry if "charts" in path else PageEntry,
        "schedules": ScheduleEntry,
    }
    return list((entries[path[0]] if path else BookFile).model_fields)

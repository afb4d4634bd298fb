"""Reading a book: from a TOML file to named periods that resolve.

Every mistake is reported with the file, the path to the key, and what would be right.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, Final, get_args, get_origin

from pydantic import BaseModel, ValidationError

from ulnager.book.book import Book, BookAnchor, BookPeriod
from ulnager.book.file_schema import (
    CALENDARS,
    SOURCES,
    AnchorEntry,
    BookFile,
    DatabaseSourceEntry,
    MonthsEntry,
    PeriodEntry,
    SharedByCalendars,
    SourceEntry,
    TableEntry,
    WeeksEntry,
)
from ulnager.book.file_text import House, whole_book
from ulnager.book.labels_by_language import language_of, one_language
from ulnager.book.named_entries import entry_named, phrase_at
from ulnager.book.page_builder import Pages, checked_names
from ulnager.book.picker_builder import Offers
from ulnager.book.schedules import KeySigner
from ulnager.book.shipped_books import named_book
from ulnager.book.sources import BookSource, password_of
from ulnager.book.sourcing import sources_of
from ulnager.core.arguments import Wanted, checked, shown
from ulnager.core.calendars.business import BusinessDays
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import MonthCalendar
from ulnager.core.calendars.week_calendar import WeekCalendar
from ulnager.core.calendars.zones import zone_named
from ulnager.core.errors import BookError, PeriodSyntaxError, SettingError, SourceError
from ulnager.core.language.open_period import open_period
from ulnager.core.language.period import PeriodBase
from ulnager.core.language.reader import is_phrase, read_period
from ulnager.core.messages import NO_KEY, Message
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.clock import time_after_midnight
from ulnager.core.periods.phrases.shifts import GREGORIAN_NAME
from ulnager.core.suggest import nearest, no_such
from ulnager.core.units import own_unit
from ulnager.sources.days_off import calendar_from_file, holidays_from_file, holidays_of
from ulnager.sources.guard import limits_now
from ulnager.sources.opening import opened_source
from ulnager.sources.profile import SHARE
from ulnager.sources.source import Relation, Source


@checked(path=Wanted((str, Path), "the path of a book"))
def read_book(
    path: str | Path, *, allow_outside: bool = False, sources: Mapping[str, Source] | None = None
) -> Book:
    """The book in a TOML file.

    It reads files in and below its own folder only, and no database server, unless
    ``allow_outside`` is set: a book is data, and may come from somebody else.

    >>> from ulnager.demo import book_file
    >>> read_book(book_file()).period("quarter").label
    'Last 3 whole months'

    ``demo:ferries`` is the demo's. ``sources`` are some that you opened, on a connection of your
    own for instance, in place of the book's of these names; its columns, its ``where`` and its
    ``period`` hold for them.

    Raises BookError with the file, the key path, what is wrong and
    what would be right, SettingError for a source that the book does not name.
    """
    if sources is not None and not isinstance(sources, Mapping):
        raise SettingError(f"sources is {shown(sources)}; give opened sources by their names")
    file, given = named_book(path), dict(sources or {})
    for name, one in given.items():
        if not isinstance(one, Relation):
            raise SettingError(f"{name} is no opened source; give what ulnager.open_source gives")
    whole = whole_book(file, allow_outside=allow_outside)
    try:
        book = book_of(file, whole.values, allow_outside=allow_outside, opened=given)
    except BookError as error:
        raise whole.told(error) from None
    for name in given:
        if name not in book.sources:
            raise SettingError(no_such("source", name, book.sources))
    return book


def book_of(
    path: str | Path,
    values: Mapping[str, Any],
    *,
    allow_outside: bool = False,
    opened: Mapping[str, Source] | None = None,
) -> Book:
    """The book that these values of a file define; BookError at the first mistake."""
    file = str(path)
    values, texts = one_language(values)
    try:
        entries = BookFile.model_validate(values)
    except ValidationError as error:
        raise _shape_error(file, error) from None
    house = House(Path(path).resolve().parent, allow_outside, opened or {})
    calendars = _calendars(file, entries, house)
    if entries.tz is not None:
        try:
            zone_named(entries.tz)
        except SettingError as error:
            raise BookError(file, "tz", str(error)) from None
    try:
        time_after_midnight(entries.day_starts)
    except SettingError as error:
        raise BookError(file, "day_starts", str(error)) from None
    sources = sources_of(file, entries, calendars, house)
    anchors = {
        name: _anchor(file, name, anchor, sources, calendars)
        for name, anchor in entries.anchors.items()
    }
    _check_names(file, entries.periods)
    periods = {}
    for name, entry in entries.periods.items():
        key = f"periods.{name}"
        periods[name] = BookPeriod(
            name,
            _phrase_with_inputs(file, key, entry, calendars),
            entry.label or name.replace("_", " ").capitalize(),
            entry_named(file, f"{key}.anchor", "anchor", entry.anchor, anchors),
            entry_named(file, f"{key}.calendar", "calendar", entry.calendar, calendars),
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
        entry_named(file, "calendar", "calendar", entries.calendar, calendars),
        entry_named(file, "anchor", "anchor", entries.anchor, anchors),
        entries.tz,
        language=language_of(file, "", entries.locale, entries.dates_as, texts),
        offsets=_offsets(file, entries.offset_file, house),
        day_starts=entries.day_starts,
    )
    return _with_offers(book, entries)


def _offsets(file: str, name: str | None, house: House) -> BookSource | None:
    """The file of a table of offsets, which is opened when somebody asks it."""
    if name is None:
        return None
    try:
        place = house.path(name)
    except (SettingError, SourceError) as error:
        raise BookError(file, "offset_file", str(error)) from None
    return BookSource("offset_file", place, None, None, None, SHARE, within=house.within)


def _with_offers(book: Book, entries: BookFile) -> Book:
    """The book with its pickers, pages and schedules."""
    if not (entries.pickers or entries.pages or entries.schedules or entries.picker):
        return book
    signer = None if entries.link_key is None else KeySigner(entries.link_key)
    offers = Offers(book, signer)
    checked_names(offers, entries.pickers, entries.values, entries.pages, entries.schedules)
    pickers = {name: offers.picker(name, entry) for name, entry in entries.pickers.items()}
    if entries.picker is not None:
        offers.known("picker", "picker", entries.picker, pickers)
    paged = Pages(book, offers, pickers, entries.values)
    pages = {name: paged.page(name, entry, entries.picker) for name, entry in entries.pages.items()}
    schedules = {
        name: paged.schedule(name, entry, pages) for name, entry in entries.schedules.items()
    }
    return replace(book, pickers=pickers, pages=pages, schedules=schedules)


def _calendars(file: str, entries: BookFile, house: House) -> dict[str, Calendar]:
    """The calendars of a book; one may build on another, wherever that stands."""
    found: dict[str, Calendar] = {}

    def opened(entry: SharedByCalendars, table: str) -> Relation:
        """A table of the database of a source."""
        if entry.database is None:
            raise SettingError(
                f"the table {table!r} is in a database; say of which source: database = 'orders'"
            )
        source = entries.sources.get(entry.database)
        if not isinstance(source, DatabaseSourceEntry):
            known = [
                n for n, one in entries.sources.items() if isinstance(one, DatabaseSourceEntry)
            ]
            raise SettingError(no_such("source of a database", entry.database, known))
        password = password_of(entry.database, source.password_env)
        place = house.url(source.url)
        return opened_source(place, table, within=house.within, password=password)

    def make(name: str, waiting: tuple[str, ...]) -> None:
        entry, key = entries.calendars[name], f"calendars.{name}"
        if len(waiting) >= limits_now().bases:
            raise BookError(
                file,
                "calendars",
                f"more than {limits_now().bases} calendars build on each other",
                "Let it build on one of the first.",
            )
        base = entry.base if isinstance(entry, TableEntry) else None
        if base is not None and base not in found:
            entry_named(file, f"{key}.base", "calendar", base, entries.calendars)
            if base in (*waiting, name):
                circle = " → ".join((*waiting, name, base)[(*waiting, name).index(base) :])
                raise BookError(
                    file,
                    f"{key}.base",
                    f"these calendars build on each other: {circle}",
                    "Leave the base out of one of them.",
                )
            make(base, (*waiting, name))
        try:
            found[name] = _calendar(house, entry, found, opened)
        except (SettingError, SourceError) as error:
            raise BookError(file, key, str(error)) from None

    if GREGORIAN_NAME in entries.calendars:
        raise BookError(
            file,
            f"calendars.{GREGORIAN_NAME}",
            f"'{GREGORIAN_NAME}' is the name of the Gregorian "
            "calendar, which every phrase may speak of",
            "Choose another name.",
        )
    for name in entries.calendars:
        if name not in found:
            make(name, ())
    return {name: found[name] for name in entries.calendars}


def _calendar(
    house: House,
    entry: MonthsEntry | WeeksEntry | TableEntry,
    known: dict[str, Calendar],
    opened: Callable[[SharedByCalendars, str], Relation],
) -> Calendar:
    settings = entry.model_dump(exclude_none=True, include=set(own_keys(type(entry))))
    holidays = list(entry.holidays)
    if entry.holiday_file is not None:
        holidays += holidays_from_file(house.path(entry.holiday_file), within=house.within)
    if entry.holiday_table is not None:
        holidays += holidays_from_file(opened(entry, entry.holiday_table))
    if entry.holiday_country is not None:
        holidays += holidays_of(entry.holiday_country, entry.holiday_region)
    days_off = ("saturday", "sunday") if entry.days_off is None else tuple(entry.days_off)
    shared: dict[str, Any] = {
        "business": BusinessDays(days_off, holidays, entry.working_days),
        "cycles": [own_unit(name, unit.days, unit.starts) for name, unit in entry.cycles.items()],
    }
    if isinstance(entry, WeeksEntry):
        return WeekCalendar(year_named_by=entry.year_named_by, **settings, **shared)
    if isinstance(entry, MonthsEntry):
        return MonthCalendar(year_named_by=entry.year_named_by, **settings, **shared)
    if (entry.file is None) is (entry.table is None):
        raise SettingError(
            "a calendar of kind table needs the file that lists its units, or the table of a "
            "database; give one of them"
        )
    base = known[entry.base] if entry.base else MonthCalendar(**shared)
    if entry.table is not None:
        return calendar_from_file(opened(entry, entry.table), base)
    assert entry.file is not None
    return calendar_from_file(house.path(entry.file), base, within=house.within)


def own_keys(kind: type[SharedByCalendars | SourceEntry]) -> list[str]:
    """The keys of calendars or sources of one kind that no other has."""
    shared = {*SharedByCalendars.model_fields, *SourceEntry.model_fields, "kind"}
    return [name for name in kind.model_fields if name not in shared]


def _anchor(
    file: str,
    name: str,
    entry: AnchorEntry,
    sources: dict[str, BookSource],
    calendars: dict[str, Calendar],
) -> BookAnchor:
    key = f"anchors.{name}"
    point = phrase_at(file, key, entry.point, calendars)
    if point.definition.point is None:
        raise BookError(
            file,
            key,
            f"'{entry.point}' is a period, and an anchor is one day",
            f"Write 'start of {point}' or 'end of {point}'.",
        )
    named = [entry_named(file, f"{key}.sources", "source", one, sources) for one in entry.sources]
    found = tuple(one for one in named if one is not None)
    if not found and point.definition.asks_data:
        if len(sources) > 1:
            raise BookError(
                file,
                key,
                f"'{entry.point}' speaks of the data, and nobody says which",
                f"Write {name} = {{ point = \"{entry.point}\", sources = ['…'] }}.",
            )
        found = tuple(sources.values())
    running = None if entry.day is None else entry.day == "running"
    return BookAnchor(name, point, running, found)


def _phrase_with_inputs(
    file: str, key: str, entry: PeriodEntry, calendars: dict[str, Calendar]
) -> PeriodBase:
    """The period of an entry, which may have slots."""
    if "{" not in entry.phrase and not entry.inputs:
        if entry.ranges > 1:
            raise BookError(file, f"{key}.ranges", "a phrase without slots has one range only")
        return phrase_at(file, f"{key}.phrase", entry.phrase, calendars)
    own = {unit.name: unit for one in calendars.values() for unit in one.own_units}
    try:
        return open_period(entry.phrase, entry.inputs, tuple(own.values()))
    except PeriodSyntaxError as error:
        raise BookError(file, f"{key}.phrase", str(error)) from None
    except SettingError as error:
        raise BookError(file, f"{key}.inputs", str(error)) from None


def _check_names(file: str, names: Iterable[str]) -> None:
    """Names that are phrases too would have two meanings on the command line; all are told."""
    wrong = [name for name in names if is_phrase(name)]
    if not wrong:
        return
    told = "; ".join(f"'{name}' is a phrase of its own, '{read_period(name)}'" for name in wrong)
    several = "these names are phrases: " if wrong[1:] else "the name "
    raise BookError(
        file,
        f"periods.{wrong[0]}",
        f"{several}{told}",
        f"Choose {'others' if wrong[1:] else 'another'}, such as '{wrong[0]}_period'.",
    )


def _shape_error(file: str, error: ValidationError) -> BookError:
    """The first thing that is wrong with the shape of the file, in plain words."""
    first = error.errors()[0]
    path = [str(part) for part in first["loc"] if part != "[key]"]
    sort = [path.pop(4)] if path[2:3] == ["choices"] and len(path) > 4 else []
    # Within a calendar or a source the place tells its kind, which is no part of the key.
    kind = path.pop(2) if path[0] in ("calendars", "sources") and len(path) > 2 else ""
    key = ".".join(path)
    if first["type"] == "calendar_kind":
        given = first["input"]["kind"]
        fix = f"It is {given!r}."
        if "cycle" in str(given):
            fix += (
                " Any calendar has cycles: cycles.'crew week' = { days = 6, starts = 2026-01-05 }."
            )
        return BookError(file, f"{key}.kind", _CALENDAR_KIND, fix)
    if first["type"] == "source_kind":
        return BookError(file, key, first["msg"])
    if first["type"] == "extra_forbidden":
        kinds = _KINDS.get(path[0], {})
        if kind and len(path) == 3 and any(path[-1] in own_keys(one) for one in kinds.values()):
            told = f"a calendar of {kind}" if path[0] == "calendars" else f"a source with a {kind}"
            takes = ", ".join(own_keys(kinds[kind]))
            return BookError(
                file, ".".join(path[:2]), f"{path[-1]} is not for {told}; it takes {takes}"
            )
        known = _known_keys(path[:-1] + sort, kind)
        near = nearest(path[-1], known)
        fix = f"Did you mean '{near}'? " if near else ""
        return BookError(
            file, key, "this key is not known", f"{fix}Known here: {', '.join(known)}."
        )
    if first["type"] == "missing":
        return BookError(
            file, key, Message("this key is missing", code=NO_KEY), f"Add '{path[-1]} = …'."
        )
    if first["type"] == "string_pattern_mismatch":
        return BookError(
            file,
            key,
            "a name is made of small letters, digits and _",
            "Begin it with a letter, such as 'last_week'.",
        )
    given = first.get("input")
    told = f"{first['msg'][0].lower()}{first['msg'][1:]}"
    if first["type"] in ("model_type", "dict_type"):
        known = [one for one in _known_keys(path, kind) if one != "accept"]
        told = f"input should be a table{f', such as {{ {known[0]} = … }}' if known else ''}"
    return BookError(file, key, told, "" if isinstance(given, dict) else f"It is {given!r}.")


_KINDS: Final[dict[str, Any]] = {"calendars": CALENDARS, "sources": SOURCES}
_CALENDAR_KIND: Final = "input should be 'months', 'weeks' or 'table'"


def _known_keys(path: list[str], kind: str) -> list[str]:
    """The keys that may stand at a path of the file, none where they are names; ``kind`` is that
    of a calendar or a source."""
    model: type[BaseModel] | None = BookFile
    inner: list[type[BaseModel]] = []
    for place, part in enumerate(path):
        field = None if model is None else model.model_fields.get(part)
        if field is not None:
            inner = _models_in(field.annotation)
            holds_many = get_origin(field.annotation) in (dict, list)
            model = inner[0] if inner and not holds_many else None
        elif place == 1 and kind:
            model = _KINDS[path[0]].get(kind)
        elif part.isdigit() or not inner:
            model = None
        else:  # A name, or the sort of what stands in a list.
            model = inner[-1 if part == "phrase" else 0]
    return [] if model is None else list(model.model_fields)


def _models_in(annotation: Any) -> list[type[BaseModel]]:
    """The tables that an annotation speaks of."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return [annotation]
    return [model for part in get_args(annotation) for model in _models_in(part)]

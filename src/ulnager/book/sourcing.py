"""Sources of a book, from what its file says."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ulnager.book.file_schema import (
    BookFile,
    DatabaseSourceEntry,
    FileSourceEntry,
    QuerySourceEntry,
    SourceEntry,
)
from ulnager.book.file_text import House
from ulnager.book.named_entries import entry_named, phrase_at
from ulnager.book.opened_files import OpenedFiles
from ulnager.book.sources import BookSource, lag_of
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import BookError, SettingError, SourceError
from ulnager.core.language.period import Period
from ulnager.sources.profile import SHARE
from ulnager.sources.queries import checked_query


def sources_of(
    file: str, entries: BookFile, calendars: dict[str, Calendar], house: House
) -> dict[str, BookSource]:
    """The sources of a book by their names; BookError for what is wrong with one."""
    found, opener = {}, OpenedFiles()
    calendar = entry_named(file, "calendar", "calendar", entries.calendar, calendars)
    for name, entry in entries.sources.items():
        key = f"sources.{name}"
        try:
            # Where somebody opened another one, nobody goes to the book's.
            place = "given" if name in house.given else _place(entry, house)
            lag = lag_of(entry.loaded)
        except (SettingError, SourceError) as error:
            raise BookError(file, key, str(error)) from None
        found[name] = BookSource(
            name,
            place,
            entry.column,
            entry.tz or entries.tz,
            entry_named(file, f"{key}.calendar", "calendar", entry.calendar, calendars) or calendar,
            SHARE if entry.share is None else entry.share,
            entry.table if isinstance(entry, DatabaseSourceEntry) else None,
            entry.password_env if isinstance(entry, DatabaseSourceEntry) else None,
            tuple(
                (setting, given)
                for setting in _READ_AS
                if (given := getattr(entry, setting, None)) is not None
            )
            + _key_types(file, key, entry),
            _limit(file, f"{key}.period", entry.period, calendars),
            tuple(
                (column, tuple(one) if isinstance(one, list) else (one,))
                for column, one in entry.where.items()
            ),
            within=house.within,
            lag=lag,
            rounding=entry.rounding,
            given=house.given.get(name),
            has_own_tz=entry.tz is not None,
            day_starts=entries.day_starts,
            opener=opener,
        )
    for name, entry in entries.sources.items():
        if isinstance(entry, QuerySourceEntry) and name not in house.given:
            found[name] = replace(found[name], **_asked(file, name, entry.query, found))
    return found


def _limit(
    file: str, key: str, phrase: str | None, calendars: dict[str, Calendar]
) -> Period | None:
    """A source's own period, which is of days."""
    if phrase is None:
        return None
    found = phrase_at(file, key, phrase, calendars)
    if found.definition.is_sub_day:
        raise BookError(file, key, f"'{found}' is of hours", "A source's own period is of days.")
    return found


def _asked(file: str, name: str, query: str, found: dict[str, BookSource]) -> dict[str, Any]:
    """The query of a source, and the others that it may speak of, which are no queries."""
    others = tuple(
        one for key, one in found.items() if key != name and one.place and one.given is None
    )
    try:
        checked_query(query, "duckdb", [one.name for one in others])
    except (SourceError, SettingError) as error:
        raise BookError(
            file, f"sources.{name}.query", str(error), "It reads the book's sources that are files."
        ) from None
    return {"query": query, "others": others}


_READ_AS = (
    "delimiter",
    "header",
    "encoding",
    "decimal",
    "date_format",
    "grain",
    "stamps",
    "open_ended",
)


def _key_types(file: str, key: str, entry: SourceEntry) -> tuple[tuple[str, Any], ...]:
    if entry.column_type is None:
        return ()
    if entry.column is None:
        raise BookError(file, key, "column_type is about a column", "Name that too: column = …")
    return (("column_types", {entry.column: entry.column_type}),)


def _place(entry: SourceEntry, house: House) -> str | tuple[str, ...]:
    """Where a source of a book is."""
    if isinstance(entry, DatabaseSourceEntry):
        return house.url(entry.url)
    if not isinstance(entry, FileSourceEntry):
        return ()
    if isinstance(entry.file, list):
        return tuple(house.path(name) for name in entry.file)
    return house.path(entry.file)

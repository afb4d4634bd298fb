"""What a name of a book stands for: a period, an anchor, a source or a calendar, as pairs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from ulnager.core.errors import UlnagerError

if TYPE_CHECKING:
    from ulnager.book.book import Book, BookAnchor, BookPeriod
    from ulnager.book.sources import BookSource

Pairs = Iterator[tuple[str, str]]


def told_name(book: Book, name: str, clock: dict[str, Any]) -> list[tuple[str, str]] | None:
    """What is to be said of a name, None where no period, anchor, source or calendar has it."""
    if name in book.periods:
        return list(_period(book, book.period(name), clock))
    if name in book.anchors:
        return list(_anchor(book, book.anchors[name], clock))
    if name in book.sources:
        return list(_source(book, book.sources[name], clock))
    if name in book.calendars:
        return [("calendar", str(book.calendars[name]))]
    return None


def _period(book: Book, entry: BookPeriod, clock: dict[str, Any]) -> Pairs:
    yield "period", str(entry.period)
    yield "label", entry.label
    if entry.short:
        yield "short", entry.short
    anchor = entry.measured_from
    yield "measured from", "the clock" if anchor is None else f"{anchor.name}: {anchor.point}"
    yield "calendar", str(entry.calendar or book.calendar or "the Gregorian calendar")
    for made in entry.period.inputs.values():
        yield "input", f"{made.name}: {made.kind}, opens with {made.opens or 'nothing'}"
    if entry.period.inputs:
        return
    try:
        result = entry.resolve(moment=book.moment(**clock))
    except UlnagerError as error:
        yield "problem", str(error)
        return
    yield "dates", result.label
    if result.days is not None:
        yield "length", f"{result.days:,} day{'s' * (result.days != 1)}"
    for note in result.notes:
        yield "note", note


def _anchor(book: Book, anchor: BookAnchor, clock: dict[str, Any]) -> Pairs:
    yield "anchor", str(anchor.point)
    if anchor.running is not None:
        yield "its day", "is running" if anchor.running else "is over"
    if anchor.sources:
        yield "sources", ", ".join(one.name for one in anchor.sources)
    try:
        day = book.resolve_phrase(anchor.point, as_of=anchor.name, moment=book.moment(**clock))
        yield "day", day.label
    except UlnagerError as error:
        yield "problem", str(error)
    used = [one.name for one in book.periods.values() if one.measured_from == anchor]
    if used:
        yield "measures", ", ".join(used)


def _source(book: Book, source: BookSource, clock: dict[str, Any]) -> Pairs:
    yield "source", source.query or source.told_place
    if source.column is not None:
        yield "column", source.column
    if source.tz is not None:
        yield "zone", source.tz
    if source.limit is not None:
        yield "period", str(source.limit)
    try:
        held = source.profile(moment=book.moment(**clock))
    except UlnagerError as error:
        yield "problem", str(error)
        return
    yield "dates", f"{held.first} to {held.last}, {held.rows:,} rows"
    yield "look at", f"ulnager profile {source.name} --book {book.file}"

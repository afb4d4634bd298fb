"""Reading a book: from a TOML file to named periods that resolve.

Every mistake is reported with the file, the path to the key, and what would be right.
"""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ValidationError

from ulnager.book.schema import AnchorEntry, BookFile, PeriodEntry, ReadingsEntry
from ulnager.core.definitions import Anchor, Defaults
from ulnager.core.errors import BookError, PeriodSyntaxError, SettingError
from ulnager.core.resolution import Resolution
from ulnager.core.suggest import nearest, no_such
from ulnager.language.period import Period, period


@dataclass(frozen=True)
class BookAnchor:
    """A named anchor of a book; ``running`` is None when the point itself decides."""

    name: str
    point: Period
    running: bool | None


@dataclass(frozen=True)
class BookPeriod:
    """A named period of a book, with its label and the anchor it is measured from."""

    name: str
    period: Period
    label: str
    anchor: BookAnchor | None


@dataclass(frozen=True)
class Book:
    """Named anchors and periods, as read from ``file``."""

    file: str
    anchors: dict[str, BookAnchor] = field(default_factory=dict)
    periods: dict[str, BookPeriod] = field(default_factory=dict)
    defaults: Defaults = field(default_factory=Defaults)

    def period(self, name: str) -> BookPeriod:
        """The period of that name; BookError when there is none."""
        found = self.periods.get(name)
        if found is None:
            raise BookError(self.file, "periods", no_such("period", name, self.periods))
        return found

    def resolve(self, name: str, **basis: Any) -> Resolution:
        """The dates of a named period, measured from its own anchor.

        ``basis`` is as for :meth:`ulnager.Period.resolve`; an ``as_of`` given here goes
        before the book's anchor.
        """
        entry = self.period(name)
        basis.setdefault("defaults", self.defaults)
        if entry.anchor is not None and basis.get("as_of") is None:
            basis["as_of"] = self.anchored(entry.anchor.name, basis)
        return entry.period.resolve(**basis)

    def anchored(self, name: str, basis: dict[str, Any]) -> Anchor | str:
        """A named anchor as ``as_of`` takes it."""
        anchor = self.anchors[name]
        text = str(anchor.point)
        if anchor.running is None:
            return text
        day = anchor.point.resolve(**basis).start
        assert day is not None
        return Anchor(day, anchor.running, text)


def read_book(path: str | Path) -> Book:
    """The book in a TOML file.

    >>> from ulnager.demo import book_file
    >>> read_book(book_file()).period("quarter").label
    'Last 3 whole months'

    Raises BookError with the file, the key path, what is wrong and what would be right.
    """
    file = str(path)
    try:
        values = tomllib.loads(Path(path).read_text(encoding="utf-8"))
    except OSError as error:
        raise BookError(file, "", f"the book cannot be read: {error.strerror}") from None
    except UnicodeDecodeError:
        raise BookError(file, "", "the book is not UTF-8 text", "Save it as UTF-8.") from None
    except tomllib.TOMLDecodeError as error:
        raise BookError(file, "", f"this is not TOML: {error}") from None
    try:
        entries = BookFile.model_validate(values)
    except ValidationError as error:
        raise _shape_error(file, error) from None
    anchors = {name: _anchor(file, name, anchor) for name, anchor in entries.anchors.items()}
    defaults = Defaults(entries.readings.last, entries.readings.next)
    periods = {}
    for name, entry in entries.periods.items():
        key = f"periods.{name}"
        _check_name(file, key, name)
        if entry.anchor is not None and entry.anchor not in anchors:
            raise BookError(
                file,
                f"{key}.anchor",
                no_such("anchor", entry.anchor, anchors),
                "Add it under [anchors], or name one that is there.",
            )
        periods[name] = BookPeriod(
            name,
            _phrase(file, f"{key}.phrase", entry.phrase),
            entry.label or name.replace("_", " ").capitalize(),
            anchors[entry.anchor] if entry.anchor else None,
        )
    return Book(file, anchors, periods, defaults)


def _anchor(file: str, name: str, entry: AnchorEntry) -> BookAnchor:
    key = f"anchors.{name}"
    point = _phrase(file, key, entry.point)
    if point.definition.rule.key != "on":
        raise BookError(
            file,
            key,
            f"'{entry.point}' is a period, and an anchor is one day",
            f"Write 'start of {point}' or 'end of {point}'.",
        )
    return BookAnchor(name, point, None if entry.day is None else entry.day == "running")


def _phrase(file: str, key: str, phrase: str) -> Period:
    try:
        return period(phrase)
    except PeriodSyntaxError as error:
        raise BookError(file, key, str(error)) from None


def _check_name(file: str, key: str, name: str) -> None:
    """A name that is a phrase too would have two meanings on the command line."""
    try:
        period(name)
    except (PeriodSyntaxError, SettingError):
        return
    raise BookError(
        file,
        key,
        f"the name '{name}' is a phrase of its own",
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
        "anchors": AnchorEntry,
        "readings": ReadingsEntry,
        "periods": PeriodEntry,
    }
    return list((entries[path[0]] if path else BookFile).model_fields)

"""Reading a book leniently: every mistake is listed, and what is left is read without it."""

from __future__ import annotations

import copy
import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Final, NamedTuple

from ulnager.book.book import Book
from ulnager.book.languages import one_language
from ulnager.book.reading import book_of
from ulnager.book.toml import text_of_file, values_of_text
from ulnager.core.errors import BookError

_MOST: Final = 500
_FEWEST: Final = 20
_WORK: Final = 2_000_000
"""So many signs of a book are read anew for its mistakes; each mistake takes one reading."""
_NO_SUCH: Final = re.compile(r"there is no (?:book's )?(\w+) '([^']*)'")


class Mistake(NamedTuple):
    """A mistake that makes a part of the book unusable."""

    rule: str
    path: tuple[str, ...]
    message: str
    instead: str


class Read(NamedTuple):
    """What could be read: None where nothing could; the file's values, the mistakes, its text."""

    book: Book | None
    values: Mapping[str, Any]
    mistakes: tuple[Mistake, ...]
    text: str = ""


def read_leniently(path: str | Path, *, allow_outside: bool = False) -> Read:
    """A book without its mistakes, each of which is listed once.

    What only follows from a mistake (a name whose own entry is wrong) is left out in silence.
    """
    try:
        text = text_of_file(path)
        values = one_language(values_of_text(str(path), text))[0]
    except BookError as error:
        return Read(None, {}, (Mistake("book", (), error.problem, error.fix),))
    left = copy.deepcopy(values)
    found: list[Mistake] = []
    dropped: set[tuple[str, ...]] = set()
    removed: dict[tuple[str, ...], list[int]] = {}
    for _ in range(max(_FEWEST, min(_MOST, _WORK // max(1, len(text))))):
        try:
            made = book_of(path, left, allow_outside=allow_outside)
            return Read(made, values, tuple(found), text)
        except BookError as error:
            where = _path(left, error.key)
            is_known = _follows(error, where, dropped)
            if not is_known:
                found.append(
                    Mistake(_rule(error), _in_file(where, removed), error.problem, error.fix)
                )
            gone = _drop(left, where, error)
            if gone is None:
                break
            dropped.add(gone)
            if gone[-1].isdigit():
                removed.setdefault(gone[:-1], []).append(int(_in_file(gone, removed)[-1]))
    else:
        found.append(Mistake("book", (), f"there may be more mistakes than these {len(found)}",
                             "Mend these first."))  # fmt: skip
    return Read(None, values, tuple(found), text)


def _in_file(
    where: tuple[str, ...], removed: Mapping[tuple[str, ...], list[int]]
) -> tuple[str, ...]:
    """A path as it is in the file, where items of lists were taken out since."""
    found = list(where)
    for size, name in enumerate(where):
        if name.isdigit():
            place = int(name)
            for gone in sorted(removed.get(where[:size], [])):
                place += gone <= place
            found[size] = str(place)
    return tuple(found)


def _rule(error: BookError) -> str:
    if error.problem.startswith("no picker and no period governs"):
        return "ungoverned"
    is_name = _NO_SUCH.search(error.problem) is not None
    return "missing" if is_name or "there is no file" in error.problem else "book"


def _follows(error: BookError, where: tuple[str, ...], dropped: set[tuple[str, ...]]) -> bool:
    """Whether a mistake only follows from one that was told already."""
    if error.problem == "this key is missing" and any(
        gone[:-1] == where[:-1] or gone == where for gone in dropped
    ):
        return True
    match = _NO_SUCH.search(error.problem)
    return match is not None and (f"{match[1]}s", match[2]) in {gone[:2] for gone in dropped}


def _path(values: Any, key: str) -> tuple[str, ...]:
    """The path of a key as it is in the file, where names may have dots."""
    parts, found = key.split(".") if key else [], []
    while parts:
        size = len(parts)
        while size > 1 and not _has(values, ".".join(parts[:size])):
            size -= 1
        name = ".".join(parts[:size])
        found.append(name)
        values = _at(values, name)
        parts = parts[size:]
    return tuple(found)


def _has(values: Any, name: str) -> bool:
    if isinstance(values, list):
        return name.isdigit() and int(name) < len(values)
    return isinstance(values, dict) and name in values


def _at(values: Any, name: str) -> Any:
    if not _has(values, name):
        return None
    return values[int(name)] if isinstance(values, list) else values[name]


def _drop(values: Any, where: tuple[str, ...], error: BookError) -> tuple[str, ...] | None:
    """Takes out what is wrong; the path of what is gone, None where nothing can go."""
    path = where
    if len(path) > 1 and error.problem == "this key is missing":
        path = path[:-1]
    while path:
        above = values
        for name in path[:-1]:
            above = _at(above, name)
        if _has(above, path[-1]):
            if isinstance(above, list):
                del above[int(path[-1])]
            else:
                del above[path[-1]]
            return path
        path = path[:-1]
    return None

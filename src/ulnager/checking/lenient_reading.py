"""Reading a book leniently: every mistake is listed, and what is left is read without it."""

from __future__ import annotations

import copy
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Final, NamedTuple

from ulnager.book.book import Book
from ulnager.book.book_reader import book_of
from ulnager.book.file_text import Whole, whole_book
from ulnager.book.labels_by_language import one_language
from ulnager.core.errors import BookError
from ulnager.core.messages import NO_FILE, NO_KEY, NO_SUCH, code_of, error_message

_MOST: Final = 500
_FEWEST: Final = 20
_WORK: Final = 2_000_000
"""So many signs of a book are read anew for its mistakes; each mistake takes one reading."""


class Mistake(NamedTuple):
    """A mistake that makes a part of the book unusable."""

    rule: str
    path: tuple[str, ...]
    message: str
    instead: str


class Read(NamedTuple):
    """What could be read: no book where nothing could; the values of its files, the mistakes."""

    book: Book | None
    whole: Whole
    mistakes: tuple[Mistake, ...]


def read_leniently(path: str | Path, *, allow_outside: bool = False) -> Read:
    """A book without its mistakes, each of which is listed once.

    What only follows from a mistake (a name whose own entry is wrong) is left out in silence.
    """
    try:
        whole = whole_book(path, allow_outside=allow_outside)
        left = copy.deepcopy(whole.values)
        whole.values = one_language(whole.values)[0]
    except BookError as error:
        at = tuple(error.key.split(".")) if error.key else ()
        if error.file != str(path):
            at = ("include",)
            problem = f"{error.file}: {error.key}: {error.problem}"
            error = BookError(str(path), "", problem, error.fix)
        return Read(None, Whole({}), (Mistake("book", at, error.problem, error.fix),))
    size = sum(map(len, whole.texts.values()))
    found: list[Mistake] = []
    dropped: set[tuple[str, ...]] = set()
    removed: dict[tuple[str, ...], list[int]] = {}
    for _ in range(max(_FEWEST, min(_MOST, _WORK // max(1, size)))):
        try:
            made = book_of(path, left, allow_outside=allow_outside)
            return Read(made, whole, tuple(found))
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
        found.append(
            Mistake(
                "book",
                (),
                f"there may be more mistakes than these {len(found)}",
                "Mend these first.",
            )
        )
    return Read(None, whole, tuple(found))


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
    if code_of(error.problem) == "ungoverned":
        return "ungoverned"
    return "book" if error_message(error, NO_SUCH, NO_FILE) is None else "missing"


def _follows(error: BookError, where: tuple[str, ...], dropped: set[tuple[str, ...]]) -> bool:
    """Whether a mistake only follows from one that was told already."""
    if code_of(error.problem) == NO_KEY and any(
        gone[:-1] == where[:-1] or gone == where for gone in dropped
    ):
        return True
    if any(where[: len(gone)] == gone for gone in dropped if not gone[-1].isdigit()):
        return True
    said = error_message(error, NO_SUCH)
    if said is None:
        return False
    what, name = said.arguments[:2]
    # A choice is a period of the book, or went with its own entry.
    kind = "periods" if what == "choice" else f"{what.split()[-1]}s"
    return (kind, name) in {gone[:2] for gone in dropped}


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
    if len(path) > 1 and code_of(error.problem) == NO_KEY:
        path = path[:-1]
    if path and path[-1] == "phrase":
        # A choice without its phrase would be a mistake that is not in the file.
        item = next((n for n, name in enumerate(path) if name.isdigit()), len(path))
        path = path[: item + 1]
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

"""Names of a book that nothing uses."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, Final

if TYPE_CHECKING:
    from ulnager.checking.inspection import Checking

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
_WHAT: Final = {"calendars": "calendar", "sources": "source", "anchors": "anchor",
                "periods": "period", "pickers": "picker"}  # fmt: skip


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
                checking.add("unused", (section, name),
                             f"no part of the book uses this {_WHAT[section]}",
                             "Take it out, or accept it with a reason.")  # fmt: skip


def unused_units(checking: Checking) -> None:
    """Pickers that let viewers choose a unit which no chart is grouped by."""
    book = checking.book
    for name, picker in book.pickers.items():
        charts = [one for page in book.pages.values() for one in page.charts if one.follows == name]
        if picker.by is not None and charts and not any(one.by == "viewer" for one in charts):
            checking.add("unused", ("pickers", name, "by"),
                         "no chart is grouped by what viewers choose here, so it is not offered",
                         "Say by = 'viewer' in a chart, or take it out.")  # fmt: skip


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

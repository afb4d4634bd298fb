"""Names of a book inside phrases: ``quarter, 1 year earlier``, ``month_so_far as of load``.

The language is read first. A name stands only where a whole phrase may, or after ``as of`` for an
anchor, and where the language has no reading of its own.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Final

_WORD: Final = re.compile(r"\b[a-z][a-z0-9_]*\b", re.IGNORECASE)
_BEFORE_PHRASE: Final = re.compile(r"(^|\(|\b(plus|except|within|and)\s)\s*$", re.IGNORECASE)
_AS_OF: Final = re.compile(r"\bas\s+of\b", re.IGNORECASE)
_BEFORE_ANCHOR: Final = re.compile(r"\bas\s+of\s+$", re.IGNORECASE)


def expanded(
    text: str, phrases: Mapping[str, Callable[[bool], str]], points: Mapping[str, Callable[[], str]]
) -> tuple[str, tuple[str, ...]]:
    """The text with the names in it written out, and which names these were.

    ``phrases`` are told whether the text measures them from elsewhere.

    >>> names = {"quarter": lambda is_measured: "last 3 whole months"}
    >>> expanded("quarter, 1 year earlier", names, {})
    ('(last 3 whole months), 1 year earlier', ('quarter',))
    >>> expanded("start of quarter", names, {})
    ('start of quarter', ())
    """
    used: list[str] = []

    def written(match: re.Match[str]) -> str:
        name, before = match[0].lower(), text[: match.start()]
        if name in points and _BEFORE_ANCHOR.search(before):
            used.append(name)
            return points[name]()
        # What no word of the language looks like may stand wherever a period may.
        is_own = "_" in name or any(sign.isdigit() for sign in name)
        if name in phrases and (is_own or _BEFORE_PHRASE.search(before)):
            used.append(name)
            # An anchor that is said goes before the one that the book gives.
            is_measured = _AS_OF.search(text[match.end() :]) is not None
            return f"({phrases[name](is_measured)})"
        return match[0]

    return _WORD.sub(written, text), tuple(used)

"""What may follow a phrase that is being typed, from the same grammar that reads it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Final

from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.language.reader import may_follow
from ulnager.core.text import pattern
from ulnager.core.units import LONG_MONTHS, WEEKDAYS, Unit

# What the reader expects in words of its own, and what stands for it; a number, a date or a label
# is the typist's.
_STANDS_FOR: Final = {
    "a weekday": WEEKDAYS,
    "a month": LONG_MONTHS,
    "a number": (),
    "a date": (),
    "a timestamp": (),
    "a label in quotes": (),
    "the name of a calendar": ("gregorian",),
}
_LAST_WORD: Final = pattern(r"[^\W\d]\w*$")


def followers(
    text: str,
    own_units: tuple[Unit, ...] = (),
    periods: Iterable[str] = (),
    anchors: Iterable[str] = (),
    calendars: Iterable[str] = (),
) -> list[str]:
    """The words that may stand next; those that the last word begins, while it is being typed.

    ``periods``, ``anchors`` and ``calendars`` are the names that a book knows.
    """
    match = _LAST_WORD.search(text)
    begun = match[0].lower() if match else ""
    said = text[: match.start()] if match else text
    try:
        expected = may_follow(said, own_units)
    except PeriodSyntaxError:
        return []
    found: list[str] = []
    for what in expected:
        found += _STANDS_FOR.get(what, (what,))
        if what == "the name of a calendar":
            found += calendars
    if "(" in expected:
        found += periods
    if re.search(r"\bas of\s*$", said.lower()):
        found += anchors
    return list(dict.fromkeys(word for word in found if word.lower().startswith(begun)))


def completed(text: str, words: Iterable[str]) -> Iterator[str]:
    """The text with each of the words at its end, in place of the one that is being typed."""
    match = _LAST_WORD.search(text)
    said = text[: match.start()] if match else text
    gap = "" if not said or said[-1] in " (" else " "
    for word in words:
        yield f"{said}{gap}{word}"

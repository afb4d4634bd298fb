"""What entries of a book name, and the phrases in them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

from ulnager.book.book import read_phrase
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import BookError, PeriodSyntaxError
from ulnager.core.language.period import Period
from ulnager.core.suggest import no_such

Found = TypeVar("Found")


def entry_named(
    file: str, key: str, what: str, name: str | None, known: Mapping[str, Found]
) -> Found | None:
    """What an entry names, None when it names nothing."""
    if name is not None and name not in known:
        such = f', such as {name} = "latest"' if what == "anchor" and name.isidentifier() else ""
        fix = f"Add it under [{what}s]{such}, or name one that is there."
        raise BookError(file, key, no_such(what, name, known), fix)
    return None if name is None else known[name]


def phrase_at(file: str, key: str, phrase: str, calendars: dict[str, Calendar]) -> Period:
    try:
        return read_phrase(phrase, calendars.values())
    except PeriodSyntaxError as error:
        raise BookError(file, key, str(error)) from None

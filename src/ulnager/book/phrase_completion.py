"""Completion of phrases, for editors, text boxes and shells."""

from __future__ import annotations

from ulnager.book.book import Book
from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.language.completion import followers


@checked(
    text=Wanted((str,), "the beginning of a phrase"),
    book=Wanted((Book, type(None)), "a book, as read_book gives it"),
    calendar=Wanted((Calendar, type(None)), "a calendar"),
)
def complete(text: str, book: Book | None = None, calendar: Calendar | None = None) -> list[str]:
    """The words that may follow the beginning of a phrase, from the grammar that reads it.

    While a word is being typed, the words that it begins. With a ``book``, the names of its
    periods, anchors and calendars and the units of its calendars are among them; with a
    ``calendar``, its own units. Empty where nothing can follow: the phrase is wrong so far, or a
    number, a date or a label in quotes is next.

    >>> complete("last 3 ")[:3]
    ['rolling', 'whole', 'days']
    >>> complete("last 3 mo")
    ['months']

    Raises SettingError for anything else than text.
    """
    if book is None:
        return followers(text, () if calendar is None else calendar.own_units)
    calendars = [*book.calendars.values(), *([calendar] if calendar is not None else [])]
    own = {unit.name: unit for one in calendars for unit in one.own_units}
    return followers(text, tuple(own.values()), book.periods, book.anchors, book.calendars)

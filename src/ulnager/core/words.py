"""How dates and sentences are written for people: in English here; other languages lie outside.

Only what viewers read is written so. Phrases, keys and reasons stay as they are.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from typing import Any, Final

from ulnager.core.arguments import shown
from ulnager.core.errors import SettingError
from ulnager.core.messages import Message
from ulnager.core.outside import outside
from ulnager.core.units import MONTH_NAMES, UNIT_NAMES, WEEKDAYS


class Words:
    """The words of a language: plain English here, others in ``ulnager.locales``."""

    locale = "en"
    is_english = True
    direction = "ltr"
    """From which side it is written: ``ltr`` or ``rtl``."""

    def span(self, span: Any) -> str:
        """Dates for a person to read."""
        return label_of(span)

    def day(self, day: date) -> str:
        """A day for a person to read."""
        return day_label(day)

    def unit(self, label: str) -> str:
        """The label of a unit, such as ``Mar 2026``."""
        return label

    def counted(self, count: int, unit: str) -> str:
        """So many of a unit."""
        known = UNIT_NAMES.get(unit)
        plural = f"{unit}s" if known is None else known.plural
        return f"{count:,} {unit if count == 1 else plural}"

    def weekday(self, number: int, *, short: bool = False) -> str:
        """A weekday, 0 for Monday, in full or in a few letters."""
        name = WEEKDAYS[number].title()
        return name[:2] if short else name

    def digits(self, text: str) -> str:
        """A number with the signs of the language: ``1.234,5``."""
        return text

    def say(self, text: str, *arguments: Any, code: str = "") -> Message:
        """A sentence for viewers: a message, or the key of one with what stands in it."""
        if isinstance(text, Message) and not arguments:
            return self.worded(text)
        return self.worded(Message(text, *arguments, code=code))

    def worded(self, message: Message) -> Message:
        """A message in this language, with what stands in it."""
        return message

    def label(self, text: str) -> str:
        """A label of the book."""
        return text


ENGLISH: Final = Words()


def label_of(span: Any) -> str:
    """Dates for a person to read: ``1 Mar to 31 May 2026``."""
    start, end = span.start, span.end
    if isinstance(span.start, datetime) or isinstance(span.stop, datetime):
        return _time_label(span)
    if start is None:
        return "all dates" if end is None else f"up to {day_label(end)}"
    if end is None:
        return f"from {day_label(start)}"
    if start == end:
        return day_label(start)
    if start.year != end.year:
        return f"{day_label(start)} to {day_label(end)}"
    if start.month != end.month:
        return f"{start.day} {MONTH_NAMES[start.month - 1]} to {day_label(end)}"
    return f"{start.day} to {day_label(end)}"


def _time_label(span: Any) -> str:
    start, stop = span.start, span.stop
    if not isinstance(start, datetime):
        assert isinstance(stop, datetime)
        return f"before {day_label(stop)} {_clock(stop)}"
    if not isinstance(stop, datetime):
        return f"from {day_label(start)} {_clock(start)}"
    if start.date() == stop.date():
        return f"{day_label(start)} {_clock(start)} to {_clock(stop)}"
    return f"{day_label(start)} {_clock(start)} to {day_label(stop)} {_clock(stop)}"


def _clock(moment: datetime) -> str:
    return f"{moment:%H:%M:%S}" if moment.second or moment.microsecond else f"{moment:%H:%M}"


def day_label(day: date) -> str:
    """A day for a person to read: ``31 Dec 9999``."""
    return f"{day.day} {MONTH_NAMES[day.month - 1]} {day.year}"


def words_of(
    locale: object,
    dates_as: str | None = None,
    texts: Mapping[str, Mapping[str, str]] | None = None,
) -> Words:
    """The words of a locale, such as ``de`` or ``fr-CA``; plain English for none.

    ``dates_as`` is a CLDR pattern for days, ``texts`` are labels by locale.

    Raises SettingError for a locale that there is not, or a pattern that is none.
    """
    if isinstance(locale, Words):
        return locale
    if locale is None and dates_as is None:
        return ENGLISH
    if locale is not None and not (isinstance(locale, str) and locale.strip()):
        raise SettingError(f"locale is {shown(locale)}; give a language, such as 'de' or 'fr-CA'")
    found: Words = outside().words(locale or "en-GB", dates_as, texts or {})
    return found

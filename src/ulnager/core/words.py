"""How dates and sentences are written for people: in English here; other languages lie outside.

Only what viewers read is written so. Phrases, keys and reasons stay as they are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ulnager.core.arguments import shown
from ulnager.core.errors import SettingError


class Words:
    """The words of a language, as ``ulnager.locales`` has them; None stands for plain English."""

    locale = "en"
    is_english = True

    def span(self, span: Any) -> str:
        """Dates for a person to read."""
        raise NotImplementedError

    def day(self, day: Any) -> str:
        """A day for a person to read."""
        raise NotImplementedError

    def unit(self, label: str) -> str:
        """The label of a unit, such as ``Mar 2026``."""
        raise NotImplementedError

    def counted(self, count: int, unit: str) -> str:
        """So many of a unit."""
        raise NotImplementedError

    def digits(self, text: str) -> str:
        """A number with the signs of the language: ``1.234,5``."""
        raise NotImplementedError

    def say(self, text: str) -> str:
        """A sentence for viewers."""
        raise NotImplementedError

    def label(self, text: str) -> str:
        """A label of the book."""
        raise NotImplementedError


def counted(words: Words | None, count: int, unit: str) -> str:
    """So many of a unit, in the words of a language or in English."""
    if words is not None:
        return words.counted(count, unit)
    return f"{count:,} {unit}{'s' * (count != 1)}"


Make = Callable[[str, str | None, Mapping[str, Mapping[str, str]]], Words]
_makers: dict[str, Make] = {}


def set_words(make: Make) -> None:
    """What knows the words of languages, which lies outside of the core."""
    _makers["words"] = make


def words_of(
    locale: object,
    dates_as: str | None = None,
    texts: Mapping[str, Mapping[str, str]] | None = None,
) -> Words | None:
    """The words of a locale, such as ``de`` or ``fr-CA``; None for plain English.

    ``dates_as`` is a CLDR pattern for days, ``texts`` are labels by locale.

    Raises SettingError for a locale that there is not, or a pattern that is none.
    """
    if isinstance(locale, Words):
        return locale
    if locale is None and dates_as is None:
        return None
    if locale is not None and not (isinstance(locale, str) and locale.strip()):
        raise SettingError(f"locale is {shown(locale)}; give a language, such as 'de' or 'fr-CA'")
    return _makers["words"](locale or "en-GB", dates_as, texts or {})

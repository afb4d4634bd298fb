"""The words of a language: dates by the CLDR, messages by a gettext catalogue."""

from __future__ import annotations

import functools
import gettext
import io
import re
from collections.abc import Mapping
from datetime import date, datetime
from importlib.resources import files
from typing import Final

from babel import Locale, UnknownLocaleError
from babel.core import get_global
from babel.dates import (
    format_date,
    format_datetime,
    format_interval,
    format_skeleton,
    parse_pattern,
)
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po
from babel.numbers import get_decimal_symbol, get_group_symbol
from babel.units import format_unit

from ulnager.core.errors import SettingError
from ulnager.core.messages import Message
from ulnager.core.suggest import no_such
from ulnager.core.units import MONTH_NAMES, UNIT_NAMES, WEEKDAYS
from ulnager.core.words import Words

_CATALOGUES: Final = files("ulnager.locales").joinpath("catalogues")
LANGUAGES: Final = tuple(
    sorted(one.name[:-3] for one in _CATALOGUES.iterdir() if one.name.endswith(".po"))
)
"""Those with messages of their own: a catalogue each."""
_MONTHS: Final = "|".join(MONTH_NAMES)
_MONTH: Final = re.compile(rf"({_MONTHS})(?: (\d{{4}}))?")
_QUARTER: Final = re.compile(r"Q([1-4])(?: (\d{4}))?")
_DAY: Final = re.compile(rf"(\d{{1,2}}) ({_MONTHS})(?: (\d{{4}}))?")
_ISO_DAY: Final = re.compile(r"\d{4}-\d\d-\d\d")
_WEEK: Final = re.compile(r"week (\d+)(?: of (.+))?")


class LocaleWords(Words):
    """The words of one locale, with the labels of a book in it."""

    def __init__(
        self, locale: Locale, dates_as: str | None, texts: Mapping[str, Mapping[str, str]]
    ) -> None:
        self._locale, self._dates_as, self._texts = locale, dates_as, texts
        self.locale = str(locale).replace("_", "-")
        self.is_english = locale.language == "en"
        self.direction = locale.text_direction
        self._messages = catalogue(locale.language)

    def __eq__(self, other: object) -> bool:
        mine = (self.locale, self._dates_as)
        return isinstance(other, LocaleWords) and mine == (other.locale, other._dates_as)

    def __hash__(self) -> int:
        return hash((self.locale, self._dates_as))

    @property
    def week_starts(self) -> str:
        """The weekday on which weeks start there, as a suggestion."""
        likely = get_global("likely_subtags").get(str(self._locale))
        there = self._locale if likely is None else Locale.parse(likely)
        return WEEKDAYS[there.first_week_day]

    def day(self, day: date) -> str:
        """A day, by the CLDR or as the book says."""
        if self._dates_as is not None:
            return format_date(day, self._dates_as, locale=self._locale)
        return format_skeleton("yMMMd", day, locale=self._locale)

    def span(self, span: object) -> str:
        """Dates: an interval by the CLDR."""
        start, end = span.start, span.end  # type: ignore[attr-defined]
        if isinstance(span.start, datetime) or isinstance(span.stop, datetime):  # type: ignore[attr-defined]
            return self._hours(span.start, span.stop)  # type: ignore[attr-defined]
        if start is None:
            return self.say("all dates") if end is None else self.say("up to {0}", self.day(end))
        if end is None:
            return self.say("from {0}", self.day(start))
        if start == end:
            return self.day(start)
        if self._dates_as is not None:
            between: str = self._locale.interval_formats[None] or "{0} – {1}"
            return between.replace("{0}", self.day(start)).replace("{1}", self.day(end))
        if not _names_both_ends(str(self._locale), _apart(start, end)):
            fallback: str = self._locale.interval_formats[None] or "{0} – {1}"
            return fallback.replace("{0}", self.day(start)).replace("{1}", self.day(end))
        return format_interval(start, end, "yMMMd", locale=self._locale)

    def _hours(self, start: datetime | None, stop: datetime | None) -> str:
        told = [
            None
            if one is None
            else format_datetime(one, "medium", tzinfo=one.tzinfo, locale=self._locale)
            for one in (start, stop)
        ]
        if told[0] is None:
            return self.say("up to {0}", told[1])
        return self.say("from {0}", told[0]) if told[1] is None else f"{told[0]} – {told[1]}"

    def unit(self, label: str) -> str:
        """The label of a unit: months, quarters and days by the CLDR; halves, which it has no names
        for, numbers of weeks and fiscal years are the same in every language."""
        if self.is_english and self._dates_as is None:
            return label
        if _ISO_DAY.fullmatch(label):
            return self.day(date.fromisoformat(label))
        if match := _MONTH.fullmatch(label):
            month = MONTH_NAMES.index(match[1]) + 1
            if match[2] is None:
                return str(self._locale.months["stand-alone"]["abbreviated"][month])
            return format_skeleton("yMMM", date(int(match[2]), month, 1), locale=self._locale)
        if match := _QUARTER.fullmatch(label):
            quarter = int(match[1])
            if match[2] is None:
                return str(self._locale.quarters["format"]["abbreviated"][quarter])
            day = date(int(match[2]), 3 * quarter - 2, 1)
            return format_skeleton("yQQQ", day, locale=self._locale)
        if match := _DAY.fullmatch(label):
            day = date(int(match[3] or 2000), MONTH_NAMES.index(match[2]) + 1, int(match[1]))
            if match[3] is not None:
                return self.day(day)
            return format_skeleton("MMMd", day, locale=self._locale)
        if match := _WEEK.fullmatch(label):
            return self.say("week {0} of {1}" if match[2] else "week {0}", *match.groups())
        return self.say(label)

    def counted(self, count: int, unit: str) -> str:
        """So many of a unit, in the plural that the language has for it."""
        if unit in ("second", "minute", "hour", "day", "week", "month", "quarter", "year"):
            told = ""
            for length in ("long", "short", "narrow"):
                told = format_unit(count, f"duration-{unit}", length=length, locale=self._locale)
                if (
                    "duration" not in told
                ):  # What the CLDR leaves out there, it has in a shorter form.
                    return told
        known = UNIT_NAMES.get(unit)
        plural = f"{unit}s" if known is None else known.plural
        return self.say(f"{{0}} {unit if count == 1 else plural}", count)

    def weekday(self, number: int, *, short: bool = False) -> str:
        """A weekday by the CLDR, 0 for Monday."""
        width = "short" if short else "wide"
        return str(self._locale.days["stand-alone"][width][number])

    def digits(self, text: str) -> str:
        """A number that is written as in English, with the signs of the language."""
        group, point = get_group_symbol(self._locale), get_decimal_symbol(self._locale)
        return text.translate({ord(","): group, ord("."): point})

    def label(self, text: str) -> str:
        """A label of the book in this locale, or else in its language; what the book does not
        translate may be one of ours."""
        known = self._texts.get(text)
        if known is None:
            return self._messages.labelled(text)
        language = self.locale.partition("-")[0]
        for locale, found in known.items():
            if locale.replace("_", "-").lower() == self.locale.lower():
                return found
        return next((found for one, found in known.items() if one == language), text)

    def worded(self, message: Message) -> Message:
        """A message in this language; one that the catalogue does not have stays English."""
        text = self._messages.said(message.key)
        inside = (
            self.worded(one) if isinstance(one, Message) else one for one in message.arguments
        )
        return message.told(text.format(*inside) if message.arguments else text)


def _apart(start: date, end: date) -> str:
    """The largest part in which two days differ."""
    return "y" if start.year != end.year else "M" if start.month != end.month else "d"


@functools.cache
def _names_both_ends(locale: str, apart: str) -> bool:
    """Whether intervals of a locale say all of their first day; some leave its month out."""
    end = date(2026, 4, 30)
    firsts = {
        "d": (date(2026, 4, 2), date(2026, 4, 3)),
        "M": (date(2026, 2, 2), date(2026, 3, 2), date(2026, 2, 3)),
        "y": (date(2024, 2, 2), date(2025, 2, 2), date(2024, 3, 2), date(2024, 2, 3)),
    }[apart]
    told = {format_interval(first, end, "yMMMd", locale=locale) for first in firsts}
    return len(told) == len(firsts)


class Catalogue:
    """Messages by their keys: English sentences, with ``{0}`` where something stands in them."""

    def __init__(self, translations: gettext.NullTranslations, keys: list[str]) -> None:
        self._translations = translations
        self._keys = frozenset(keys)

    def said(self, key: str) -> str:
        """The message of a key, its slots still open; the key where there is none."""
        return self._translations.gettext(key) if key in self._keys else key

    def labelled(self, text: str) -> str:
        """A label, where it is one of ours."""
        if "{n}" in text:
            return self.said(text.replace("{n}", "{0}")).replace("{0}", "{n}")
        return self.said(text) if "{0}" not in text else text


@functools.cache
def catalogue(language: str) -> Catalogue:
    """The messages of a language; none for one that has no catalogue."""
    path = _CATALOGUES.joinpath(f"{language}.po")
    if language not in LANGUAGES or not path.is_file():
        return Catalogue(gettext.NullTranslations(), [])
    found = read_po(io.BytesIO(path.read_bytes()), locale=language)
    compiled = io.BytesIO()
    write_mo(compiled, found)
    compiled.seek(0)
    keys = [str(message.id) for message in found if message.id]
    return Catalogue(gettext.GNUTranslations(compiled), keys)


@functools.lru_cache(maxsize=256)
def _parsed(name: str) -> Locale:
    try:
        return Locale.parse(name.replace("-", "_"))
    except (UnknownLocaleError, ValueError, TypeError):
        known = (
            "de",
            "de-AT",
            "de-CH",
            "en",
            "en-CA",
            "en-GB",
            "en-US",
            "es",
            "fr",
            "fr-CA",
            "ja",
            "it",
            "nl",
            "pl",
            "pt",
            "sv",
        )
        raise SettingError(no_such("locale", name[:40], known)) from None


def words(
    locale: str, dates_as: str | None = None, texts: Mapping[str, Mapping[str, str]] | None = None
) -> LocaleWords:
    """The words of a locale.

    >>> words("de").day(date(2026, 5, 20)), words("en-US").week_starts
    ('20. Mai 2026', 'sunday')

    Raises SettingError for a locale that there is not, or a pattern that is none.
    """
    found = _parsed(locale)
    if dates_as is not None:
        _check_pattern(dates_as)
    return LocaleWords(found, dates_as, texts or {})


def _check_pattern(text: str) -> None:
    """SettingError for what is no CLDR pattern of a day."""
    advice = f"dates_as is {text[:40]!r}; write a CLDR pattern, such as 'dd.MM.yyyy' or 'd MMM y'"
    try:
        sample = parse_pattern(text).apply(date(2026, 5, 20), Locale("en"))
    except (ValueError, KeyError, AttributeError, TypeError, IndexError):
        raise SettingError(advice) from None
    if "Y" in re.sub(r"'[^']*'", "", text):
        raise SettingError(
            f"dates_as is {text[:40]!r}, where Y is the year of the week, another one around New "
            "Year; write y: 'dd.MM.yyyy'"
        )
    if not re.search(r"[yu]", text) or not re.search(r"[ML]", text) or "d" not in text:
        raise SettingError(f"{advice}, with day, month and year")
    if not sample.strip() or len(text) > 60:
        raise SettingError(advice)

"""Labels of a book in several languages: ``label = { en = "Month so far", de = "Monat bisher" }``.

The one in the book's own language stands in the book; the others are found by it.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, Final

from ulnager.choices.picker_base import Language
from ulnager.core.errors import BookError, SettingError
from ulnager.core.words import words_of

Texts = dict[str, dict[str, str]]
_LABELS: Final = ("label", "short", "heading")
_LOCALE: Final = re.compile(r"[a-z]{2,3}([-_][A-Za-z0-9]{2,8})*")


def one_language(values: Mapping[str, Any]) -> tuple[dict[str, Any], Texts]:
    """The values of a book with one text for each label, and the others by that text."""
    texts: Texts = {}
    locale = values.get("locale")
    own = locale if isinstance(locale, str) else "en"
    return {key: _one(one, own, texts, "") for key, one in values.items()}, texts


def _one(value: Any, own: str, texts: Texts, key: str) -> Any:
    if isinstance(value, Mapping):
        if key in _LABELS and _is_by_locale(value):
            language = own.replace("_", "-").partition("-")[0]
            text = next(
                (value[one] for one in (own, language, "en") if one in value),
                next(iter(value.values())),
            )
            texts.setdefault(text, {}).update(value)
            return text
        # Each word of an input has a label of its own.
        inside = "label" if key == "labels" else ""
        return {name: _one(one, own, texts, inside or name) for name, one in value.items()}
    if isinstance(value, list):
        return [_one(one, own, texts, "") for one in value]
    return value


def _is_by_locale(value: Mapping[str, Any]) -> bool:
    return bool(value) and all(
        _LOCALE.fullmatch(name) and isinstance(text, str) for name, text in value.items()
    )


def language_of(
    file: str, key: str, locale: str | None, dates_as: str | None, texts: Texts
) -> Language:
    """The language of a book or a picker; BookError for one that there is not."""
    found = Language(locale, dates_as, texts or None)
    for name, parts in (("locale", (locale, None)), ("dates_as", (None, dates_as))):
        try:
            words_of(*parts)
        except SettingError as error:
            raise BookError(file, f"{key}{name}", str(error)) from None
    return found

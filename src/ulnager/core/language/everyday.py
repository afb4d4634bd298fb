"""Everyday writing, settled among the tokens: months by name, ``Q1 2026``, ``1 January 2026``,
``L7D``. What comes out are tokens that the grammar knows."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date
from typing import Final

from ulnager.core.language.token import Token
from ulnager.core.units import MONTH_NAMES

_LONG: Final = ("january", "february", "march", "april", "may", "june", "july", "august",
                "september", "october", "november", "december")  # fmt: skip
_MONTHS: Final = {
    **{name: number for number, name in enumerate(_LONG, 1)},
    **{name.lower(): number for number, name in enumerate(MONTH_NAMES, 1)},
    "sept": 9,
}
_PART: Final = re.compile(r"[qh][1-4]|w\d{1,2}")
_SHORT: Final = re.compile(r"l(\d{1,4})([dwmqy])")
_UNITS: Final = {"d": "days", "w": "weeks", "m": "months", "q": "quarters", "y": "years"}


def settled(tokens: list[Token]) -> list[Token]:
    """The tokens with everyday writing put into the grammar's own."""
    found: list[Token] = []
    place = 0
    while place < len(tokens):
        for read in _READERS:
            made = read(tokens, place)
            if made is not None:
                new, used = made
                start, end = tokens[place].start, tokens[place + used - 1].end
                found += [token._replace(start=start, end=end) for token in new]
                place += used
                break
        else:
            found.append(tokens[place])
            place += 1
    return found


Read = Callable[[list[Token], int], "tuple[list[Token], int] | None"]


def _texts(tokens: list[Token], place: int, count: int) -> list[str]:
    return [token.text for token in tokens[place : place + count]]


def _is_year(tokens: list[Token], place: int) -> bool:
    return place < len(tokens) and tokens[place].kind == "number" and len(tokens[place].text) == 4


def _month(tokens: list[Token], place: int) -> int | None:
    is_word = place < len(tokens) and tokens[place].kind == "word"
    return _MONTHS.get(tokens[place].text) if is_word else None


def _day_number(tokens: list[Token], place: int) -> int | None:
    if place >= len(tokens) or tokens[place].kind not in ("number", "ordinal"):
        return None
    digits = re.match(r"\d{1,2}(?!\d)", tokens[place].text)
    return int(digits.group()) if digits else None


def _named_date(tokens: list[Token], place: int) -> tuple[list[Token], int] | None:
    """``1 January 2026`` or ``Jan 1, 2026``."""
    day, month, used = _day_number(tokens, place), _month(tokens, place + 1), 2
    if day is None or month is None:
        month, day = _month(tokens, place), _day_number(tokens, place + 1)
    if day is None or month is None:
        return None
    used += _texts(tokens, place + used, 1) == [","]
    if not _is_year(tokens, place + used):
        return None
    try:
        on = date(int(tokens[place + used].text), month, day)
    except ValueError:
        return None
    return [Token("date", str(on), 0, 0)], used + 1


def _named_month(tokens: list[Token], place: int) -> tuple[list[Token], int] | None:
    """``March 2026`` and ``2026 march``: the Gregorian month, as 2026-03."""
    month, year = _month(tokens, place), place + 1
    if month is None or not _is_year(tokens, year):
        month, year = _month(tokens, place + 1), place
        # ``10 march 2026`` is a date, and the year may belong to what is before it.
        if month is None or not _is_year(tokens, year) or _is_year(tokens, place + 2):
            return None
    return [Token("iso", f"{int(tokens[year].text):04}-{month:02}", 0, 0)], 2


def _named_part(tokens: list[Token], place: int) -> tuple[list[Token], int] | None:
    """``Q1 2026``, ``2026 H2``, ``W14 2026``: a unit of the calendar in use, by its label."""
    texts = _texts(tokens, place, 2)
    if len(texts) < 2:
        return None
    part, year = (0, 1) if _PART.fullmatch(texts[0]) else (1, 0)
    if not _PART.fullmatch(texts[part]) or not _is_year(tokens, place + year):
        return None
    name, number = texts[part].upper(), texts[year]
    if name[0] == "W":
        words = ("week", name[1:], "of", number)
        kinds = ("word", "number", "word", "number")
        return [Token(kind, word, 0, 0) for kind, word in zip(kinds, words, strict=True)], 2
    return [Token("name", f"{name} {number}", 0, 0)], 2


def _short_form(tokens: list[Token], place: int) -> tuple[list[Token], int] | None:
    """``L7D`` and ``TTM``."""
    match = _SHORT.fullmatch(tokens[place].text) if tokens[place].kind == "word" else None
    if match is not None:
        words = [("word", "last"), ("number", match[1]), ("word", _UNITS[match[2]])]
        if match[1] == "1":
            words[-1] = ("word", words[-1][1].removesuffix("s"))
        return [Token(kind, text, 0, 0) for kind, text in words], 1
    if tokens[place].text == "ttm":
        words = [("word", "last"), ("number", "12"), ("word", "rolling"), ("word", "months")]
        return [Token(kind, text, 0, 0) for kind, text in words], 1
    return None


_READERS: Final[tuple[Read, ...]] = (_named_date, _named_month, _named_part, _short_form)

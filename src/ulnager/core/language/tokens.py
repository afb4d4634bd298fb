"""Text to tokens: words, numbers, dates and signs, each with its place in the text.

Synonyms are settled here, so that the grammar knows one word for one thing.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Callable
from datetime import date
from typing import Final, NamedTuple

from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.text import pattern
from ulnager.core.units import LONG_MONTHS, MONTH_NAMES, UNIT_NAMES


class Token(NamedTuple):
    """A piece of the text: what sort it is, its canonical wording, and its place."""

    kind: str
    text: str
    start: int
    end: int


MONTHS: Final = {
    **{name: number for number, name in enumerate(LONG_MONTHS, 1)},
    **{name.lower(): number for number, name in enumerate(MONTH_NAMES, 1)},
    "sept": 9,
}
_PART: Final = pattern(r"[qh][1-4]|w\d{1,2}")
_LABEL_PART: Final = pattern(r"[qh][1-4]|[pw]\d{1,2}")
_SPELT: Final = ("week", "quarter", "half")
# No other token begins everyday writing, or is its second word.
_WORDS: Final = frozenset({*MONTHS, "a", "an", "ttm", *_SPELT})
_MAY_BE: Final = pattern(r"[qhwpl]\d|fy")
_SHORT: Final = pattern(r"l(\d{1,4})([dwmqy])")
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
    return MONTHS.get(tokens[place].text) if is_word else None


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
    if month is not None and _texts(tokens, year, 1) == [","] and _is_year(tokens, year + 1):
        return [Token("iso", f"{int(tokens[year + 1].text):04}-{month:02}", 0, 0)], 3
    if month is None or not _is_year(tokens, year):
        month, year = _month(tokens, place + 1), place
        # ``10 march 2026`` is a date, and the year may belong to what is before it.
        if month is None or not _is_year(tokens, year) or _is_year(tokens, place + 2):
            return None
    return [Token("iso", f"{int(tokens[year].text):04}-{month:02}", 0, 0)], 2


def _named_part(tokens: list[Token], place: int) -> tuple[list[Token], int] | None:
    """``Q1 2026``, ``2026 H2``, ``W14 2026``: a unit of the calendar in use, by its label."""
    texts = _texts(tokens, place, 2)
    if texts[0] in _SPELT and len(texts) > 1 and texts[1].isdigit() and len(texts[1]) < 3:
        # ``week 14 2026`` and ``quarter 2 2026``.
        if not _is_year(tokens, place + 2) or _texts(tokens, place + 3, 1) == ["of"]:
            return None
        texts, taken = [f"{texts[0][0]}{int(texts[1])}", tokens[place + 2].text], 3
    else:
        taken = 2
    if len(texts) < 2:
        return None
    part, year = (0, 1) if _PART.fullmatch(texts[0]) else (1, 0)
    if not _PART.fullmatch(texts[part]) or not _is_year(tokens, place + year + taken - 2):
        return None
    name, number = texts[part].upper(), texts[year]
    if name[0] == "W":
        words = ("week", name[1:], "of", number)
        kinds = ("word", "number", "word", "number")
        return [Token(kind, word, 0, 0) for kind, word in zip(kinds, words, strict=True)], taken
    return [Token("name", f"{name} {number}", 0, 0)], taken


def _fiscal_label(tokens: list[Token], place: int) -> tuple[list[Token], int] | None:
    """``FY2026``, ``FY 26``, ``Q1 FY2026`` and ``P05 W2 FY2026``: labels without their quotes."""
    words: list[str] = []
    at = place
    while at < len(tokens) and len(words) < 2 and _LABEL_PART.fullmatch(tokens[at].text):
        words.append(tokens[at].text.upper())
        at += 1
    year = _fiscal_year(tokens, at)
    if year is None:
        return None
    at = year[1]
    if not words and at < len(tokens) and _LABEL_PART.fullmatch(tokens[at].text):
        words.append(tokens[at].text.upper())
        at += 1
    return [Token("name", " ".join([*words, year[0]]), 0, 0)], at - place


def _fiscal_year(tokens: list[Token], place: int) -> tuple[str, int] | None:
    if place >= len(tokens) or tokens[place].kind != "word":
        return None
    text, after = tokens[place].text, place + 1
    if text == "fy" and after < len(tokens) and tokens[after].kind == "number":
        text, after = f"fy{tokens[after].text}", after + 1
    match = re.fullmatch(r"fy(\d{4}|\d\d)", text)
    if match is None:
        return None
    return (f"FY{match[1]}" if len(match[1]) == 4 else f"FY20{match[1]}"), after


def _one(tokens: list[Token], place: int) -> tuple[list[Token], int] | None:
    """``a month ago``: one."""
    words = _texts(tokens, place, 2)
    if len(words) < 2 or words[0] not in ("a", "an") or words[1] not in UNIT_NAMES:
        return None
    return [Token("number", "1", 0, 0)], 1


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


_READERS: Final[tuple[Read, ...]] = (
    _fiscal_label,
    _named_date,
    _named_month,
    _named_part,
    _short_form,
    _one,
)


MOST_CHARACTERS: Final = 2_000
MOST_TOKENS: Final = 300

_DATE = r"[0-9]{4}-[0-9]{2}-[0-9]{2}"
_ISO = r"[0-9]{4}(?:-(?:[Ww][0-9]{2}|[Qq][0-9]|[0-9]{2}))?"
_TOKEN = pattern(
    rf"""
    (?:
    (?P<word>[^\W\d]\w*)
  | (?P<space>\s+)
  | (?P<timestamp>{_DATE}[Tt][0-9]{{2}}:[0-9]{{2}}(?::[0-9]{{2}}(?:\.[0-9]{{1,6}})?)?
        (?:[Zz]|[+-][0-9]{{2}}:?[0-9]{{2}})?)
  | (?P<interval>(?:{_DATE}|{_ISO})/(?:{_DATE}|{_ISO})(?![\w-]))
  | (?P<date>{_DATE}(?![\w-]))
  | (?P<iso>[0-9]{{4}}-(?:[Ww][0-9]{{2}}|[Qq][0-9]|[0-9]{{2}})(?![\w-]))
  | (?P<ordinal>[0-9]+(?:st|nd|rd|th)\b)
  | (?P<number>[0-9]+(?!\w|-[0-9]))
  | (?P<hyphen>(?<=\w)-(?=[^\W\d]))
  | (?P<sign>[(),])
  | (?P<slot>\{{[a-z][a-z0-9_]*\}})
  | (?P<name>"[^"]*"|'[^']*')
    )\s*
    """,
    re.VERBOSE,
)

SYNONYMS: Final[dict[str, tuple[str, ...]]] = {
    "the": (),
    "trailing": ("rolling",),
    "complete": ("whole",),
    "full": ("whole",),
    "prior": ("previous",),
    "past": ("last",),
    "coming": ("next",),
    "upcoming": ("next",),
    "excluding": ("except",),
    "without": ("except",),
    "including": ("plus",),
    "through": ("until",),
    "thru": ("until",),
    "till": ("until",),
    "til": ("until",),
    "working": ("business",),
    "workday": ("business", "day"),
    "workdays": ("business", "days"),
    "wtd": ("week", "to", "date"),
    "mtd": ("month", "to", "date"),
    "qtd": ("quarter", "to", "date"),
    "htd": ("half", "to", "date"),
    "ytd": ("year", "to", "date"),
}
NUMBER_WORDS: Final = {
    word: str(number)
    for number, word in enumerate(
        (
            "one",
            "two",
            "three",
            "four",
            "five",
            "six",
            "seven",
            "eight",
            "nine",
            "ten",
            "eleven",
            "twelve",
        ),
        1,
    )
}


def tokens_of(phrase: str) -> list[Token]:
    """The tokens of a phrase, in lower case, synonyms settled.

    Raises PeriodSyntaxError for a sign that no phrase contains, or a phrase that is too long.
    """
    if len(phrase) > MOST_CHARACTERS:
        raise PeriodSyntaxError(
            phrase,
            MOST_CHARACTERS,
            1,
            f"the phrase has {len(phrase):,} characters; at most {MOST_CHARACTERS:,} are read",
        )
    found: list[Token] = []
    place = 0
    is_everyday = False
    for match in _TOKEN.finditer(phrase):
        if match.start() != place:
            raise _unreadable(phrase, place)
        place, kind = match.end(), match.lastgroup or ""
        if kind == "space" or kind == "hyphen":
            continue
        text = match[kind]
        start, end = match.span(kind)
        if kind == "word":
            kind, words, may_be = _meant(text)
            is_everyday = is_everyday or may_be
            for word in words:
                found.append(Token(kind, word, start, end))
            continue
        if kind == "name":
            text = text[1:-1]
            is_everyday = is_everyday or _may_be_everyday(text)
        elif kind in ("timestamp", "iso", "interval"):
            text = text.upper()
        else:
            text = text.lower()
        found.append(Token(kind, text, start, end))
    if place != len(phrase):
        raise _unreadable(phrase, place)
    if len(found) > MOST_TOKENS:
        raise PeriodSyntaxError(
            phrase,
            found[MOST_TOKENS].start,
            1,
            f"the phrase has {len(found):,} words; at most {MOST_TOKENS:,} are read",
        )
    return settled(found) if is_everyday else found


@functools.lru_cache(maxsize=1_000)
def _meant(word: str) -> tuple[str, tuple[str, ...], bool]:
    """The sort of token a word is, what it is called here, and whether it may be of everyday
    writing."""
    text = word.lower()
    if text in NUMBER_WORDS:
        return "number", (NUMBER_WORDS[text],), False
    if text in SYNONYMS:
        return "word", SYNONYMS[text], False
    return "word", (text,), _may_be_everyday(text)


def _may_be_everyday(text: str) -> bool:
    return text in _WORDS or _MAY_BE.match(text) is not None


def _unreadable(phrase: str, place: int) -> PeriodSyntaxError:
    from ulnager.core.language.date_hint import date_failure

    if (other := date_failure(phrase)) is not None:
        return other
    piece = re.match(r"[^\s()]+", phrase[place:])
    text = piece.group() if piece else phrase[place]
    if text[0].isdigit():
        return PeriodSyntaxError(
            phrase,
            place,
            len(text),
            f"'{text[:40]}' is neither a number nor a date",
            ("a date such as 2026-03-01", "2026-03", "2026-W14", "2026-Q2"),
        )
    return PeriodSyntaxError(
        phrase,
        place,
        len(text),
        f"'{text[:40]}' cannot stand in a phrase",
        ("words, numbers, dates, commas and parentheses",),
    )

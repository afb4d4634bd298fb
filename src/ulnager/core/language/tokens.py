"""Text to tokens: words, numbers, dates and signs, each with its place in the text.

Synonyms are settled here, so that the grammar knows one word for one thing.
"""

from __future__ import annotations

import re
from typing import Final

from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.language.everyday import settled
from ulnager.core.language.token import Token
from ulnager.core.patterns import pattern

MOST_CHARACTERS: Final = 2_000
MOST_TOKENS: Final = 300

_DATE = r"[0-9]{4}-[0-9]{2}-[0-9]{2}"
_ISO = r"[0-9]{4}(?:-(?:[Ww][0-9]{2}|[Qq][0-9]|[0-9]{2}))?"
_TOKEN = pattern(
    rf"""
    (?P<space>\s+)
  | (?P<timestamp>{_DATE}[Tt][0-9]{{2}}:[0-9]{{2}}(?::[0-9]{{2}}(?:\.[0-9]{{1,6}})?)?
        (?:[Zz]|[+-][0-9]{{2}}:?[0-9]{{2}})?)
  | (?P<interval>(?:{_DATE}|{_ISO})/(?:{_DATE}|{_ISO})(?![\w-]))
  | (?P<date>{_DATE}(?![\w-]))
  | (?P<iso>[0-9]{{4}}-(?:[Ww][0-9]{{2}}|[Qq][0-9]|[0-9]{{2}})(?![\w-]))
  | (?P<ordinal>[0-9]+(?:st|nd|rd|th)\b)
  | (?P<number>[0-9]+(?!\w|-[0-9]))
  | (?P<word>[^\W\d]\w*)
  | (?P<hyphen>(?<=\w)-(?=[^\W\d]))
  | (?P<sign>[(),])
  | (?P<slot>\{{[a-z][a-z0-9_]*\}})
  | (?P<name>"[^"]*"|'[^']*')
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
            "one", "two", "three", "four", "five", "six",
            "seven", "eight", "nine", "ten", "eleven", "twelve",
        ),
        1,
    )
}  # fmt: skip


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
    while place < len(phrase):
        if phrase[place] == " ":
            place += 1
            continue
        match = _TOKEN.match(phrase, place)
        if match is None:
            raise _unreadable(phrase, place)
        kind = match.lastgroup or ""
        start, place = match.span()
        if kind == "word":
            word = match.group().lower()
            if word in NUMBER_WORDS:
                found.append(Token("number", NUMBER_WORDS[word], start, place))
            elif word in SYNONYMS:
                found.extend(Token("word", text, start, place) for text in SYNONYMS[word])
            else:
                found.append(Token("word", word, start, place))
        elif kind == "name":
            found.append(Token("name", match.group()[1:-1], start, place))
        elif kind not in ("space", "hyphen"):
            found.append(
                Token(
                    kind,
                    match.group().upper()
                    if kind in ("timestamp", "iso", "interval")
                    else match.group().lower(),
                    start,
                    place,
                )
            )
    if len(found) > MOST_TOKENS:
        raise PeriodSyntaxError(
            phrase,
            found[MOST_TOKENS].start,
            1,
            f"the phrase has {len(found):,} words; at most {MOST_TOKENS:,} are read",
        )
    return settled(found)


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

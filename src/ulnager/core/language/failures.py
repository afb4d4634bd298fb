"""What to say of a phrase that cannot be read: the place, what fits there, and the nearest word."""

from __future__ import annotations

import functools

from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.language.date_hint import date_failure
from ulnager.core.language.slots import UNIT_WORDS
from ulnager.core.language.tokens import NUMBER_WORDS, SYNONYMS, Token
from ulnager.core.language.tree import WORDING
from ulnager.core.periods.phrases import RULES


def failure(
    phrase: str, tokens: list[Token], furthest: int, expected: list[str]
) -> PeriodSyntaxError:
    """What is wrong with a phrase that was read as far as its token ``furthest``."""
    from difflib import get_close_matches

    if not tokens:
        return PeriodSyntaxError(
            phrase,
            0,
            1,
            "there is no phrase here",
            ("a phrase such as 'last 3 whole months' or 'month to date'",),
        )
    if (other := date_failure(phrase)) is not None:
        return other
    if furthest >= len(tokens):
        last = tokens[-1]
        return PeriodSyntaxError(phrase, last.end, 1, "the phrase stops too early", expected)
    token = tokens[furthest]
    words = [text.split()[0] for text in expected if text[0].isalpha()]
    known = [*words, *vocabulary()]
    near = get_close_matches(token.text, words, 1, 0.6) or get_close_matches(
        token.text, known, 1, 0.75
    )
    written = phrase[token.start : token.end]
    suggestion = near[0] if near and near[0] != written.lower() else None
    return PeriodSyntaxError(
        phrase,
        token.start,
        token.end - token.start,
        f"'{written[:40]}' does not fit here",
        expected,
        suggestion,
    )


@functools.cache
def vocabulary() -> tuple[str, ...]:
    """Every word that some phrase contains."""
    words = {*SYNONYMS, *NUMBER_WORDS, *UNIT_WORDS}
    for rule in RULES.values():
        for wording in (rule.template, *rule.also):
            words.update(word for _, word in WORDING.findall(wording) if word.isalpha())
    return tuple(sorted(words))

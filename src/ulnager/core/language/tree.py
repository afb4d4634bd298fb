"""The wordings of the phrase table as a tree of words and slots."""

from __future__ import annotations

import functools
from collections import defaultdict
from typing import Final

from ulnager.core.language.slots import WORDS_FIRST
from ulnager.core.language.tokens import SYNONYMS
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.phrases.aliases import SAID
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.text import pattern

WORDING = pattern(r"\{(\w+?)(?:_\d)?\}|([^\s{},]+|,)")
PHRASES: Final = "phrases"
POINTS: Final = "points"
FOLLOWS: Final = "what follows a phrase"
KNOWN: Final = frozenset().union(*WORDS_FIRST.values())
OTHER: Final = "another word"
# What a slot begins with, where it is neither a point nor a phrase.
_OF_WORDS: Final = frozenset({"word", "slot"})
_ANY_KIND: Final = frozenset(
    {"word", "sign", "number", "date", "timestamp", "iso", "interval", "name", "ordinal", "slot"}
)
_KINDS: Final = {
    "count": frozenset({"number", "slot"}),
    "date": frozenset({"date", "slot"}),
    "timestamp": frozenset({"timestamp"}),
    "iso": frozenset({"iso", "interval", "number"}),
    "label": frozenset({"name", "word"}),
    "calendar": frozenset({"name", "word"}),
    "ordinal": frozenset({"ordinal", "word"}),
    "unit": _OF_WORDS,
    "units": _OF_WORDS,
    "steps": _OF_WORDS,
    "dayname": _OF_WORDS,
    "weekday": _OF_WORDS,
    "monthname": _OF_WORDS,
    "unitname": _OF_WORDS,
    "days": _OF_WORDS,
}


class Branch:
    """A place in the tree of wordings: where words and slots lead, and what may end here."""

    __slots__ = ("_slots_for", "rule", "slots", "words")

    def __init__(self) -> None:
        self.words: defaultdict[str, Branch] = defaultdict(Branch)
        self.slots: defaultdict[str, Branch] = defaultdict(Branch)
        self.rule: Rule | None = None
        self._slots_for: dict[tuple[str, str], list[tuple[str, Branch, frozenset[str]]]] = {}

    def slots_for(self, kind: str, word: str) -> list[tuple[str, Branch, frozenset[str]]]:
        """The slots that may begin with a kind of token, and with a word of ``KNOWN`` or another
        (``OTHER``); all of them for neither. With each the words of which one must follow, if a
        word must."""
        found = self._slots_for.get((kind, word))
        if found is None:
            found = self._slots_for[kind, word] = [
                (slot, branch, branch._must_follow())
                for slot, branch in self.slots.items()
                if (not kind or kind in _KINDS.get(slot, _ANY_KIND))
                and (not word or slot not in WORDS_FIRST or word in WORDS_FIRST[slot])
            ]
        return found

    def _must_follow(self) -> frozenset[str]:
        if self.rule is not None:
            return frozenset()
        behind = [branch._must_follow() for branch in self.slots.values()]
        return frozenset(self.words).union(*behind) if all(behind) else frozenset()

    def only_way_on(self) -> list[str]:
        """The words that must follow."""
        if self.rule is not None or self.slots or len(self.words) != 1:
            return []
        ((word, branch),) = self.words.items()
        return [word, *branch.only_way_on()]

    def add(self, wording: str, rule: Rule) -> None:
        """Lay a wording into the tree, its words as the tokens of a phrase have them."""
        branch = self
        for slot, word in WORDING.findall(wording):
            if slot:
                branch = branch.slots[slot]
            for token in () if slot else SYNONYMS.get(word, (word,)):
                branch = branch.words[token]
        branch.rule = rule


def tree(what: str) -> Branch:
    """The wordings of the phrase table that can stand in one sort of place."""
    return _trees()[what]


@functools.cache
def _trees() -> dict[str, Branch]:
    roots = {PHRASES: Branch(), POINTS: Branch(), FOLLOWS: Branch()}
    for rule in (*RULES.values(), *SAID):
        begins = POINTS if rule.kind is Kind.POINT else PHRASES
        place = FOLLOWS if rule.follows else begins
        for wording in (rule.template, *rule.also):
            text = wording.removeprefix("{period}") if place == FOLLOWS else wording
            roots[place].add(text, rule)
    return roots

"""The wordings of the phrase table as a tree of words and slots."""

from __future__ import annotations

import functools
from typing import Final

from ulnager.core.language.tokens import SYNONYMS
from ulnager.core.patterns import pattern
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.phrases.said import SAID
from ulnager.core.periods.rule import Kind, Rule

WORDING = pattern(r"\{(\w+?)(?:_\d)?\}|([^\s{},]+|,)")
PHRASES: Final = "phrases"
POINTS: Final = "points"
FOLLOWS: Final = "what follows a phrase"


class Branch:
    """A place in the tree of wordings: where words and slots lead, and what may end here."""

    __slots__ = ("rule", "slots", "words")

    def __init__(self) -> None:
        self.words: dict[str, Branch] = {}
        self.slots: dict[str, Branch] = {}
        self.rule: Rule | None = None

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
                branch = branch.slots.setdefault(slot, Branch())
            for token in () if slot else SYNONYMS.get(word, (word,)):
                branch = branch.words.setdefault(token, Branch())
        branch.rule = rule


@functools.cache
def tree(what: str) -> Branch:
    """The wordings of the phrase table that can stand in one sort of place."""
    root = Branch()
    for rule in (*RULES.values(), *SAID):
        if _place_of(rule) == what:
            for wording in (rule.template, *rule.also):
                root.add(wording.removeprefix("{period}") if rule.follows else wording, rule)
    return root


def _place_of(rule: Rule) -> str:
    if rule.follows:
        return FOLLOWS
    return POINTS if rule.kind is Kind.POINT else PHRASES

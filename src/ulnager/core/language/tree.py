"""The wordings of the phrase table as a tree of words and slots."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ulnager.core.periods.rule import Rule

WORDING = re.compile(r"\{(\w+?)(?:_\d)?\}|([^\s{},]+|,)")


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
        branch = self
        for slot, word in WORDING.findall(wording):
            branches = branch.slots if slot else branch.words
            branch = branches.setdefault(slot or word, Branch())
        branch.rule = rule


def tree_of(rules: Iterable[Rule]) -> Branch:
    root = Branch()
    for rule in rules:
        for wording in (rule.template, *rule.also):
            root.add(wording.removeprefix("{period}") if rule.follows else wording, rule)
    return root

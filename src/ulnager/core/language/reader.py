"""Phrase to definition.

The wordings in the phrase table are laid into a tree of words and slots; reading walks
that tree. Nothing here knows a single phrase: a new row in the table is read at once.
Every way to go on is tried, the longest first, and each place of the text is read once
for each sort of thing, so that no phrase takes long.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.language.failures import failure
from ulnager.core.language.slots import Alternatives, Slots
from ulnager.core.language.tree import Branch, tree_of
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.phrases.said import SAID
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.units import Unit

MOST_NESTED: Final = 60
# A phrase within these can be read again in its canonical form, whatever is in it.
_SURELY_READ: Final = 8
_SURELY_LONG: Final = 600


_ALL = (*RULES.values(), *SAID)
_PHRASES = tree_of(r for r in _ALL if r.kind is not Kind.POINT and not r.follows)
_POINTS = tree_of(r for r in _ALL if r.kind is Kind.POINT)
_CHAINS = tree_of(r for r in _ALL if r.follows)
# Where a point is wanted a period stands for its edge: its first day, or its last one.
_LAST_DAY: Final = {
    "between": (False, True), "until": (True,), "after": (True,), "latest_up_to": (True,),
    "moved_after": (True,), "as_of": (True,),
}  # fmt: skip
_WITH_TO: Final = ("between",)
_OPENERS: Final = ("in", "within", "over", "during")


def read_period(phrase: str, own_units: tuple[Unit, ...] = ()) -> Definition:
    """The definition that a phrase stands for; it may speak of a calendar's ``own_units``.

    >>> str(read_period("Trailing three months"))
    'last 3 rolling months'

    Raises PeriodSyntaxError, with the place, what was expected and the nearest known word.
    """
    reader = _Reader(phrase, own_units)
    try:
        return reader.whole(_Reader.chains)
    except PeriodSyntaxError:
        if not reader.tokens or reader.tokens[0].text not in _OPENERS:
            raise
        # ``in the last 30 days``: the word before the phrase says nothing about dates.
        other = _Reader(phrase, own_units)
        other.tokens = other.tokens[1:]
        found = other._whole(_Reader.chains)
        if found is None:
            raise
        return found


def is_phrase(text: str) -> bool:
    """Whether a text can be read as a phrase, without a word on why not."""
    try:
        reader = _Reader(text, ())
        return reader._whole(_Reader.chains) is not None
    except PeriodSyntaxError:
        return False


def read_point(phrase: str, own_units: tuple[Unit, ...] = ()) -> Definition:
    """The point that a phrase stands for: ``latest``, ``2026-06-30``, ``end of last month``.

    Raises PeriodSyntaxError as :func:`read_period` does.
    """
    try:
        return _Reader(phrase, own_units).whole(_Reader.points)
    except PeriodSyntaxError as error:
        try:
            period = read_period(phrase, own_units)
        except PeriodSyntaxError:
            raise error from None
    raise PeriodSyntaxError(
        phrase,
        0,
        len(phrase),
        f"'{period}' is a period, and a point is needed here",
        (f"'start of {period}'", f"'end of {period}'"),
    )


class _Reader(Slots):
    def __init__(self, phrase: str, own_units: tuple[Unit, ...]) -> None:
        super().__init__(phrase, own_units)
        self.memo: dict[tuple[str, int], Alternatives] = {}
        self.depth = 0

    def whole(self, read: Callable[[_Reader, int], Alternatives]) -> Definition:
        """The one definition that takes in every token."""
        found = self._whole(read)
        if found is not None:
            self._check_printed(found, read)
            return found
        self.tracing = True
        self.memo.clear()
        read(self, 0)
        raise failure(self.phrase, self.tokens, self.furthest, list(self.expected))

    def _whole(self, read: Callable[[_Reader, int], Alternatives]) -> Definition | None:
        end = len(self.tokens)
        for definition, place in read(self, 0) if end else ():
            if place == end:
                found: Definition = definition
                return found
        return None

    def _check_printed(
        self, definition: Definition, read: Callable[[_Reader, int], Alternatives]
    ) -> None:
        """PeriodSyntaxError where the canonical form, with brackets, is beyond reading again."""
        text = str(definition)
        if definition.depth <= _SURELY_READ and len(text) <= _SURELY_LONG:
            return
        try:
            other = _Reader(text, ())
            other.unit_names = self.unit_names
            if other._whole(read) == definition:
                return
        except PeriodSyntaxError:
            pass
        raise PeriodSyntaxError(
            self.phrase,
            0,
            len(self.phrase),
            f"written out this phrase has {len(text):,} characters and {definition.depth} phrases "
            "inside each other, too many to be read again; split it",
        )

    # Each method below answers with all the ways in which that sort of thing can be read
    # from a place on, the longest first.

    def chains(self, place: int) -> Alternatives:
        """A phrase with what follows it: ``P plus P as of POINT``."""
        return self._once("chains", place, self._chains)

    def _chains(self, place: int) -> Alternatives:
        reached: dict[int, Any] = {}
        waiting = list(self.periods(place))
        while waiting:
            definition, end = waiting.pop(0)
            if end in reached:
                continue
            reached[end] = definition
            for rule, args, after in self._walk(_CHAINS, end):
                waiting.append((self._made(rule, (definition, *args), end), after))
        return sorted(((made, end) for end, made in reached.items()), key=_longest)

    def periods(self, place: int) -> Alternatives:
        """One phrase, or a chain in parentheses."""
        return self._once("periods", place, self._periods)

    def _periods(self, place: int) -> Alternatives:
        found = self._made_all(_PHRASES, place)
        if self.is_word(place, "("):
            for inner, end in self.chains(place + 1):
                if self.is_word(end, ")"):
                    found.append((inner, end + 1))
                elif self.tracing:
                    self.expect(end, ")")
        elif self.tracing:
            self.expect(place, "(")
        return sorted(found, key=_longest)

    def points(self, place: int) -> Alternatives:
        return self._once("points", place, lambda start: self._made_all(_POINTS, start))

    def edges(self, place: int) -> Alternatives:
        """A point, or a period that stands for its edge."""
        found = self.points(place)
        here = {end for _, end in found}
        # After ``from`` the first ``to`` outside parentheses is its own.
        shut_out = () if self.is_word(place, "(") else ("on", *_WITH_TO)
        others = [pair for pair in self.periods(place) if pair[1] not in here
                  and pair[0].rule.key not in shut_out]  # fmt: skip
        return sorted([*found, *others], key=_longest)

    def _once(self, sort: str, place: int, read: Callable[[int], Alternatives]) -> Alternatives:
        key = (sort, place)
        found = self.memo.get(key)
        if found is None:
            self.depth += 1
            if self.depth > MOST_NESTED:
                raise self._too_deep(place)
            self.memo[key] = []  # Nothing begins with itself.
            found = self.memo[key] = read(place)
            self.depth -= 1
        return found

    def _made_all(self, tree: Branch, place: int) -> Alternatives:
        walked = self._walk(tree, place)
        return sorted(
            ((self._made(rule, args, place), end) for rule, args, end in walked
             if rule.key != "unit_of" or args[1].rule.kind is Kind.POINT),
            key=_longest,
        )  # fmt: skip

    def _made(self, rule: Rule, args: tuple[Any, ...], place: int) -> Definition:
        if rule.kind is not Kind.RANGES and rule.key != "start_of" and rule.key != "end_of":
            args = _with_edges(rule, args)
        definition = Definition(rule, args) if rule.stands_for is None else rule.stands_for(*args)
        if definition.depth > MOST_NESTED:
            raise self._too_deep(place)
        return definition

    def _walk(
        self, tree: Branch, place: int, args: tuple[Any, ...] = ()
    ) -> list[tuple[Rule, tuple[Any, ...], int]]:
        """Every way down the tree from a place on."""
        found: list[tuple[Rule, tuple[Any, ...], int]] = []
        if tree.rule is not None:
            found.append((tree.rule, args, place))
        if place < len(self.tokens):
            token = self.tokens[place]
            branch = tree.words.get(token.text) if token.kind in ("word", "sign") else None
            if branch is not None:
                found += self._walk(branch, place + 1, args)
        if self.tracing:
            for word, next_branch in tree.words.items():
                self.expect(place, " ".join([word, *next_branch.only_way_on()]))
        for slot, branch in tree.slots.items():
            for value, end in _SLOTS[slot](self, place):
                found += self._walk(branch, end, (*args, value))
        return found

    def period(self, place: int) -> Alternatives:
        """A phrase inside another: one phrase, or a bare unit, which means the one around."""
        this_unit = RULES["this"]
        bare = [
            (Definition(this_unit, (unit,)), end)
            for unit, end in self.unit(place)
            if self.tokens[end - 1].text == unit.name.split()[-1]
        ]
        inside = self.periods(place)
        if not any(self.is_word(place, word) for word in ("(", "from", "between")):
            # A ``to`` outside parentheses belongs to the ``from`` before it.
            inside = [pair for pair in inside if pair[0].rule.key not in _WITH_TO]
        return sorted([*inside, *bare], key=_longest)

    def _too_deep(self, place: int) -> PeriodSyntaxError:
        token = self.tokens[min(place, len(self.tokens) - 1)]
        return self.problem(token, f"more than {MOST_NESTED} phrases stand inside each other")


def _with_edges(rule: Rule, args: tuple[Any, ...]) -> tuple[Any, ...]:
    """The arguments, with the first or the last day of a period where a point is wanted."""
    made, points = list(args), 0
    for place, slot in enumerate(rule.slots):
        if not slot.startswith("point"):
            continue
        sides = _LAST_DAY.get(rule.key, ())
        is_last = sides[min(points, len(sides) - 1)] if sides else False
        points += 1
        if made[place].rule.kind is not Kind.POINT:
            edge = RULES["end_of" if is_last else "start_of"]
            made[place] = Definition(edge, (made[place],))
    return tuple(made)


def _longest(alternative: tuple[Any, int]) -> int:
    return -alternative[1]


_SLOTS: Final[dict[str, Callable[[_Reader, int], Alternatives]]] = {
    "count": _Reader.count,
    "unit": _Reader.unit,
    "units": _Reader.unit,
    "period": _Reader.period,
    "point": _Reader.edges,
    "date": _Reader.date,
    "timestamp": _Reader.timestamp,
    "steps": _Reader.steps,
    "ordinal": _Reader.ordinal,
    "dayname": _Reader.dayname,
    "days": _Reader.days,
    "calendar": _Reader.calendar,
    "label": _Reader.label,
    "iso": _Reader.iso,
}

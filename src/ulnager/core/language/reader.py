"""Phrase to definition.

The wordings in the phrase table are laid into a tree of words and slots; reading walks
that tree. Nothing here knows a single phrase: a new row in the table is read at once.
Every way to go on is tried, the longest first, and each place of the text is read once
for each sort of thing, so that no phrase takes long.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterator
from typing import Any, Final

from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.language.edges import point_places, with_edges
from ulnager.core.language.slots import UNIT_WORDS, Alternatives, Qualified, Slots
from ulnager.core.language.tokens import Token
from ulnager.core.language.tree import FOLLOWS, KNOWN, OTHER, PHRASES, POINTS, Branch, tree
from ulnager.core.periods import phrases
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.names import Name
from ulnager.core.periods.open_slots import LISTED, OpenPhrase
from ulnager.core.periods.phrases.rolling_and_whole import family_readings
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.units import Unit

MOST_NESTED: Final = 60
# A phrase within these can be read again in its canonical form, whatever is in it.
_SURELY_READ: Final = 8
_SURELY_LONG: Final = 600
_SURELY_SHORT: Final = 40


Way = tuple[Rule, tuple[Any, ...], int]
"""A rule, what was read for its slots, and the place behind it."""
_TO: Final = ("to", "until")
_MOST_OPENED: Final = 8
_OPENERS: Final = ("in", "within", "over", "during")


def read_period(phrase: str, own_units: tuple[Unit, ...] = ()) -> Definition:
    """The definition that a phrase stands for; it may speak of a calendar's ``own_units``.

    >>> str(read_period("Trailing three months"))
    'last 3 rolling months'

    Raises PeriodSyntaxError, with the place, what was expected and the nearest known word.
    """
    try:
        return _Reader(phrase, own_units).whole(_Reader.chains, _said)
    except PeriodSyntaxError as error:
        raise _hinted(error, functools.partial(_readable, own_units)) from None


def _said(reader: _Reader) -> Definition | None:
    """A phrase with a word too much, or without its ``from``."""
    for others in _said_shorter(reader.tokens):
        other = _Reader(reader.phrase, ())
        other.unit_names, other.tokens = reader.unit_names, others
        found = other._whole(_Reader.chains)
        if found is not None:
            other._check_printed(found, _Reader.chains)
            return found
    return None


def _said_shorter(tokens: list[Token]) -> Iterator[list[Token]]:
    """The tokens without a word that says nothing of dates (``in the last 30 days``), and with
    the ``from`` that people leave out (``january to march``), outside brackets or in them."""
    if tokens and tokens[0].text in _OPENERS:
        tokens = tokens[1:]
        yield tokens
    if not any(token.text in _TO for token in tokens):
        return
    opened = [0, *(place + 1 for place, token in enumerate(tokens) if token.text == "(")]
    for place in opened[:_MOST_OPENED]:
        if place < len(tokens):
            start = tokens[place].start
            yield [*tokens[:place], Token("word", "from", start, start), *tokens[place:]]


def read_open(
    phrase: str, tokens: list[Token], listed: frozenset[str], own_units: tuple[Unit, ...] = ()
) -> Definition | None:
    """The definition of a phrase with open slots, ``listed`` ones for whole phrases; or None."""
    reader = _Reader(phrase, own_units)
    reader.tokens, reader.has_slots, reader.listed = tokens, True, listed
    try:
        return reader._whole(_Reader.chains)
    except PeriodSyntaxError:
        return None


def may_follow(text: str, own_units: tuple[Unit, ...] = ()) -> list[str]:
    """What the grammar expects behind the beginning of a phrase; nothing where that is wrong.

    Raises PeriodSyntaxError as :func:`read_period` does.
    """
    reader = _Reader(text, own_units)
    reader.tracing = True
    reader.chains(0)
    return list(reader.expected) if reader.furthest == len(reader.tokens) else []


def is_phrase(text: str, own_units: tuple[Unit, ...] = ()) -> bool:
    """Whether a text can be read as a phrase, without a word on why not."""
    return _readable(own_units, text) is not None


def _readable(own_units: tuple[Unit, ...], text: str) -> Definition | None:
    try:
        reader = _Reader(text, own_units)
        return reader._whole(_Reader.chains) or _said(reader)
    except PeriodSyntaxError:
        return None


def read_point(phrase: str, own_units: tuple[Unit, ...] = ()) -> Definition:
    """The point that a phrase stands for: ``latest``, ``2026-06-30``, ``end of last month``.

    A period stands for its last day, as behind ``as of``. Raises PeriodSyntaxError as
    :func:`read_period` does.
    """
    try:
        return _Reader(phrase, own_units).whole(_Reader.points)
    except PeriodSyntaxError as error:
        try:
            period = read_period(phrase, own_units)
        except PeriodSyntaxError:
            raise _hinted(error, functools.partial(_is_point, own_units)) from None
    return period.point or Definition(phrases.end_of, (period,))


def _hinted(error: PeriodSyntaxError, reads: Callable[[str], object]) -> PeriodSyntaxError:
    # What is needed for errors only waits until there is one.
    from ulnager.core.language.hints import hinted

    return hinted(error, reads)


def _is_point(own_units: tuple[Unit, ...], text: str) -> Definition | None:
    try:
        point = _Reader(text, own_units)._whole(_Reader.points)
    except PeriodSyntaxError:
        return None
    return point or _readable(own_units, text)


class _Reader(Slots):
    def __init__(self, phrase: str, own_units: tuple[Unit, ...]) -> None:
        super().__init__(phrase, own_units)
        self.memo: dict[tuple[str, int], Alternatives] = {}
        self.depth = 0
        self.texts: set[str] = set()
        # A chain of which only the first wording that takes in every token is wanted.
        self.seeks_whole = False

    def whole(
        self,
        read: Callable[[_Reader, int], Alternatives],
        instead: Callable[[_Reader], Definition | None] = lambda reader: None,
    ) -> Definition:
        """The one definition that takes in every token, or what is read instead."""
        found = self._whole(read)
        if found is not None:
            self._check_printed(found, read)
            return found
        if (other := instead(self)) is not None:
            return other
        from ulnager.core.language.failures import failure

        self.tracing, self.seeks_whole = True, False
        self.memo.clear()
        read(self, 0)
        raise failure(self.phrase, self.tokens, self.furthest, list(self.expected))

    def _whole(self, read: Callable[[_Reader, int], Alternatives]) -> Definition | None:
        end = len(self.tokens)
        self.texts = {token.text for token in self.tokens}
        self.seeks_whole = read == _Reader.chains
        for definition, place in read(self, 0) if end else ():
            if place == end:
                found: Definition = definition
                return found
        return None

    def _check_printed(
        self, definition: Definition, read: Callable[[_Reader, int], Alternatives]
    ) -> None:
        """PeriodSyntaxError where the canonical form, with brackets, is beyond reading again."""
        is_flat = definition.depth <= _SURELY_READ
        if is_flat and len(self.phrase) <= _SURELY_SHORT:
            return
        text = str(definition)
        if is_flat and len(text) <= _SURELY_LONG:
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
        waiting = list(self.periods(place))
        if len(waiting) == 1 and waiting[0][1] == len(self.tokens) and not self.tracing:
            return waiting  # Nothing follows.
        reached: dict[int, Any] = {}
        while waiting:
            definition, end = waiting.pop(0)
            if end in reached:
                continue
            reached[end] = definition
            if end == len(self.tokens) and not self.tracing:
                continue
            for rule, args, after in self._ways(tree(FOLLOWS), end):
                made = self._made(rule, (definition, *args), end)
                if made is not None:
                    waiting.append((made, after))
        return sorted(((made, end) for end, made in reached.items()), key=_longest)

    def periods(self, place: int) -> Alternatives:
        """One phrase, or a chain in parentheses."""
        return self._once("periods", place, self._periods)

    def _periods(self, place: int) -> Alternatives:
        found = self._made_all(tree(PHRASES), place, bool(place) or not self.seeks_whole)
        if self.is_word(place, "("):
            for inner, end in self.chains(place + 1):
                if self.is_word(end, ")"):
                    found.append((inner, end + 1))
                elif self.tracing:
                    self.expect(end, ")")
        elif self.tracing:
            self.expect(place, "(")
        if self.has_slots and place < len(self.tokens) and self.tokens[place].kind == "slot":
            name = self.tokens[place].text[1:-1]
            if name in self.listed:
                found.append((Definition(LISTED, (OpenPhrase(name),)), place + 1))
        return sorted(found, key=_longest) if len(found) > 1 else found

    def points(self, place: int) -> Alternatives:
        return self._once("points", place, lambda start: self._made_all(tree(POINTS), start))

    def edges(self, place: int) -> Alternatives:
        """A point, or a period that stands for its edge."""
        found, periods = self.points(place), self.periods(place)
        if not periods:
            return found
        here = {end for _, end in found}
        # After ``from`` the first ``to`` outside parentheses is its own.
        is_shut = not self.is_word(place, "(")
        others = [
            pair
            for pair in periods
            if pair[1] not in here
            and not (is_shut and (pair[0].rule.of_point or pair[0].rule.has_to))
        ]
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

    def _made_all(self, tree: Branch, place: int, seeks_all: bool = True) -> Alternatives:
        """What the wordings of the tree make of a place; only the first that takes in every token
        where nothing else is sought."""
        ways: list[Way] = []
        found: Alternatives = []
        for walk in (self._walk_words, self._walk_slots):
            walk(tree, place, (), ways)
            for rule, args, end in ways:
                if (made := self._made(rule, args, place)) is not None:
                    if end == len(self.tokens) and not seeks_all:
                        return [(made, end)]
                    found.append((made, end))
            ways.clear()
        return sorted(found, key=_longest) if len(found) > 1 else found

    def _made(self, rule: Rule, args: tuple[Any, ...], place: int) -> Definition | None:
        """The definition of a rule with what was read for its slots; None where it is none."""
        names = self.qualified and [arg.calendar for arg in args if isinstance(arg, Qualified)]
        if names:
            args = tuple(arg.unit if isinstance(arg, Qualified) else arg for arg in args)
        if rule.refuses is not None and rule.refuses(*args):
            return None
        if points := point_places(rule.template):
            args = with_edges(rule, args, points)
        definition = Definition(rule, args) if rule.stands_for is None else rule.stands_for(*args)
        if definition is None:
            return None
        if names and not rule.follows:
            definition = _in_calendar(definition, names[0])
        if definition.depth > MOST_NESTED:
            raise self._too_deep(place)
        return definition

    def _ways(self, tree: Branch, place: int) -> list[Way]:
        """Every way down the tree from a place on."""
        found: list[Way] = []
        self._walk(tree, place, (), found)
        return found

    def _walk(self, tree: Branch, place: int, args: tuple[Any, ...], found: list[Way]) -> None:
        """Adds the ways to what was found; ``args`` is what was read for slots on the way here."""
        if tree.rule is not None:
            found.append((tree.rule, args, place))
        if place < len(self.tokens) or self.tracing:
            self._walk_words(tree, place, args, found)
            self._walk_slots(tree, place, args, found)

    def _walk_words(
        self, tree: Branch, place: int, args: tuple[Any, ...], found: list[Way]
    ) -> None:
        if place < len(self.tokens):
            kind, text, _, _ = self.tokens[place]
            branch = tree.words.get(text)
            if branch is not None and (kind == "word" or kind == "sign"):
                self._walk(branch, place + 1, args, found)
        if self.tracing:
            for word, next_branch in tree.words.items():
                self.expect(place, " ".join([word, *next_branch.only_way_on()]))

    def _walk_slots(
        self, tree: Branch, place: int, args: tuple[Any, ...], found: list[Way]
    ) -> None:
        kind = word = ""
        if not self.tracing and place < len(self.tokens):
            kind, text, _, _ = self.tokens[place]
            if kind == "word" and self.unit_names is UNIT_WORDS:
                word = text if text in KNOWN else OTHER
        for slot, branch, must_follow in tree.slots_for(kind, word):
            if must_follow and not self.tracing and must_follow.isdisjoint(self.texts):
                continue
            for value, end in _SLOTS[slot](self, place):
                self._walk(branch, end, (*args, value), found)

    def period(self, place: int) -> Alternatives:
        """A phrase inside another: one phrase, or a bare unit, which means the one around."""
        bare = [
            (made, end)
            for unit, end in self.unit(place)
            if self.tokens[end - 1].text == _unit_of(unit).name.split()[-1]
            and (made := self._made(phrases.this, (unit,), place)) is not None
        ]
        inside = self.periods(place)
        if not any(self.is_word(place, word) for word in ("(", "from", "between")):
            # A ``to`` outside parentheses belongs to the ``from`` before it.
            inside = [pair for pair in inside if not pair[0].rule.has_to]
        return sorted([*inside, *bare], key=_longest)

    def _too_deep(self, place: int) -> PeriodSyntaxError:
        token = self.tokens[min(place, len(self.tokens) - 1)]
        return self.problem(token, f"more than {MOST_NESTED} phrases stand inside each other")


def _in_calendar(made: Definition, name: str) -> Definition:
    """What was said of ``calendar`` or ``fiscal`` units; calendar units are whole ones."""
    if made.rule.kind is Kind.READING and name == "gregorian":
        made = Definition(family_readings(made.rule.family)["whole"], made.args)
    if made.rule.kind is Kind.POINT:
        day = Definition(phrases.in_calendar, (Definition(phrases.on, (made,)), Name(name)))
        return Definition(phrases.start_of, (day,))
    return Definition(phrases.in_calendar, (made, Name(name)))


def _unit_of(unit: Unit | Qualified) -> Unit:
    return unit.unit if isinstance(unit, Qualified) else unit


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
    "weekday": _Reader.weekday,
    "monthname": _Reader.monthname,
    "unitname": _Reader.unitname,
    "days": _Reader.days,
    "calendar": _Reader.calendar,
    "label": _Reader.label,
    "iso": _Reader.iso,
}

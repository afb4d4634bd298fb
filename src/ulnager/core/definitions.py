"""Definitions: what a phrase says, before any date is known.

A definition is one rule of the phrase table with its arguments; arguments may be
definitions again. Working one out means calling the rule with a :class:`Basis`,
which holds everything that a period may be measured against.
"""

from __future__ import annotations

import string
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date
from enum import Enum
from typing import Any

from ulnager.core.calendars import GREGORIAN, Arithmetic, Calendar, date_of
from ulnager.core.errors import ResolveError
from ulnager.core.spans import Range, union
from ulnager.core.units import Unit

_FORMATTER = string.Formatter()


class Kind(Enum):
    """What a rule gives when it is worked out."""

    POINT = "point"
    """One day."""
    SPAN = "span"
    """One pair of start and stop: the only kind that arrays and live SQL need."""
    RANGES = "ranges"
    """Any number of pairs."""
    BASIS = "basis"
    """Another basis, against which the first argument is worked out."""
    READING = "reading"
    """Another definition, which stands in for this one."""


@dataclass(frozen=True, eq=False)
class Rule:
    """A row of the phrase table: how it is said, what it means and why.

    ``template`` is the canonical wording, with a slot for each argument; ``also`` holds
    other wordings of the same; ``find`` works it out; ``because`` explains it, with the
    same slots and a few more (see ``core.explain``). ``family`` and ``reading`` are set
    on the rules that are readings of one ambiguous phrase.
    """

    key: str
    kind: Kind
    template: str
    find: Callable[..., Any]
    because: str = ""
    also: tuple[str, ...] = ()
    family: str = ""
    reading: str = ""

    @property
    def slots(self) -> tuple[str, ...]:
        return template_slots(self.template)

    @property
    def follows(self) -> bool:
        """Whether the phrase begins with another one, as ``P plus P`` does."""
        return self.template.startswith("{period}")

    def __repr__(self) -> str:
        return f"<rule {self.key}>"


def template_slots(template: str) -> tuple[str, ...]:
    """The slots of a wording in the order in which they are written.

    >>> template_slots("last {count} whole {units}")
    ('count', 'units')
    """
    return tuple(name for _, name, _, _ in _FORMATTER.parse(template) if name)


class Definition:
    """A rule with its arguments. Immutable, hashable; prints in canonical form.

    Two definitions are equal when they say the same.
    """

    __slots__ = ("_hash", "args", "depth", "rule")

    rule: Rule
    args: tuple[Any, ...]
    depth: int
    _hash: int

    def __init__(self, rule: Rule, args: tuple[Any, ...] = ()) -> None:
        object.__setattr__(self, "rule", rule)
        object.__setattr__(self, "args", args)
        inner = [arg.depth for arg in args if isinstance(arg, Definition)]
        object.__setattr__(self, "depth", 1 + max(inner, default=0))
        object.__setattr__(self, "_hash", hash((rule.key, args)))

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError("a definition does not change; make another")

    def __eq__(self, other: object) -> bool:
        return self is other or (
            isinstance(other, Definition) and self.rule is other.rule and self.args == other.args
        )

    def __hash__(self) -> int:
        return self._hash

    def __reduce__(self) -> tuple[Any, ...]:
        return _restore, (self.rule.key, self.args)

    def __repr__(self) -> str:
        return f"Definition({str(self)!r})"

    def __str__(self) -> str:
        words: dict[str, str] = {}
        for place, (slot, value) in enumerate(zip(self.rule.slots, self.args, strict=True)):
            words[slot] = _printed(value, self._count(), leads=place == 0 and self.rule.follows)
        return self.rule.template.format_map(words)

    def _count(self) -> int:
        return next((arg for arg in self.args if isinstance(arg, int)), 1)

    @property
    def unit(self) -> Unit | None:
        """The unit that this rule itself is about, if any."""
        return next((arg for arg in self.args if isinstance(arg, Unit)), None)

    def walk(self) -> Iterator[Definition]:
        """This definition and all inside it, outermost first."""
        yield self
        for arg in self.args:
            if isinstance(arg, Definition):
                yield from arg.walk()

    def replaced(self, old: Definition, new: Definition) -> Definition:
        """The same with ``new`` where ``old`` stands."""
        if self is old:
            return new
        args = tuple(
            arg.replaced(old, new) if isinstance(arg, Definition) else arg for arg in self.args
        )
        return Definition(self.rule, args)

    def span(self, basis: Basis) -> tuple[Any, Any]:
        """The one pair of start and stop; ResolveError when it may have several."""
        kind = self.rule.kind
        if kind is Kind.SPAN:
            pair: tuple[Any, Any] = self.rule.find(basis, *self.args)
            return pair
        if kind is Kind.BASIS:
            inner: Definition = self.args[0]
            return inner.span(self.rule.find(basis, *self.args[1:]))
        if kind is Kind.READING:
            reading: Definition = self.rule.find(basis, *self.args)
            return reading.span(basis)
        raise ResolveError(f"'{self}' may be several spans, and one is needed here")

    def ranges(self, basis: Basis) -> tuple[Range, ...]:
        """All its pairs, disjoint and in order; none when it is empty."""
        kind = self.rule.kind
        if kind is Kind.SPAN:
            start, stop = self.rule.find(basis, *self.args)
            if start is not None and stop is not None and stop <= start:
                return ()
            return ((start, stop),)
        if kind is Kind.RANGES:
            return union(self.rule.find(basis, *self.args))
        if kind is Kind.BASIS:
            inner: Definition = self.args[0]
            return inner.ranges(self.rule.find(basis, *self.args[1:]))
        reading: Definition = self.rule.find(basis, *self.args)
        return reading.ranges(basis)

    def day(self, basis: Basis) -> Any:
        """The day of a point."""
        return self.rule.find(basis, *self.args)


def _printed(value: Any, count: int, leads: bool) -> str:
    if isinstance(value, Unit):
        return value.name if count == 1 else value.plural
    # What leads a chain is read from left to right anyway; elsewhere a chain needs brackets.
    if isinstance(value, Definition) and value.rule.follows and not leads:
        return f"({value})"
    return str(value)


def _restore(key: str, args: tuple[Any, ...]) -> Definition:
    from ulnager.core.rules import RULES

    return Definition(RULES[key], args)


@dataclass(frozen=True)
class Extent:
    """The first and last date that the data holds; it answers for ``earliest`` and ``latest``.

    >>> Extent(date(2023, 10, 1), date(2026, 5, 17)).last
    datetime.date(2026, 5, 17)
    """

    first: date
    last: date


@dataclass(frozen=True)
class Anchor:
    """The day that a period was measured from, and whether that day is still running.

    ``source`` says in the words of the language where it came from.
    """

    day: date
    running: bool
    source: str

    def __str__(self) -> str:
        state = "still running" if self.running else "over"
        name = "" if self.source == self.day.isoformat() else f"{self.source}, "
        return f"{name}{self.day} ({state})"


@dataclass(frozen=True)
class Defaults:
    """How ambiguous phrases are read: the name of a reading, or ``"refuse"``.

    ``last`` is for ``last N U``: rolling, whole, to date, to end; ``next`` is for
    ``next N U``: rolling, whole, from date, from start.
    """

    last: str = "rolling"
    next: str = "rolling"


class Basis:
    """What a period is worked out against. Days are day numbers.

    ``anchor`` is A of the rules; ``open_day`` is B, the first day that is not over;
    ``one`` is the width of an anchor. ``today`` is the clock's day and may be None when
    no phrase needs it.
    """

    calendar: Arithmetic
    anchor: Any
    running: bool
    open_day: Any
    one: int = 1
    source: Definition | str = "today"
    today: Any = None
    data: Extent | None = None
    defaults: Defaults = Defaults()
    calendars: Mapping[str, Calendar] = {}
    base: Calendar = GREGORIAN

    def __init__(self, calendar: Arithmetic, anchor: Any, running: bool) -> None:
        self.calendar = calendar
        self.anchor = anchor
        self.running = running
        self.open_day = anchor if running else anchor + 1

    def changed(self, **fields: Any) -> Basis:
        """A copy with other fields; ``open_day`` follows ``anchor`` and ``running``."""
        other = Basis.__new__(Basis)
        other.__dict__.update(self.__dict__)
        other.__dict__.update(fields)
        other.open_day = other.anchor if other.running else other.anchor + other.one
        return other

    def begin(self, point: Definition) -> Any:
        """Where a point begins."""
        return point.day(self)

    def finish(self, point: Definition) -> Any:
        """Where a point is past."""
        return point.day(self) + self.one

    def clock(self) -> Any:
        if self.today is None:
            raise ResolveError(
                "the phrase speaks of today, but no clock was given; pass today= or --today"
            )
        return self.today

    def extent(self) -> Extent:
        if self.data is None:
            raise ResolveError(
                "the phrase speaks of the data, but none was given; "
                "pass data=(first, last), or --source FILE"
            )
        return self.data

    def as_anchor(self) -> Anchor:
        return Anchor(date_of(self.anchor), self.running, str(self.source))

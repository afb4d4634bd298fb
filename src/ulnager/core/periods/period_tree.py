"""A period taken apart: single spans, and how they are joined and cut by others.

What may be several spans has no one start and stop, but each of its parts has. Conditions that an
engine works out are made of these: ``A plus B`` is A or B, ``A except B`` is A and not B.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from ulnager.core.calendars.business import BusinessDays
from ulnager.core.periods.day_sorts import DaySet, SortOfDay
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.rule import Kind
from ulnager.core.periods.shifting import may_refill, other_part, parts_moved
from ulnager.core.periods.spans import Range, complement, intersection, union


class Part(NamedTuple):
    """One span."""

    definition: Definition


class Joined(NamedTuple):
    """Two trees of parts; ``how`` is ``plus``, ``except`` or ``within``.

    ``of_moved`` is the phrase of parts that were moved, where that stays empty if the parts have no
    day in common before they move.
    """

    how: str
    one: Any
    two: Any
    of_moved: Definition | None = None


class Sorted(NamedTuple):
    """A tree of parts of which only some days stay, or all but those.

    ``calendar`` is the name of the calendar whose business days count, None for the one in use.
    """

    one: Any
    is_only: bool
    days: DaySet
    calendar: str | None


Tree = Part | Joined | Sorted


def parts_of(definition: Definition, around: tuple[Definition, ...] = ()) -> Tree:
    """The tree of a definition, inside phrases such as ``P as of POINT``, the outermost first."""
    rule, args = definition.rule, definition.args
    if rule.kind is Kind.BASIS:
        return parts_of(args[0], (*around, definition))
    if rule.kind is Kind.SHIFT:
        pushed = _pushed(definition)
        tree = None if pushed is None else parts_of(pushed, around)
        if tree is None or isinstance(tree, Part):
            return _part(definition, around)
        if isinstance(tree, Joined) and may_refill(definition):
            return tree._replace(of_moved=definition)
        return tree
    if rule.kind is not Kind.RANGES:
        return _part(definition, around)
    one = parts_of(args[0], around)
    if rule.sort:
        names = [basis.args[1].text for basis in around if not basis.rule.sets_anchor]
        return Sorted(one, rule.sort == "only", args[1], names[-1] if names else None)
    other = parts_of(other_part(definition), around)
    if rule.join == "within" and isinstance(one, Part) and isinstance(other, Part):
        return _part(definition, around)
    return Joined(rule.join, one, other)


def _part(definition: Definition, around: tuple[Definition, ...]) -> Part:
    for basis in reversed(around):
        definition = Definition(basis.rule, (definition, *basis.args[1:]))
    return Part(definition)


def _pushed(definition: Definition) -> Definition | None:
    """A shift of a join or a cut as the same join or cut of shifted parts."""
    inner, count, unit = definition.args
    count *= definition.rule.sign
    if inner.rule.kind is Kind.SHIFT:
        inner = _pushed(inner)
    if inner is None or inner.rule.kind not in (Kind.RANGES, Kind.BASIS):
        return None
    return parts_moved(inner, count, unit)


class Weekly(NamedTuple):
    """Ranges as some weekdays (0 for Monday) of longer ones, less some days and with some more."""

    whole: tuple[Range, ...]
    weekdays: tuple[int, ...]
    less: tuple[Range, ...]
    more: tuple[Range, ...]


def sorts_of(definition: Definition) -> Iterator[tuple[bool, DaySet]]:
    """The sorts of days that a period is cut by, innermost first, and whether only they stay."""
    if definition.rule.kind is Kind.POINT or not definition.args:
        return
    first = definition.args[0]
    if isinstance(first, Definition):
        yield from sorts_of(first)
    if definition.rule.sort:
        yield definition.rule.sort == "only", definition.args[1]


def unsorted(definition: Definition) -> Definition:
    """The same period without its cuts by sorts of days."""
    if definition.rule.kind is Kind.POINT:
        return definition
    if definition.rule.sort:
        return unsorted(definition.args[0])
    args = (unsorted(arg) if isinstance(arg, Definition) else arg for arg in definition.args)
    return Definition(definition.rule, tuple(args))


def weekly(
    definition: Definition, basis: Basis, business: BusinessDays, ranges: tuple[Range, ...]
) -> Weekly | None:
    """The ranges of a period that is cut by weekdays, in a few words; None when it takes many."""
    left = set(range(7))
    for is_only, days in sorts_of(definition):
        named = days.weekdays(business)
        left = left & named if is_only else left - named
    if not 0 < len(left) < 7:
        return None
    whole = unsorted(definition).ranges(basis)
    sort = SortOfDay(frozenset(left))
    those: list[Range] = []
    for start, stop in whole:
        if start is None or stop is None:
            return None
        those += sort.within(start, stop)
    found = union(those)
    less = intersection(found, complement(ranges))
    more = intersection(ranges, complement(found))
    if len(whole) + len(less) + len(more) > len(ranges) // 2:
        return None
    return Weekly(whole, tuple(sorted(left)), less, more)

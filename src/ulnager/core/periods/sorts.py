"""Periods that are cut by sorts of days: what they were before, and the weekdays that are left."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from ulnager.core.calendars.business import BusinessDays
from ulnager.core.periods.daysets import DaySet, Sort
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.rule import Kind
from ulnager.core.periods.spans import Range, complement, intersection, union


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
    sort = Sort(frozenset(left))
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

"""Which days decided what a phrase came to: its anchor, the clock, or dates of the data."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from ulnager.core.errors import ResolveError
from ulnager.core.periods.anchors import Anchor
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.rule import Kind, Rule


def has_own_anchor(definition: Definition) -> bool:
    """Whether a phrase as a whole says what it is measured from."""
    return definition.anchor_point is not None


def deciding_anchor(definition: Definition, basis: Basis) -> Anchor:
    """The anchor that decided; where there are several, the usual one of them or the first,
    with all of them in words."""
    usual = measured(definition, basis)[1].as_anchor()
    if basis.in_instants or definition.is_sub_day:
        return usual
    try:
        found = list(dict.fromkeys(deciders(definition, basis)))
    except ResolveError:
        return usual
    if not found:
        return usual
    if len(found) == 1:
        return found[0]
    told = " and ".join(
        f"{one.source} ({one.day}, {'still running' if one.running else 'over'})" for one in found
    )
    first = usual if usual in found else found[0]
    return Anchor(first.day, first.running, told)


def is_measured(definition: Definition, basis: Basis) -> bool:
    """Whether any day had a say, as none has in fixed dates."""
    if basis.in_instants or definition.is_sub_day:
        return True
    return next(deciders(definition, basis), None) is not None


def measured(definition: Definition, basis: Basis) -> tuple[Definition, Basis]:
    """The phrase without what it is measured from, and the basis that this gives."""
    while definition.rule.kind in (Kind.BASIS, Kind.SHIFT):
        if definition.rule.kind is Kind.BASIS:
            basis = definition.changed(basis)
        definition = definition.args[0]
    return definition, basis


def _is_of_anchor(rule: Rule) -> bool:
    is_measured = rule.kind in (Kind.SPAN, Kind.READING) and not rule.asks
    return (is_measured and rule.from_anchor) or rule.asks == "anchor"


def hangs_on_anchor(definition: Definition) -> bool:
    """Whether an anchor has a say in a phrase: not in fixed dates, nor where it has its own.

    >>> from ulnager.core.language.phrase import period
    >>> [hangs_on_anchor(period(text).definition)
    ...  for text in ("last 3 days", "2026-05", "from 2026-01-05 to today", "mtd as of latest")]
    [True, False, False, False]
    """
    rule = definition.rule
    if rule.sets_anchor:
        return False
    return _is_of_anchor(rule) or any(
        hangs_on_anchor(part) for part in definition.args if isinstance(part, Definition)
    )


def deciders(definition: Definition, basis: Basis) -> Iterator[Anchor]:
    """The anchors, points of the clock and of the data that its parts are measured from."""
    rule = definition.rule
    if rule.kind is Kind.BASIS:
        yield from deciders(definition.args[0], definition.changed(basis))
        return
    if rule.asks == "data" and rule.kind is Kind.POINT:
        yield Anchor(date.fromordinal(definition.day(basis)), False, str(definition))
        return
    if rule.asks == "clock":
        yield Anchor(date.fromordinal(basis.clock()), True, "today")
    elif rule.asks == "data" and rule.kind is Kind.SPAN:
        yield Anchor(basis.extent().last, False, "latest")
    elif _is_of_anchor(rule):
        yield basis.as_anchor()
    for part in definition.args:
        if isinstance(part, Definition):
            yield from deciders(part, basis)

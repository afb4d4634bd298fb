"""Edges: where a point is wanted, a period stands for its first or its last day."""

from __future__ import annotations

from typing import Any, Final

from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.phrases import RULES, end_of, start_of
from ulnager.core.periods.phrases.aliases import SAID
from ulnager.core.periods.rule import Kind, Rule

# Where the slots for points are, among the arguments of a rule.
POINT_PLACES: Final = {
    rule.key: places
    for rule in (*RULES.values(), *SAID)
    if (places := tuple(n for n, slot in enumerate(rule.slots) if slot.startswith("point")))
}


def with_edges(rule: Rule, args: tuple[Any, ...], points: tuple[int, ...]) -> tuple[Any, ...]:
    """The arguments, with the first or the last day of a period where a point is wanted."""
    made, sides = list(args), rule.last_days
    for number, place in enumerate(points):
        is_last = sides[min(number, len(sides) - 1)]
        if made[place].rule.kind is not Kind.POINT:
            edge = end_of if is_last else start_of
            made[place] = Definition(edge, (made[place],))
    return tuple(made)

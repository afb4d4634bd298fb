"""Edges: where a point is wanted, a period stands for its first or its last day."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.phrases import end_of, start_of
from ulnager.core.periods.rule import Kind, Rule, template_slots


@lru_cache(maxsize=1024)
def point_places(template: str) -> tuple[int, ...]:
    """Where the slots for points are, among the arguments of a rule with such a wording."""
    slots = enumerate(template_slots(template))
    return tuple(place for place, slot in slots if slot.startswith("point"))


def with_edges(rule: Rule, args: tuple[Any, ...], points: tuple[int, ...]) -> tuple[Any, ...]:
    """The arguments, with the first or the last day of a period where a point is wanted."""
    made, sides = list(args), rule.last_days
    for number, place in enumerate(points):
        is_last = sides[min(number, len(sides) - 1)]
        if made[place].rule.kind is not Kind.POINT:
            edge = end_of if is_last else start_of
            made[place] = Definition(edge, (made[place],))
    return tuple(made)

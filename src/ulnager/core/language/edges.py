"""Edges: where a point is wanted, a period stands for its first or its last day."""

from __future__ import annotations

from typing import Any, Final

from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.phrases.said import SAID
from ulnager.core.periods.rule import Kind, Rule

# Where a point is wanted a period stands for its edge: its first day, or its last one.
LAST_DAY_SIDES: Final = {
    "between": (False, True), "until": (True,), "after": (True,), "latest_up_to": (True,),
    "moved_after": (True,), "as_of": (True,), "ending": (True,),
}  # fmt: skip
# Where the slots for points are, among the arguments of a rule.
POINT_PLACES: Final = {
    rule.key: places
    for rule in (*RULES.values(), *SAID)
    if (places := tuple(n for n, slot in enumerate(rule.slots) if slot.startswith("point")))
}


def with_edges(rule: Rule, args: tuple[Any, ...], points: tuple[int, ...]) -> tuple[Any, ...]:
    """The arguments, with the first or the last day of a period where a point is wanted."""
    made, sides = list(args), LAST_DAY_SIDES.get(rule.key, (False,))
    for number, place in enumerate(points):
        is_last = sides[min(number, len(sides) - 1)]
        if made[place].rule.kind is not Kind.POINT:
            edge = RULES["end_of" if is_last else "start_of"]
            made[place] = Definition(edge, (made[place],))
    return tuple(made)

"""How a row is added to the phrase table.

One function is one row. Its name is the row's key, the decorator holds the wording, and
the body is the formula: A is ``c.anchor``, B is ``c.open_day``, and ``c.calendar``
answers for units. The formulas hold for a date, an instant, an array of anchors and a SQL
expression alike, so they do sums only, and never compare or branch on days. ``c.one`` is the
width of an anchor: a day is one wide, an instant nothing.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ulnager.core.periods.rule import RULES, Kind, Rule

Pair = tuple[Any, Any]
Find = Callable[..., Any]

# When a phrase is tried for a condition; those without a rank come after the whole ones.
THIS, SO_FAR, ROLLING, WHOLE, OTHER, LATER = range(-4, 2)


def row(kind: Kind, template: str, because: str = "", **more: Any) -> Callable[[Find], Rule]:
    """Adds a row to the table; ``more`` are other fields of :class:`Rule`."""

    def add(find: Find) -> Rule:
        key = find.__name__.strip("_")
        RULES[key] = Rule(key, kind, template, find, because, **more)
        return RULES[key]

    return add

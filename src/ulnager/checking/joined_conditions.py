"""Conditions taken apart at their joints: OR joins two, AND NOT cuts one out, AND is both.

What stands between the joints is recognised by itself, the phrases are joined as the conditions
are, and the whole is run again: a phrase is never put together on trust.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Final, NamedTuple

from sqlglot import exp

_DAYS: Final = ("mondays", "tuesdays", "wednesdays", "thursdays", "fridays", "saturdays", "sundays")
_SIDES: Final = {exp.GTE: True, exp.GT: True, exp.LT: False, exp.LTE: False}
PARTS: Final = 8
"""So many parts at most are recognised one by one."""


class Piece(NamedTuple):
    """A part of a condition, and the word that joins its phrase to those before it."""

    joint: str
    tree: Any


def pieces_of(tree: Any) -> tuple[Piece, ...]:
    """The parts of a condition of DuckDB, the kept ones first; none for one that has no joints."""
    tree = _bare(tree)
    if isinstance(tree, exp.Or):
        found = [("plus", one) for one in _flat(tree, exp.Or)]
    else:
        terms = _flat(tree, exp.And)
        cuts = [_bare(one.this) for one in terms if _is_cut(one)]
        kept = list(_pairs([one for one in terms if not _is_cut(one)]))
        found = [("within", one) for one in kept] + [("except", one) for one in cuts]
        if not kept:
            return ()
    if not 1 < len(found) <= PARTS:
        return ()
    return tuple(Piece(joint, exp.Paren(this=one.copy())) for joint, one in found)


def _bare(node: Any) -> Any:
    while isinstance(node, exp.Paren):
        node = node.this
    return node


def _is_cut(node: Any) -> bool:
    """NOT of a condition, as some engines write it: ``(…) = 0``."""
    if isinstance(node, exp.EQ) and node.expression.sql() == "0":
        return isinstance(_bare(node.this), exp.In | exp.Or | exp.And | exp.Predicate)
    return isinstance(node, exp.Not)


def _flat(node: Any, kind: Any) -> list[Any]:
    """What a chain of one kind of joint holds, from left to right."""
    todo, found = [node], []
    while todo:
        one = _bare(todo.pop())
        if isinstance(one, kind):
            todo += [one.expression, one.this]
        else:
            found.append(one)
    return found


def _pairs(terms: list[Any]) -> Iterator[Any]:
    """Terms, with a lower bound and the upper one that follows it as one."""
    place = 0
    while place < len(terms):
        sides = [_SIDES.get(type(one)) for one in terms[place : place + 2]]
        if sides == [True, False]:
            yield exp.And(this=terms[place].copy(), expression=terms[place + 1].copy())
        else:
            yield terms[place]
        place += 2 if sides == [True, False] else 1


def weekdays_named(kept: frozenset[int]) -> str:
    """A set of weekdays, Monday being 0, as a phrase cuts to it."""
    usual = {frozenset(range(5)): "weekdays", frozenset((5, 6)): "weekends"}
    names = [_DAYS[one] for one in sorted(kept)]
    if len(names) > 2:
        names = [", ".join(names[:-1]), names[-1]]
    return usual.get(kept) or " and ".join(names)

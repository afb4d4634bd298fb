"""What is so old: days at least, more than, at most or less than so long before the anchor.

For business days by their count: a day is at least N business days ago when
``business_days_between(day, A)`` is at least N, also where either stands on a day off.
"""

from __future__ import annotations

from typing import Any

from ulnager.core.periods.definitions import Basis
from ulnager.core.periods.phrases.table import LATER, Pair, row
from ulnager.core.periods.rule import Kind
from ulnager.core.units import Unit


def _young(c: Basis, count: int, unit: Unit) -> Any:
    """The first day that is less than so long ago."""
    if unit is Unit.BUSINESS_DAY and not c.in_instants:
        last = c.calendar._settled(c.anchor, unit)
        return c.calendar._move_start(last, unit, 1 - count) if count > 1 else last
    return c.calendar._move_day(c.anchor, unit, -count) + c.one


def _not_older(c: Basis, count: int, unit: Unit) -> Any:
    """The first day that is no longer ago than that."""
    if unit is Unit.BUSINESS_DAY and not c.in_instants:
        return c.calendar._move_start(c.calendar._settled(c.anchor, unit), unit, -count)
    return c.calendar._move_day(c.anchor, unit, -count)


@row(
    Kind.SPAN,
    "at least {count} {units} ago",
    "Everything up to {counted} before {the_anchor} is in: it ends {ends}.",
    also=("{count} or more {units} ago",),
    opens=(True, False),
    counts_days=False,
    around="",
    rank=LATER,
)
def at_least_ago(c: Basis, count: int, unit: Unit) -> Pair:
    return None, _young(c, count, unit)


@row(
    Kind.SPAN,
    "more than {count} {units} ago",
    "Everything longer ago than {counted} before {the_anchor} is in: it ends {ends}.",
    also=("older than {count} {units}", "over {count} {units} ago"),
    opens=(True, False),
    counts_days=False,
    around="",
    rank=LATER,
)
def more_than_ago(c: Basis, count: int, unit: Unit) -> Pair:
    return None, _not_older(c, count, unit)


@row(
    Kind.SPAN,
    "at most {count} {units} ago",
    "It begins {counted} before {the_anchor}, on {start}, that day with it.",
    also=("no more than {count} {units} ago",),
    counts_days=False,
    around="",
    rank=LATER,
)
def at_most_ago(c: Basis, count: int, unit: Unit) -> Pair:
    return _not_older(c, count, unit), c.anchor + c.one


@row(
    Kind.SPAN,
    "less than {count} {units} ago",
    "It begins after what is {counted} before {the_anchor}, on {start}.",
    also=("newer than {count} {units}", "under {count} {units} ago"),
    counts_days=False,
    around="",
    rank=LATER,
)
def less_than_ago(c: Basis, count: int, unit: Unit) -> Pair:
    return _young(c, count, unit), c.anchor + c.one

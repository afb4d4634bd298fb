"""What stands in a definition where a phrase has a slot: it prints as that, and has no dates."""

from __future__ import annotations

from typing import Any, NamedTuple, NoReturn

from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.units import Unit


class OpenCount(int):
    """A count that is not known yet, or as much back. It is more than one, so that units are in the
    plural. Nothing else is counted with it: no number would be right."""

    slot: str

    def __new__(cls, slot: str, sign: int = 1) -> OpenCount:
        """A count for the slot of that name."""
        made = super().__new__(cls, 2 * sign)
        made.slot = slot
        return made

    def __str__(self) -> str:
        return f"{{{self.slot}}}"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, OpenCount) and (other.slot, other > 0) == (self.slot, self > 0)

    def __hash__(self) -> int:
        return hash(self.slot)

    def __mul__(self, other: int) -> OpenCount:
        if other not in (1, -1):
            raise ResolveError(f"the slot {self} is open")
        return OpenCount(self.slot, other if self > 0 else -other)

    __rmul__ = __mul__

    def __neg__(self) -> OpenCount:
        return self * -1

    def __abs__(self) -> OpenCount:
        return OpenCount(self.slot)


class OpenUnit(Unit):
    """A unit that is not known yet."""

    __slots__ = ("slot",)

    slot: str

    def __init__(self, slot: str) -> None:
        super().__init__(f"{{{slot}}}", f"{{{slot}}}", days=1)
        object.__setattr__(self, "slot", slot)


class OpenDay(NamedTuple):
    """A date, or a point, that is not known yet."""

    slot: str

    def __str__(self) -> str:
        return f"{{{self.slot}}}"

    def toordinal(self) -> NoReturn:
        """Never: raises ResolveError."""
        raise ResolveError(f"the slot {self} is open")


class OpenPhrase(NamedTuple):
    """A whole phrase that is not known yet."""

    name: str

    def __str__(self) -> str:
        return f"{{{self.name}}}"


def _open(c: Basis, phrase: OpenPhrase) -> Any:
    raise ResolveError(f"the slot {phrase} is open")


def _given(c: Basis, name: str) -> Any:
    return c.in_days().given[name]


PARAMETER = Rule("parameter", Kind.POINT, "{name}", _given)
"""A day that is a parameter of SQL; in no table either."""


def _itself(c: Basis, point: Definition) -> Any:
    return point.day(c)


RUNNING = Rule("running", Kind.POINT, "{point}", _itself, is_running=True)
"""A point whose day is still running, and one whose day is over, whatever the point itself says; in
SQL only, since no phrase says so."""
OVER = Rule("over", Kind.POINT, "{point}", _itself)


def _opened(c: Basis, name: str, point: Definition) -> Any:
    days = c.in_days()
    sums: Any = days.calendar
    return sums._given_or(days.given[name], point.day(days))


def _first_opened(c: Basis, first: Definition, last: Definition) -> Any:
    days = c.in_days()
    (name, opens), (other, ends) = first.args, last.args
    opened, ended = opens.day(days), ends.day(days)
    sums: Any = days.calendar
    both = sums._where_missing(days.given[other], sums._narrowed(opened, None, ended), opened)
    return sums._given_or(days.given[name], both)


def _within(c: Basis, point: Definition, low: Definition | None, high: Definition | None) -> Any:
    low_day, high_day = (None if one is None else one.day(c) for one in (low, high))
    sums: Any = c.calendar
    return sums._narrowed(point.day(c), low_day, high_day)


OPENED = Rule("opened", Kind.POINT, "{name} or {point}", _opened)
"""A day that is a parameter, or what it opens with where that is null; in SQL only."""

FIRST_OPENED = Rule("first opened", Kind.POINT, "{first} up to {last}", _first_opened)
"""The first of two such days: where both are null, it is not after the last."""

WITHIN = Rule("within bounds", Kind.POINT, "{point} in {low} to {high}", _within)
"""A point that is not before one and not after another, where there are these; in SQL only."""

LISTED = Rule("listed", Kind.RANGES, "{phrase}", _open)
"""A slot that stands for a whole phrase; it is in no table, since only slots are read so."""

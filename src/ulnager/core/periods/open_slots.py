"""What stands in a definition where a phrase has a slot: it prints as that, and has no dates."""

from __future__ import annotations

from typing import Any, NamedTuple, NoReturn

from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.units import Unit


class OpenCount(int):
    """A count that is not known yet. It is more than one, so that units are in the plural."""

    slot: str

    def __new__(cls, slot: str) -> OpenCount:
        """A count for the slot of that name."""
        made = super().__new__(cls, 2)
        made.slot = slot
        return made

    def __str__(self) -> str:
        return f"{{{self.slot}}}"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, OpenCount) and other.slot == self.slot

    def __hash__(self) -> int:
        return hash(self.slot)


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

LISTED = Rule("listed", Kind.RANGES, "{phrase}", _open)
"""A slot that stands for a whole phrase; it is in no table, since only slots are read so."""

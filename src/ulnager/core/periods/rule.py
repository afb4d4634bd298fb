"""A row of the phrase table, and the table itself, which ``core.periods.phrases`` fills."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from functools import lru_cache
from typing import Any, Final, NamedTuple

from ulnager.core.patterns import pattern

_SLOT = pattern(r"\{(\w+)\}")


class Kind(Enum):
    """What a rule gives when it is worked out."""

    POINT = "point"
    """One day."""
    SPAN = "span"
    """One pair of start and stop: the only kind that arrays and live SQL need."""
    RANGES = "ranges"
    """Any number of pairs."""
    BASIS = "basis"
    """Another basis, against which the first argument is worked out."""
    READING = "reading"
    """Another definition, which stands in for this one."""
    SHIFT = "shift"
    """The first argument at another time."""


class Rule(NamedTuple):
    """A row of the phrase table: how it is said, what it means and why.

    ``template`` is the canonical wording, with a slot for each argument; ``also`` holds
    other wordings of the same; ``find`` works it out; ``because`` explains it, with the
    same slots and a few more (see ``core.periods.explain``). ``family`` and ``reading`` are set
    on the rules that are readings of one ambiguous phrase. ``ends`` says what the start and
    the stop stand on, and ``step`` how long one period is, when it is moved to another time
    (see ``core.periods.shifting``). ``find_one`` gives the one span of a rule that may give
    several. ``goes_on`` is set when another wording begins with this one, as ``from P to Q`` does,
    ``can_be_empty`` when the stop may come out before the start; ``counts_days`` is not set
    where business days only say how far, so that days off may stand at an end; ``from_anchor`` is
    not set where units count from a day of the phrase's own; ``in_brackets`` where a phrase stands
    in brackets inside another one. ``stands_for`` makes the definition that a wording stands for
    which is read and never printed, or None where it stands for nothing.
    """

    key: str
    kind: Kind
    template: str
    find: Callable[..., Any]
    because: str = ""
    also: tuple[str, ...] = ()
    family: str = ""
    reading: str = ""
    ends: tuple[str, str] = ("day", "day")
    step: str = "length"
    find_one: Callable[..., Any] | None = None
    goes_on: bool = False
    can_be_empty: bool = False
    counts_days: bool = True
    from_anchor: bool = True
    in_brackets: bool = False
    stands_for: Callable[..., Any] | None = None

    @property
    def slots(self) -> tuple[str, ...]:
        return template_slots(self.template)

    @property
    def follows(self) -> bool:
        """Whether the phrase begins with another one, as ``P plus P`` does."""
        return self.template.startswith("{period}")

    def __repr__(self) -> str:
        return f"<rule {self.key}>"


@lru_cache(maxsize=1024)
def template_slots(template: str) -> tuple[str, ...]:
    """The slots of a wording in the order in which they are written.

    >>> template_slots("last {count} whole {units}")
    ('count', 'units')
    """
    return tuple(_SLOT.findall(template))


RULES: Final[dict[str, Rule]] = {}

"""A row of the phrase table, and the table itself, which ``core.periods.phrases`` fills."""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from functools import lru_cache
from operator import attrgetter
from typing import Any, Final, NamedTuple

from ulnager.core.text import pattern

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
    """A row of the phrase table: how it is said, what it means and why, and all else that is so of
    it: whoever needs to know asks here, and no other place knows a phrase by its key."""

    key: str
    kind: Kind
    template: str
    """The canonical wording, with a slot for each argument."""
    find: Callable[..., Any]
    """Works it out."""
    because: str = ""
    """Explains it, with the same slots and a few more (see ``core.periods.explain``)."""
    also: tuple[str, ...] = ()
    """Other wordings of the same."""
    family: str = ""
    """Of which ambiguous phrase it is a reading, and with it ``reading``, the name of it."""
    reading: str = ""
    ends: tuple[str, str] = ("day", "day")
    """What the start and the stop stand on (see ``core.periods.shifting``)."""
    step: str = "length"
    """How long one period is, when it is moved to another time."""
    opens: tuple[bool, bool] | Callable[..., tuple[bool, bool]] = (False, False)
    """Whether it is open before and after."""
    find_one: Callable[..., Any] | None = None
    """Gives the one span of a rule that may give several."""
    can_be_empty: bool = False
    """Whether the stop may come out before the start,"""
    never_empty: Callable[..., bool] | None = None
    """but for these arguments."""
    counts_days: bool = True
    """Not where business days only say how far, so that days off may stand at an end."""
    from_anchor: bool = True
    """Not where units count from a day of the phrase's own."""
    around: str = "anchor"
    """Whether it looks at the unit around the ``anchor`` or the ``open day``, or at none."""
    stays_in: bool = False
    """Where days that are counted lie in the days of the phrase inside, its last argument."""
    looks_for: str = ""
    """What it looks for in the phrase inside, which may lack it: a ``day``, ``unit``, ``name``."""
    takes_profile: bool = False
    """Whether it takes the rows of each day of the data, which no statement counts."""
    asks: str = ""
    """What it asks by itself: the ``data``, the ``clock`` or the ``anchor``."""
    uses_last_date: bool = False
    """Whether the last date in the data decides, a stray one too."""
    is_instant: bool = False
    """Whether it is an instant, whatever its arguments."""
    is_written: bool = False
    """Whether its days stand in the phrase."""
    is_running: bool = False
    """Whether the day of an anchor there is still running."""
    sets_anchor: bool = False
    """Whether it says what another phrase is measured from."""
    of_point: bool = False
    """Whether it is a point that stands for a period."""
    is_day_name: bool = False
    """Whether it is the bare name of a day, which may be a sort of days as well."""
    side: str = ""
    """Which edge of a phrase it is: its ``start`` or its ``end``."""
    place: int | None = None
    """How many units after the one around the anchor it is."""
    sign: int = 0
    """Which way a shift goes: 1 is later."""
    join: str = ""
    """How it takes two phrases together: ``plus``, ``within`` or ``except``."""
    sort: str = ""
    """Whether ``only`` a sort of days stays, or all ``except`` them."""
    implied: Callable[[], Any] | None = None
    """Makes the phrase that it takes another one together with, where its words hold none."""
    last_days: tuple[bool, ...] = (False,)
    """For which of its points a period stands with its last day, the last one for those beyond."""
    goes_on: bool = False
    """Whether another wording begins with this one, as ``from P to Q`` does."""
    in_brackets: bool = False
    """Whether a phrase stands in brackets inside another one."""
    refuses: Callable[..., bool] | None = None
    """The arguments with which it is not read."""
    rank: int = 0
    """When it is tried for a condition: named days, ``this``, so far, rolling, whole, others."""
    stands_for: Callable[..., Any] | None = None
    """Makes the definition that a wording stands for which is read and never printed, or None
    where it stands for nothing."""

    @property
    def slots(self) -> tuple[str, ...]:
        return template_slots(self.template)

    @property
    def shape(self) -> tuple[str, ...]:
        """The sorts of its slots, in their order."""
        return tuple(slot.removesuffix("_2") for slot in self.slots)

    @property
    def is_name(self) -> bool:
        """Whether it is the name of a unit, and no more."""
        return self.template in ("{monthname}", "{unitname}")

    @property
    def has_to(self) -> bool:
        """Whether a ``to`` with a point is its own."""
        return " to {point" in self.template

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


@lru_cache(maxsize=64)
def rule_with(**facts: Any) -> Rule:
    """The first row of the table of which all that is so."""
    # With the key, that there are several and a tuple comes of it.
    facts_of = attrgetter("key", *facts)
    return next(rule for rule in RULES.values() if facts_of(rule)[1:] == (*facts.values(),))

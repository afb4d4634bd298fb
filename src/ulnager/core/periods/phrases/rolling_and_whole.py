"""The readings of ``last N units`` and of ``next N units``."""

from __future__ import annotations

from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.phrases.table import ROLLING, WHOLE, Pair, row
from ulnager.core.periods.rule import RULES, Kind, Rule
from ulnager.core.periods.shifting import rolling
from ulnager.core.units import Unit

# The readings of "last N units" and of "next N units".


@row(
    Kind.SPAN,
    "last {count} rolling {units}",
    "Rolling {plural} end with {the_anchor}. {counted} before {anchor} is {moved_back}{first_in}.",
    also=("rolling {count} {units}",),
    family="last",
    reading="rolling",
    step="rolling",
    rank=ROLLING,
)
def last_rolling(c: Basis, count: int, unit: Unit) -> Pair:
    return rolling(c, unit, -count, 0)


@row(
    Kind.SPAN,
    "last {count} whole {units}",
    "Only whole {plural} count. That {unit} is not over and is left out, so it ends {ends}; "
    "{counted} before {stop} is {start}.",
    family="last",
    reading="whole",
    ends=("unit", "unit"),
    step="count",
    around="open day",
    rank=WHOLE,
)
def last_whole(c: Basis, count: int, unit: Unit) -> Pair:
    calendar = c.calendar
    stop = calendar._unit_start(c.open_day, unit)
    return calendar._move_start(stop, unit, -count), stop


@row(
    Kind.SPAN,
    "last {count} {units} to date",
    "The unfinished {unit} counts as one of the {count} and ends with {the_anchor}.",
    family="last",
    reading="to date",
    ends=("unit", "to date"),
    step="count",
)
def last_to_date(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar._unit_stop(c.anchor, unit)
    return c.calendar._move_start(stop, unit, -count), c.anchor + c.one


@row(
    Kind.SPAN,
    "last {count} {units} to end",
    "That {unit} counts as one of the {count} and is taken to its end, {ends}.",
    family="last",
    reading="to end",
    ends=("unit", "unit"),
    step="count",
)
def last_to_end(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar._unit_stop(c.anchor, unit)
    return c.calendar._move_start(stop, unit, -count), stop


@row(
    Kind.SPAN,
    "next {count} rolling {units}",
    "Rolling {plural} begin after {the_anchor}. {counted} later it ends, {ends}.",
    also=("rolling next {count} {units}",),
    family="next",
    reading="rolling",
    step="rolling",
    rank=ROLLING,
)
def next_rolling(c: Basis, count: int, unit: Unit) -> Pair:
    return rolling(c, unit, 0, count)


@row(
    Kind.SPAN,
    "next {count} whole {units}",
    "Only whole {plural} count, so it begins with the one after that {unit}, on {start}.",
    family="next",
    reading="whole",
    ends=("unit", "unit"),
    step="count",
    rank=WHOLE,
)
def next_whole(c: Basis, count: int, unit: Unit) -> Pair:
    start = c.calendar._unit_stop(c.anchor, unit)
    return start, c.calendar._move_start(start, unit, count)


@row(
    Kind.SPAN,
    "next {count} {units} from date",
    "The rest of that {unit}, from {the_anchor} on, counts as one of the {count}.",
    family="next",
    reading="from date",
    ends=("day", "unit"),
    step="count",
)
def next_from_date(c: Basis, count: int, unit: Unit) -> Pair:
    start = c.calendar._unit_start(c.anchor, unit)
    return c.anchor, c.calendar._move_start(start, unit, count)


@row(
    Kind.SPAN,
    "next {count} {units} from start",
    "That {unit} counts as one of the {count} and is taken from its start, {start}.",
    family="next",
    reading="from start",
    ends=("unit", "unit"),
    step="count",
)
def next_from_start(c: Basis, count: int, unit: Unit) -> Pair:
    start = c.calendar._unit_start(c.anchor, unit)
    return start, c.calendar._move_start(start, unit, count)


@row(
    Kind.READING,
    "last {count} {units}",
    also=("previous {count} {units}",),
    family="last",
    goes_on=True,
)
def last_ambiguous(c: Basis, count: int, unit: Unit) -> Definition:
    return _chosen("last", c.defaults.last, count, unit)


@row(Kind.READING, "next {count} {units}", family="next", goes_on=True)
def next_ambiguous(c: Basis, count: int, unit: Unit) -> Definition:
    return _chosen("next", c.defaults.next, count, unit)


def family_readings(family: str) -> dict[str, Rule]:
    """The readings of ``last N U`` or of ``next N U``, by name, the default first.

    >>> list(family_readings("last"))
    ['rolling', 'whole', 'to date', 'to end']
    """
    return {rule.reading: rule for rule in RULES.values() if rule.family == family and rule.reading}


def _chosen(family: str, reading: str, count: int, unit: Unit) -> Definition:
    readings = family_readings(family)
    if reading not in readings:
        choices = ", ".join(str(Definition(rule, (count, unit))) for rule in readings.values())
        raise ResolveError(
            f"'{family} {unit.counted(count)}' has several readings and none is chosen; "
            f"say which is meant: {choices}"
        )
    return Definition(readings[reading], (count, unit))

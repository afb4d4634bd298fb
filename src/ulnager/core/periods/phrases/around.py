"""Units around, before and after the anchor."""

from __future__ import annotations

from ulnager.core.errors import ResolveError
from ulnager.core.messages import OFF_TABLE, Message
from ulnager.core.periods.definitions import Basis
from ulnager.core.periods.phrases.table import SO_FAR, THIS, Pair, row
from ulnager.core.periods.rule import Kind
from ulnager.core.units import Unit

# Units around, before and after the anchor.


@row(
    Kind.SPAN,
    "this {unit}",
    "All of that {unit} is meant, the part still to come with it.",
    also=("current {unit}",),
    ends=("unit", "unit"),
    step="unit",
    place=0,
    rank=THIS,
)
def this(c: Basis, unit: Unit) -> Pair:
    return c.calendar._unit_start(c.anchor, unit), c.calendar._unit_stop(c.anchor, unit)


@row(
    Kind.SPAN,
    "previous {unit}",
    "The {unit} before that one ends {ends}.",
    also=("last {unit}",),
    ends=("unit", "unit"),
    step="unit",
    place=-1,
    rank=THIS,
)
def previous(c: Basis, unit: Unit) -> Pair:
    start = c.calendar._unit_start(c.anchor, unit)
    return c.calendar._move_start(start, unit, -1), start


@row(
    Kind.SPAN,
    "next {unit}",
    "The {unit} after that one begins on {start}.",
    also=("following {unit}",),
    ends=("unit", "unit"),
    step="unit",
    place=1,
    rank=THIS,
)
def following(c: Basis, unit: Unit) -> Pair:
    stop = c.calendar._unit_stop(c.anchor, unit)
    return stop, c.calendar._move_start(stop, unit, 1)


@row(
    Kind.SPAN,
    "latest {unit}",
    "The {unit} around the latest date, whether whole or not.",
    ends=("unit", "unit"),
    step="unit",
    asks="data",
    uses_last_date=True,
    around="",
)
def latest_unit(c: Basis, unit: Unit) -> Pair:
    if c.in_instants:
        raise ResolveError(f"the dates of the data do not tell which {unit} was the latest")
    day = c.extent().last.toordinal()
    return c.calendar._unit_start(day, unit), c.calendar._unit_stop(day, unit)


@row(
    Kind.SPAN,
    "{unit} to date",
    "It runs from the start of that {unit} to {the_anchor}.",
    also=("this {unit} to date", "{unit} so far", "this {unit} so far"),
    ends=("unit", "to date"),
    step="unit",
    rank=SO_FAR,
)
def to_date(c: Basis, unit: Unit) -> Pair:
    c.require(
        c.calendar._lists_day(c.anchor, unit),
        lambda: Message(f"this {unit} is not in the table", code=OFF_TABLE),
    )
    return c.calendar._unit_start(c.anchor, unit), c.anchor + c.one


@row(
    Kind.SPAN,
    "rest of {unit}",
    "What is left of that {unit} begins after {the_anchor}.",
    also=("rest of this {unit}",),
    ends=("day", "unit"),
    step="unit",
    can_be_empty=True,
)
def rest(c: Basis, unit: Unit) -> Pair:
    return c.anchor + c.one, c.calendar._unit_stop(c.anchor, unit)

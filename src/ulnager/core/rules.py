"""The phrase table: every phrase, how it is said, what it comes out as, and why.

One function is one row. Its name is the row's key, the decorator holds the wording, and
the body is the formula: A is ``c.anchor``, B is ``c.open_day``, and ``c.calendar``
answers for units. The formulas hold for a date, for an array of anchors and for a SQL
expression alike, so they do sums only, and never compare or branch on days.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from ulnager.core.definitions import Basis, Definition, Kind, Rule
from ulnager.core.errors import ResolveError
from ulnager.core.spans import Range, complement, intersection, union
from ulnager.core.units import Unit

RULES: Final[dict[str, Rule]] = {}

Pair = tuple[Any, Any]
Find = Callable[..., Any]


def _row(
    kind: Kind,
    template: str,
    because: str = "",
    also: tuple[str, ...] = (),
    family: str = "",
    reading: str = "",
) -> Callable[[Find], Rule]:
    def add(find: Find) -> Rule:
        key = find.__name__.strip("_")
        rule = Rule(key, kind, template, find, because, also, family, reading)
        RULES[key] = rule
        return rule

    return add


# Points: one day each.


@_row(Kind.POINT, "today")
def today(c: Basis) -> Any:
    return c.clock()


@_row(Kind.POINT, "yesterday")
def yesterday(c: Basis) -> Any:
    return c.clock() - 1


@_row(Kind.POINT, "tomorrow")
def tomorrow(c: Basis) -> Any:
    return c.clock() + 1


@_row(Kind.POINT, "latest")
def latest(c: Basis) -> Any:
    return c.extent().last.toordinal()


@_row(Kind.POINT, "earliest")
def earliest(c: Basis) -> Any:
    return c.extent().first.toordinal()


@_row(Kind.POINT, "{date}")
def day(c: Basis, date: Any) -> Any:
    return date.toordinal()


@_row(Kind.POINT, "start of {period}")
def start_of(c: Basis, period: Definition) -> Any:
    return _edge(c, period, 0)


@_row(Kind.POINT, "end of {period}")
def end_of(c: Basis, period: Definition) -> Any:
    return _edge(c, period, 1) - c.one


@_row(Kind.POINT, "{count} {units} before {point}")
def moved_before(c: Basis, count: int, unit: Unit, point: Definition) -> Any:
    return c.calendar.move_day(point.day(c), unit, -count)


@_row(Kind.POINT, "{count} {units} after {point}")
def moved_after(c: Basis, count: int, unit: Unit, point: Definition) -> Any:
    return c.calendar.move_day(point.day(c), unit, count)


def _edge(c: Basis, period: Definition, side: int) -> Any:
    """The start or stop of a whole period, for a point."""
    if period.rule.kind is Kind.SPAN:
        edge = period.span(c)[side]
    else:
        ranges = period.ranges(c)
        if not ranges:
            raise ResolveError(f"'{period}' is empty here, so it has no start and no end")
        edge = ranges[-side][side]
    if edge is None:
        name = "end" if side else "start"
        raise ResolveError(f"'{period}' is open on that side, so it has no {name}")
    return edge


# Units around, before and after the anchor.


@_row(
    Kind.SPAN,
    "this {unit}",
    "All of that {unit} is meant, the part still to come with it.",
    also=("current {unit}",),
)
def this(c: Basis, unit: Unit) -> Pair:
    return c.calendar.unit_start(c.anchor, unit), c.calendar.unit_stop(c.anchor, unit)


@_row(
    Kind.SPAN,
    "previous {unit}",
    "The {unit} before that one ends the day before, {end}.",
    also=("last {unit}",),
)
def previous(c: Basis, unit: Unit) -> Pair:
    start = c.calendar.unit_start(c.anchor, unit)
    return c.calendar.move_start(start, unit, -1), start


@_row(
    Kind.SPAN,
    "next {unit}",
    "The {unit} after that one begins on {start}.",
    also=("following {unit}",),
)
def following(c: Basis, unit: Unit) -> Pair:
    stop = c.calendar.unit_stop(c.anchor, unit)
    return stop, c.calendar.move_start(stop, unit, 1)


@_row(
    Kind.SPAN,
    "{unit} to date",
    "It runs from the start of that {unit} to the anchor day, {anchor}, with that day in.",
    also=("this {unit} to date",),
)
def to_date(c: Basis, unit: Unit) -> Pair:
    return c.calendar.unit_start(c.anchor, unit), c.anchor + c.one


@_row(
    Kind.SPAN,
    "rest of {unit}",
    "What is left of that {unit} begins after the anchor day, {anchor}.",
    also=("rest of this {unit}",),
)
def rest(c: Basis, unit: Unit) -> Pair:
    return c.anchor + c.one, c.calendar.unit_stop(c.anchor, unit)


# The readings of "last N units" and of "next N units".


@_row(
    Kind.SPAN,
    "last {count} rolling {units}",
    "Rolling {plural} end with the anchor day. {counted} before {anchor} is {moved_back}, "
    "and the day after it is the first one in: {start}.",
    also=("rolling {count} {units}",),
    family="last",
    reading="rolling",
)
def last_rolling(c: Basis, count: int, unit: Unit) -> Pair:
    return c.calendar.move_day(c.anchor, unit, -count) + c.one, c.anchor + c.one


@_row(
    Kind.SPAN,
    "last {count} whole {units}",
    "Only whole {plural} count. That {unit} is not over and is left out, so the last day is {end}; "
    "{counted} before {stop} is {start}.",
    family="last",
    reading="whole",
)
def last_whole(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar.unit_start(c.open_day, unit)
    return c.calendar.move_start(stop, unit, -count), stop


@_row(
    Kind.SPAN,
    "last {count} {units} to date",
    "The unfinished {unit} counts as one of the {count} and ends with the anchor day, {anchor}.",
    family="last",
    reading="to date",
)
def last_to_date(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar.unit_stop(c.anchor, unit)
    return c.calendar.move_start(stop, unit, -count), c.anchor + c.one


@_row(
    Kind.SPAN,
    "last {count} {units} to end",
    "The {unit} around the anchor counts as one of the {count} and is taken to its end, {end}.",
    family="last",
    reading="to end",
)
def last_to_end(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar.unit_stop(c.anchor, unit)
    return c.calendar.move_start(stop, unit, -count), stop


@_row(
    Kind.SPAN,
    "next {count} rolling {units}",
    "Rolling {plural} begin after the anchor day. {counted} after {anchor} is {end}, "
    "the last day in.",
    also=("rolling next {count} {units}",),
    family="next",
    reading="rolling",
)
def next_rolling(c: Basis, count: int, unit: Unit) -> Pair:
    return c.anchor + c.one, c.calendar.move_day(c.anchor, unit, count) + c.one


@_row(
    Kind.SPAN,
    "next {count} whole {units}",
    "Only whole {plural} count, so it begins with the one after that {unit}, on {start}.",
    family="next",
    reading="whole",
)
def next_whole(c: Basis, count: int, unit: Unit) -> Pair:
    start = c.calendar.unit_stop(c.anchor, unit)
    return start, c.calendar.move_start(start, unit, count)


@_row(
    Kind.SPAN,
    "next {count} {units} from date",
    "The rest of that {unit}, from the anchor day on, counts as one of the {count}.",
    family="next",
    reading="from date",
)
def next_from_date(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar.unit_stop(c.anchor, unit)
    return c.anchor, c.calendar.move_start(stop, unit, count - 1)


@_row(
    Kind.SPAN,
    "next {count} {units} from start",
    "That {unit} counts as one of the {count} and is taken from its start, {start}.",
    family="next",
    reading="from start",
)
def next_from_start(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar.unit_stop(c.anchor, unit)
    return c.calendar.unit_start(c.anchor, unit), c.calendar.move_start(stop, unit, count - 1)


@_row(Kind.READING, "last {count} {units}", family="last")
def last_ambiguous(c: Basis, count: int, unit: Unit) -> Definition:
    return _chosen("last", c.defaults.last, count, unit)


@_row(Kind.READING, "next {count} {units}", family="next")
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


# From and to points.


@_row(Kind.SPAN, "{point}")
def on(c: Basis, point: Definition) -> Pair:
    return c.begin(point), c.finish(point)


@_row(
    Kind.SPAN,
    "from {point} to {point_2}",
    "Both ends are in: {start} and {end}.",
    also=("between {point} and {point_2}",),
)
def between(c: Basis, point: Definition, point_2: Definition) -> Pair:
    return c.begin(point), c.finish(point_2)


@_row(Kind.SPAN, "since {point}", "It begins on {start} and ends with the anchor day, {anchor}.")
def since(c: Basis, point: Definition) -> Pair:
    return c.begin(point), c.anchor + c.one


@_row(Kind.SPAN, "before {point}", "Everything before {stop}, that day left out.")
def before(c: Basis, point: Definition) -> Pair:
    return None, c.begin(point)


@_row(Kind.SPAN, "until {point}", "Everything up to {end}, with that day in.")
def until(c: Basis, point: Definition) -> Pair:
    return None, c.finish(point)


@_row(Kind.SPAN, "after {point}", "Everything from {start} on; the point itself is left out.")
def after(c: Basis, point: Definition) -> Pair:
    return c.finish(point), None


@_row(Kind.SPAN, "from {point}", "Everything from {start} on, with that day in.")
def from_(c: Basis, point: Definition) -> Pair:
    return c.begin(point), None


@_row(Kind.SPAN, "all dates", "Nothing is cut off on either side.")
def all_dates(c: Basis) -> Pair:
    return None, None


@_row(Kind.SPAN, "{iso}", "These dates are fixed; no anchor moves them.")
def fixed(c: Basis, iso: Any) -> Pair:
    return iso.start, iso.stop


# Whole phrases joined, cut and measured from elsewhere; read from left to right.


@_row(Kind.RANGES, "{period} plus {period_2}", "The days of either are in.")
def plus(c: Basis, period: Definition, period_2: Definition) -> tuple[Range, ...]:
    return period.ranges(c) + period_2.ranges(c)


@_row(Kind.RANGES, "{period} except {period_2}", "The days of the second are taken out.")
def except_(c: Basis, period: Definition, period_2: Definition) -> tuple[Range, ...]:
    return intersection(period.ranges(c), complement(union(period_2.ranges(c))))


@_row(Kind.RANGES, "{period} within {period_2}", "Only the days that are in both remain.")
def within(c: Basis, period: Definition, period_2: Definition) -> tuple[Range, ...]:
    return intersection(period.ranges(c), period_2.ranges(c))


@_row(Kind.BASIS, "{period} as of {point}")
def as_of(c: Basis, point: Definition) -> Basis:
    return measured_from(c, point)


def measured_from(c: Basis, point: Definition) -> Basis:
    """The same basis with its anchor at a point; only ``today`` itself is still running."""
    return c.changed(anchor=point.day(c), running=point.rule is today, source=point)

"""The phrase table: every phrase, how it is said, what it comes out as, and why.

One function is one row. Its name is the row's key, the decorator holds the wording, and
the body is the formula: A is ``c.anchor``, B is ``c.open_day``, and ``c.calendar``
answers for units. The formulas hold for a date, an instant, an array of anchors and a SQL
expression alike, so they do sums only, and never compare or branch on days. ``c.one`` is the
width of an anchor: a day is one wide, an instant nothing.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from ulnager.core.daysets import DaySet
from ulnager.core.definitions import Basis, Definition, Kind, Rule
from ulnager.core.errors import ResolveError
from ulnager.core.names import DayName, Label, Name, Ordinal
from ulnager.core.shifting import moved, rolling
from ulnager.core.spans import Range, complement, intersection, union
from ulnager.core.suggest import no_such
from ulnager.core.units import Unit

RULES: Final[dict[str, Rule]] = {}

Pair = tuple[Any, Any]
Find = Callable[..., Any]


def _row(kind: Kind, template: str, because: str = "", **more: Any) -> Callable[[Find], Rule]:
    """Adds a row to the table; ``more`` are other fields of :class:`Rule`."""

    def add(find: Find) -> Rule:
        key = find.__name__.strip("_")
        RULES[key] = Rule(key, kind, template, find, because, **more)
        return RULES[key]

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


@_row(Kind.POINT, "now")
def now(c: Basis) -> Any:
    if c.now is None:
        raise ResolveError("the phrase speaks of now, but no moment was given; pass now= or --now")
    return c.now


@_row(Kind.POINT, "latest")
def latest(c: Basis) -> Any:
    return c.extent().last.toordinal()


@_row(Kind.POINT, "latest whole day")
def latest_whole_day(c: Basis) -> Any:
    day = c.extent().last_whole
    if day is None:
        raise ResolveError(
            "the phrase speaks of the latest whole day, and only the dates of the data are "
            "known; pass data=profile(source).extent, or --source FILE"
        )
    return day.toordinal()


@_row(Kind.POINT, "earliest")
def earliest(c: Basis) -> Any:
    return c.extent().first.toordinal()


@_row(Kind.POINT, "{date}")
def day(c: Basis, date: Any) -> Any:
    return date.toordinal()


@_row(Kind.POINT, "{timestamp}")
def instant(c: Basis, timestamp: Any) -> Any:
    return timestamp.instant(c.instants_here().zone)


@_row(Kind.POINT, "start of {period}")
def start_of(c: Basis, period: Definition) -> Any:
    return _edge(c, period, 0)


@_row(Kind.POINT, "end of {period}")
def end_of(c: Basis, period: Definition) -> Any:
    return _edge(c, period, 1) - c.one


@_row(Kind.POINT, "{count} {units} before {point}")
def moved_before(c: Basis, count: int, unit: Unit, point: Definition) -> Any:
    return c.calendar.move_day(_edge_to_count_from(c, point, start_of), unit, -count)


@_row(Kind.POINT, "{count} {units} after {point}")
def moved_after(c: Basis, count: int, unit: Unit, point: Definition) -> Any:
    return c.calendar.move_day(_edge_to_count_from(c, point, end_of), unit, count)


def _edge_to_count_from(c: Basis, point: Definition, side: Rule) -> Any:
    """Days count from the day; hours before a day from its start, hours after from its end."""
    if c.in_instants and point.rule in (start_of, end_of):
        side = point.rule
    return c.finish(point) if c.in_instants and side is end_of else c.begin(point)


@_row(Kind.POINT, "{ordinal} {dayname} of {period}")
def ordinal_day(c: Basis, ordinal: Ordinal, dayname: DayName, period: Definition) -> Any:
    first, stop = _edge(c, period, 0), _edge(c, period, 1)
    number, calendar = ordinal.number, c.calendar
    if c.in_instants:
        raise ResolveError(f"the days of '{period}', a period of hours, cannot be counted")
    if dayname.weekday is not None:
        if number > 0:
            found = calendar.on_weekday(first, dayname.weekday) + 7 * (number - 1)
        else:
            found = calendar.on_weekday(stop - 7, dayname.weekday)
    elif number > 0:
        start = calendar.unit_start(first, dayname.unit)
        found = calendar.move_start(start, dayname.unit, number - 1)
    else:
        found = calendar.settled(stop - 1, dayname.unit)
    c.require(
        (first <= found) & (found < stop), lambda: f"there is no {ordinal} {dayname} in '{period}'"
    )
    return found


def _edge(c: Basis, period: Definition, side: int) -> Any:
    """The start or stop of a whole period, for a point."""
    if period.rule.kind is not Kind.RANGES or not c.calendar.is_plain:
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
    ends=("unit", "unit"),
    step="unit",
)
def this(c: Basis, unit: Unit) -> Pair:
    return c.calendar.unit_start(c.anchor, unit), c.calendar.unit_stop(c.anchor, unit)


@_row(
    Kind.SPAN,
    "previous {unit}",
    "The {unit} before that one ends {ends}.",
    also=("last {unit}",),
    ends=("unit", "unit"),
    step="unit",
)
def previous(c: Basis, unit: Unit) -> Pair:
    start = c.calendar.unit_start(c.anchor, unit)
    return c.calendar.move_start(start, unit, -1), start


@_row(
    Kind.SPAN,
    "next {unit}",
    "The {unit} after that one begins on {start}.",
    also=("following {unit}",),
    ends=("unit", "unit"),
    step="unit",
)
def following(c: Basis, unit: Unit) -> Pair:
    stop = c.calendar.unit_stop(c.anchor, unit)
    return stop, c.calendar.move_start(stop, unit, 1)


@_row(
    Kind.SPAN,
    "latest {unit}",
    "The {unit} around the latest date, whether whole or not.",
    ends=("unit", "unit"),
    step="unit",
)
def latest_unit(c: Basis, unit: Unit) -> Pair:
    if c.in_instants:
        raise ResolveError(f"the dates of the data do not tell which {unit} was the latest")
    day = c.extent().last.toordinal()
    return c.calendar.unit_start(day, unit), c.calendar.unit_stop(day, unit)


@_row(
    Kind.SPAN,
    "{unit} to date",
    "It runs from the start of that {unit} to {the_anchor}.",
    also=("this {unit} to date",),
    ends=("unit", "to date"),
    step="unit",
)
def to_date(c: Basis, unit: Unit) -> Pair:
    return c.calendar.unit_start(c.anchor, unit), c.anchor + c.one


@_row(
    Kind.SPAN,
    "rest of {unit}",
    "What is left of that {unit} begins after {the_anchor}.",
    also=("rest of this {unit}",),
    ends=("day", "unit"),
    step="unit",
)
def rest(c: Basis, unit: Unit) -> Pair:
    return c.anchor + c.one, c.calendar.unit_stop(c.anchor, unit)


# The readings of "last N units" and of "next N units".


@_row(
    Kind.SPAN,
    "last {count} rolling {units}",
    "Rolling {plural} end with {the_anchor}. {counted} before {anchor} is {moved_back}{first_in}.",
    also=("rolling {count} {units}",),
    family="last",
    reading="rolling",
    step="rolling",
)
def last_rolling(c: Basis, count: int, unit: Unit) -> Pair:
    return rolling(c, unit, -count, 0)


@_row(
    Kind.SPAN,
    "last {count} whole {units}",
    "Only whole {plural} count. That {unit} is not over and is left out, so it ends {ends}; "
    "{counted} before {stop} is {start}.",
    family="last",
    reading="whole",
    ends=("unit", "unit"),
    step="count",
)
def last_whole(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar.unit_start(c.open_day, unit)
    return c.calendar.move_start(stop, unit, -count), stop


@_row(
    Kind.SPAN,
    "last {count} {units} to date",
    "The unfinished {unit} counts as one of the {count} and ends with {the_anchor}.",
    family="last",
    reading="to date",
    ends=("unit", "to date"),
    step="count",
)
def last_to_date(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar.unit_stop(c.anchor, unit)
    return c.calendar.move_start(stop, unit, -count), c.anchor + c.one


@_row(
    Kind.SPAN,
    "last {count} {units} to end",
    "That {unit} counts as one of the {count} and is taken to its end, {ends}.",
    family="last",
    reading="to end",
    ends=("unit", "unit"),
    step="count",
)
def last_to_end(c: Basis, count: int, unit: Unit) -> Pair:
    stop = c.calendar.unit_stop(c.anchor, unit)
    return c.calendar.move_start(stop, unit, -count), stop


@_row(
    Kind.SPAN,
    "next {count} rolling {units}",
    "Rolling {plural} begin after {the_anchor}. {counted} later it ends, {ends}.",
    also=("rolling next {count} {units}",),
    family="next",
    reading="rolling",
    step="rolling",
)
def next_rolling(c: Basis, count: int, unit: Unit) -> Pair:
    return rolling(c, unit, 0, count)


@_row(
    Kind.SPAN,
    "next {count} whole {units}",
    "Only whole {plural} count, so it begins with the one after that {unit}, on {start}.",
    family="next",
    reading="whole",
    ends=("unit", "unit"),
    step="count",
)
def next_whole(c: Basis, count: int, unit: Unit) -> Pair:
    start = c.calendar.unit_stop(c.anchor, unit)
    return start, c.calendar.move_start(start, unit, count)


@_row(
    Kind.SPAN,
    "next {count} {units} from date",
    "The rest of that {unit}, from {the_anchor} on, counts as one of the {count}.",
    family="next",
    reading="from date",
    ends=("day", "unit"),
    step="count",
)
def next_from_date(c: Basis, count: int, unit: Unit) -> Pair:
    start = c.calendar.unit_start(c.anchor, unit)
    return c.anchor, c.calendar.move_start(start, unit, count)


@_row(
    Kind.SPAN,
    "next {count} {units} from start",
    "That {unit} counts as one of the {count} and is taken from its start, {start}.",
    family="next",
    reading="from start",
    ends=("unit", "unit"),
    step="count",
)
def next_from_start(c: Basis, count: int, unit: Unit) -> Pair:
    start = c.calendar.unit_start(c.anchor, unit)
    return start, c.calendar.move_start(start, unit, count)


@_row(Kind.READING, "last {count} {units}", family="last", goes_on=True)
def last_ambiguous(c: Basis, count: int, unit: Unit) -> Definition:
    return _chosen("last", c.defaults.last, count, unit)


@_row(Kind.READING, "next {count} {units}", family="next", goes_on=True)
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
    "It begins at {start} and ends {ends}, both ends in.",
    also=("between {point} and {point_2}",),
    ends=("begin", "finish 2"),
)
def between(c: Basis, point: Definition, point_2: Definition) -> Pair:
    return c.begin(point), c.finish(point_2)


@_row(
    Kind.SPAN,
    "since {point}",
    "It begins at {start} and ends with {the_anchor}.",
    ends=("begin", "to date"),
)
def since(c: Basis, point: Definition) -> Pair:
    return c.begin(point), c.anchor + c.one


@_row(
    Kind.SPAN,
    "before {point}",
    "Everything before {stop} is in.",
    ends=("day", "begin"),
)
def before(c: Basis, point: Definition) -> Pair:
    return None, c.begin(point)


@_row(
    Kind.SPAN,
    "until {point}",
    "Everything up to its end is in: it ends {ends}.",
    ends=("day", "finish"),
)
def until(c: Basis, point: Definition) -> Pair:
    return None, c.finish(point)


@_row(
    Kind.SPAN,
    "after {point}",
    "Everything after it is in: it begins at {start}.",
    ends=("finish", "day"),
)
def after(c: Basis, point: Definition) -> Pair:
    return c.finish(point), None


@_row(
    Kind.SPAN,
    "from {point}",
    "Everything from {start} on is in.",
    ends=("begin", "day"),
    goes_on=True,
)
def from_(c: Basis, point: Definition) -> Pair:
    return c.begin(point), None


@_row(Kind.SPAN, "all dates", "Nothing is cut off on either side.")
def all_dates(c: Basis) -> Pair:
    return None, None


@_row(
    Kind.SPAN,
    "{iso}",
    "These dates are fixed; no anchor moves them.",
    ends=("fixed", "fixed"),
    step="fixed",
)
def fixed(c: Basis, iso: Any) -> Pair:
    return iso.start, iso.stop


@_row(
    Kind.SPAN,
    "{label}",
    "The calendar calls these dates so; no anchor moves them.",
)
def labelled(c: Basis, label: Label) -> Pair:
    found = c.calendar.labelled(label.text)
    if found is None:
        raise ResolveError(
            f"this calendar calls nothing {label}; its labels look like "
            + ", ".join(f'"{text}"' for text in c.calendar.sample_labels())
        )
    return found


# Whole phrases joined, cut and measured from elsewhere; read from left to right.


@_row(Kind.RANGES, "{period} plus {period_2}", "The days of '{period_2}' are joined to them.")
def plus(c: Basis, period: Definition, period_2: Definition) -> tuple[Range, ...]:
    return period.ranges(c) + period_2.ranges(c)


def _within_days(
    c: Basis, ranges: tuple[Range, ...], days: DaySet, what: Definition
) -> tuple[Range, ...]:
    business = c.in_days().calendar.business
    if not c.in_instants:
        return days.within(ranges, business, what)
    here = c.instants_here()
    whole = union(
        (start and here.day_of(start), stop and here.day_of(stop - 1) + 1) for start, stop in ranges
    )
    return intersection(ranges, c.as_instants(days.within(whole, business, what)))


@_row(Kind.RANGES, "{period} only {days}", "Only its {days} remain.")
def only(c: Basis, period: Definition, days: DaySet) -> tuple[Range, ...]:
    return _within_days(c, period.ranges(c), days, period)


@_row(Kind.RANGES, "{period} except {days}", "Its {days} are taken out.")
def except_days(c: Basis, period: Definition, days: DaySet) -> tuple[Range, ...]:
    ranges = period.ranges(c)
    return intersection(ranges, complement(_within_days(c, ranges, days, period)))


@_row(Kind.RANGES, "{period} except {period_2}", "The days of '{period_2}' are taken out of them.")
def except_(c: Basis, period: Definition, period_2: Definition) -> tuple[Range, ...]:
    return intersection(period.ranges(c), complement(union(period_2.ranges(c))))


def _overlap(c: Basis, period: Definition, period_2: Definition) -> Pair:
    (start, stop), (start_2, stop_2) = period.span(c), period_2.span(c)
    return c.calendar.later(start, start_2), c.calendar.earlier(stop, stop_2)


def _data_overlap(c: Basis, period: Definition) -> Pair:
    (start, stop), (data,) = period.span(c), _data_range(c)
    return c.calendar.later(start, data[0]), c.calendar.earlier(stop, data[1])


def _data_range(c: Basis) -> tuple[Range, ...]:
    data = (c.extent().first.toordinal(), c.extent().last.toordinal() + 1)
    return c.as_instants((data,)) if c.in_instants else (data,)


@_row(
    Kind.RANGES,
    "{period} within data",
    "Only the dates that the data holds remain.",
    find_one=_data_overlap,
)
def within_data(c: Basis, period: Definition) -> tuple[Range, ...]:
    return intersection(period.ranges(c), _data_range(c))


@_row(
    Kind.RANGES,
    "{period} within {period_2}",
    "Only the days that are in '{period_2}' too remain.",
    find_one=_overlap,
)
def within(c: Basis, period: Definition, period_2: Definition) -> tuple[Range, ...]:
    return intersection(period.ranges(c), period_2.ranges(c))


def _moved_one(c: Basis, period: Definition, count: int, unit: Unit) -> Pair:
    found = moved(c, period, count, unit)
    return found.span(c) if isinstance(found, Definition) else found


def _moved(c: Basis, period: Definition, count: int, unit: Unit) -> tuple[Range, ...]:
    found = moved(c, period, count, unit)
    return found.ranges(c) if isinstance(found, Definition) else (found,)


@_row(
    Kind.SHIFT,
    "{period}, {count} {steps} earlier",
    "All of it moves back by {counted}.",
    find_one=lambda c, period, count, unit: _moved_one(c, period, -count, unit),
)
def earlier(c: Basis, period: Definition, count: int, unit: Unit) -> tuple[Range, ...]:
    return _moved(c, period, -count, unit)


@_row(
    Kind.SHIFT,
    "{period}, {count} {steps} later",
    "All of it moves on by {counted}.",
    find_one=_moved_one,
)
def later(c: Basis, period: Definition, count: int, unit: Unit) -> tuple[Range, ...]:
    return _moved(c, period, count, unit)


@_row(Kind.BASIS, "{period} in {calendar}")
def in_calendar(c: Basis, calendar: Name) -> Basis:
    if calendar.text not in c.calendars:
        raise ResolveError(no_such("calendar", calendar.text, c.calendars))
    return c.changed(calendar=c.calendar.like(c.calendars[calendar.text]))


@_row(Kind.BASIS, "{period} as of {point}")
def as_of(c: Basis, point: Definition) -> Basis:
    return measured_from(c, point)


def measured_from(c: Basis, point: Definition) -> Basis:
    """The same basis with its anchor at a point.

    Its day is over, but for ``today``, and for an instant, whose day is still running then.
    """
    if point.is_sub_day:
        here = c.instants_here()
        if point.is_anchored:
            # Hours are counted from the moment of the anchor.
            instant = point.day(c.in_days().to_instants())
        else:
            instant = point.day(c.changed(calendar=here, one=0, in_instants=True, days=c))
        anchor, running, moment = here.day_of(instant), True, instant
    else:
        running = point.rule is today
        anchor, moment = point.day(c), c.now if running else None
    return c.changed(anchor=anchor, running=running, moment=moment, source=point)

"""Why a period has the dates it has, told step by step.

The sentences stand beside the formulas in the phrase table; this module fills them in
from the same calendar calls that gave the dates, so they cannot tell another story.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any, Final

from ulnager.core.calendars.instants import moment_of
from ulnager.core.calendars.zones import FIRST_DAY, LAST_DAY
from ulnager.core.errors import ResolveError
from ulnager.core.messages import (
    CLOCK,
    CUT,
    EMPTY,
    HABIT,
    HALF,
    LATEST,
    READING,
    TWIN,
    WEEK,
    Message,
    coded,
)
from ulnager.core.periods import phrases
from ulnager.core.periods.anchor_provenance import deciders
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.phrases.ambiguity_notes import twin_notes
from ulnager.core.periods.phrases.ends import between, fixed
from ulnager.core.periods.phrases.rolling_and_whole import family_readings
from ulnager.core.periods.rule import Kind
from ulnager.core.units import WEEKDAYS, Unit

# How many days people take a unit for.
_TAKEN_FOR: Final = {Unit.MONTH: 30, Unit.YEAR: 365, Unit.QUARTER: 91, Unit.WEEK: 7}


def neighbours(definition: Definition) -> Iterator[str]:
    """What is often meant or written in place of ``last N U`` with its several readings."""
    ago = _ago(definition)
    if ago is not None:
        yield from (f"since {ago}", f"at least {ago}", f"week of {ago}", f"month of {ago}")
        return
    for part in definition.walk():
        if part.rule.family != "last" or part.rule.reading not in ("", "rolling"):
            continue
        count, unit = part.args
        if unit is Unit.DAY:
            others = [
                (count // _TAKEN_FOR[other], other)
                for other in _TAKEN_FOR
                if count % _TAKEN_FOR[other] == 0
            ][:1]
        elif unit in _TAKEN_FOR:
            others = [(count * _TAKEN_FOR[unit], Unit.DAY)]
        else:
            return
        for number, other in others:
            yield f"last {number} rolling {_counted(number, other)}"
        months = next((pair for pair in [*others, (count, unit)] if pair[1].months), None)
        if months is not None:
            yield f"since {months[0]} {_counted(*months)} before today"
        if not unit.months:
            yield f"from {count} {_counted(count, unit)} before today to today"
        return


def _ago(definition: Definition) -> str | None:
    """``3 months ago``, where a phrase is that point alone, which is one day."""
    point = definition.point
    if point is None or point.rule is not phrases.moved_before:
        return None
    count, unit, since = point.args
    if since.rule is not phrases.anchor_day or unit.microseconds:
        return None
    return f"{count} {_counted(count, unit)} ago"


def of_anchor(phrase: str) -> str:
    """A phrase near another one, measured from the anchor's day in place of the clock's."""
    return phrase.replace("today", "anchor day")


def _counted(count: int, unit: Unit) -> str:
    return unit.name if count == 1 else unit.plural


_JOINS = (Kind.RANGES, Kind.SHIFT)


def steps(definition: Definition, basis: Basis) -> tuple[str, ...]:
    """What was decided, in the order in which it was, with the dates."""
    told = list(_anchor_step(definition, basis)) + list(_told(definition, basis))
    what = "times" if definition.is_sub_day else "dates"
    told.append(f"So the {what} are {shown_ranges(definition, basis)}.")
    return tuple(told)


def notes(definition: Definition, basis: Basis) -> tuple[str, ...]:
    """What a reader should know before trusting the dates."""
    return (
        *coded(READING, readings_notes(definition, basis)),
        *coded(CLOCK, _clock_notes(definition, basis)),
        *coded(WEEK, _week_notes(definition, basis)),
        *coded(HABIT, _habit_notes(definition, basis)),
        *coded(LATEST, _latest_notes(definition, basis)),
        *_cut_notes(definition, basis),
        *coded(TWIN, dict.fromkeys(twin_notes(definition, basis, shown_ranges))),
        *coded(EMPTY, _empty_notes(definition, basis)),
    )


def shown(value: int | None, basis: Basis) -> str:
    """A day number as an ISO date, or an instant as a local date and time."""
    if value is None:
        return "the open side"
    if basis.in_instants:
        return moment_of(value, basis.instants_here().zone).strftime("%Y-%m-%d %H:%M:%S")
    if FIRST_DAY <= value <= LAST_DAY:
        return date.fromordinal(value).isoformat()
    return "a day before year 1" if value < FIRST_DAY else "a day after year 9999"


def shown_ranges(definition: Definition, basis: Basis) -> str:
    """The spans as people say them: days inclusive, with how many there are."""
    ranges = definition.ranges(basis)
    while definition.rule.kind is Kind.BASIS:
        basis = definition.changed(basis)
        definition = definition.args[0]
    view = _view(definition, basis)
    if not ranges:
        return "none at all"
    texts = [_shown_range(start, stop, view) for start, stop in ranges[:4]]
    if len(ranges) > 4:
        texts.append(f"and {len(ranges) - 4} more spans")
    if view.in_instants or any(start is None or stop is None for start, stop in ranges):
        return ", ".join(texts)
    days = sum(stop - start for start, stop in ranges if start is not None and stop is not None)
    return f"{', '.join(texts)}: {days:,} day{'' if days == 1 else 's'}"


def _shown_range(start: int | None, stop: int | None, basis: Basis) -> str:
    if start is None and stop is None:
        return "all dates"
    if stop is None:
        return f"{shown(start, basis)} and all after it"
    last = f"before {shown(stop, basis)}" if basis.in_instants else shown(stop - 1, basis)
    if start is None:
        return f"all up to {last}"
    return shown(start, basis) if stop - start == basis.one else f"{shown(start, basis)} to {last}"


def _view(definition: Definition, basis: Basis) -> Basis:
    """The basis in which a definition is worked out: in instants or in days."""
    if definition.is_sub_day and definition.rule.kind is not Kind.BASIS:
        return basis if basis.in_instants else basis.to_instants()
    return basis.in_days()


def _anchor_step(definition: Definition, basis: Basis) -> Iterator[str]:
    if definition.rule.kind is Kind.BASIS or not definition.is_anchored:
        return
    view = _view(definition, basis)
    if view.in_instants:
        zone = view.instants_here().zone
        source = "now" if str(basis.source) == "today" else basis.source
        yield f"The anchor is {source}, {shown(view.anchor, view)} in {zone}."
        return
    if basis.as_anchor() not in deciders(definition, basis):
        return  # Others decide, which the steps behind this one tell.
    day = shown(basis.anchor, basis)
    weekday = WEEKDAYS[date.fromordinal(basis.anchor).weekday()].title()
    source = str(basis.source)
    name = f"{day}, a {weekday}" if source == day else f"{source}, {weekday} {day}"
    state = "is still running" if basis.running else "is over"
    yield f"The anchor is {name}. That day {state}."


def _told(definition: Definition, basis: Basis) -> Iterator[str]:
    kind = definition.rule.kind
    if kind is Kind.READING:
        reading = definition.rule.find(basis, *definition.args)
        yield f"'{definition}' does not say which reading is meant; it is read as '{reading}'."
        yield from _told(reading, basis)
        return
    if kind is Kind.BASIS:
        changed = definition.changed(basis)
        yield from _anchor_step(definition.args[0], changed)
        yield from _told(definition.args[0], changed)
        return
    view = _view(definition, basis)
    for place, part in enumerate(definition.args):
        if isinstance(part, Definition) and part.rule.kind is Kind.POINT:
            yield from _point_step(part, basis, _end(definition, place, view))
        elif isinstance(part, Definition):
            yield from _told(part, basis)
            if kind in _JOINS and not part.rule.of_point:
                yield f"That makes '{part}' {shown_ranges(part, basis)}."
    counts_units = definition.unit is not None and bool(definition.rule.around)
    if kind is Kind.SPAN and counts_units and definition.rule.from_anchor:
        yield from _unit_step(definition, view)
    if _takes_out(definition) and definition.ranges(basis) == definition.args[0].ranges(basis):
        yield f"None of them is in '{definition.args[1]}', so nothing is taken out."
        return
    if definition.rule.because:
        yield definition.rule.because.format_map(_Facts(definition, view))


def _takes_out(definition: Definition) -> bool:
    return "except" in (definition.rule.join, definition.rule.sort)


def _unit_step(definition: Definition, basis: Basis) -> Iterator[str]:
    """The unit around the day that the rule looks at."""
    unit = definition.unit
    assert unit is not None
    whole = definition.rule.around == "open day"
    around = basis.open_day if whole else basis.anchor
    first = basis.calendar._unit_start(around, unit)
    if unit is Unit.BUSINESS_DAY:
        if first != around:
            yield f"{shown(around, basis)} is no business day; the next one is " + (
                f"{shown(first, basis)}."
            )
    elif unit.days != 1:
        which = ", the first day that is not over," if whole and not basis.in_instants else ""
        runs = _shown_range(first, basis.calendar._unit_stop(around, unit), basis)
        yield f"The {unit} around {shown(around, basis)}{which} runs from {runs}."


def _end(definition: Definition, place: int, basis: Basis) -> Any:
    """The day that a point has as an end of ``from P to Q``: a name there looks at the other."""
    if definition.rule is not between or basis.in_instants:
        return None
    start, stop = definition.span(basis)
    return stop - basis.one if place else start


def _point_step(point: Definition, basis: Basis, day: Any = None) -> Iterator[str]:
    if not point.rule.is_written:
        view = _view(point, basis)
        yield f"'{point}' is {shown(point.day(view) if day is None else day, view)}."


class _Facts(dict[str, Any]):
    """What the sentences of the phrase table may speak of, worked out when asked for."""

    def __init__(self, definition: Definition, basis: Basis) -> None:
        super().__init__(zip(definition.rule.slots, definition.args, strict=True))
        self.definition = definition
        self.basis = basis

    def __missing__(self, name: str) -> Any:
        basis = self.basis
        if name in ("anchor", "open_day"):
            return shown(getattr(basis, name), basis)
        unit = self.definition.unit
        if unit is not None:
            count = self.get("count", 1)
            if name == "unit":
                return unit.name
            if name == "plural":
                return unit.plural
            if name == "counted":
                return unit.counted(count)
            if name == "moved_back":
                return shown(basis.calendar._move_day(basis.anchor, unit, -count), basis)
        if name == "the_anchor":
            what = "the moment" if basis.in_instants else "the anchor day,"
            return f"{what} {shown(basis.anchor, basis)}"
        start, stop = self.definition.span(basis)
        if name == "first_in":
            first = f", and the day after it is the first one in: {shown(start, basis)}"
            return "" if basis.in_instants else first
        if name == "ends":
            at = "before" if basis.in_instants else "on"
            return f"{at} {shown(stop - basis.one, basis)}"
        return shown({"start": start, "stop": stop}[name], basis)


def other_readings(definition: Definition) -> list[tuple[str, Definition]]:
    """Every reading of the first phrase inside that has several: its name and the whole phrase.

    Empty when the phrase can be read in one way only.
    """
    for part in definition.walk():
        if part.rule.family:
            return [
                (name, definition.replaced(part, Definition(rule, part.args)))
                for name, rule in family_readings(part.rule.family).items()
            ]
    return []


def readings_notes(definition: Definition, basis: Basis, *, dated: bool = True) -> Iterator[str]:
    """How an ambiguous phrase was read and how else it could be, with its dates unless it moves."""
    ambiguous = next((p for p in definition.walk() if p.rule.kind is Kind.READING), None)
    if ambiguous is None or basis.decided:
        return
    chosen = ambiguous.rule.find(basis, *ambiguous.args)
    others = []
    for _, whole in other_readings(definition):
        if whole != definition.replaced(ambiguous, chosen):
            try:
                dates = f" is {shown_ranges(whole, basis)}" if dated else ""
            except ResolveError:
                dates = " is outside years 1 to 9999"
            others.append(f"'{whole}'{dates}")
    yield f"'{ambiguous}' was read as '{chosen}'; other readings: {'; '.join(others)}"


def _clock_notes(definition: Definition, basis: Basis) -> Iterator[str]:
    measured_elsewhere = str(basis.source) != "today"
    for part in definition.walk():
        if part.rule.sets_anchor:
            measured_elsewhere = measured_elsewhere or not part.args[1].rule.is_running
    if not measured_elsewhere:
        return
    for part in definition.walk():
        point = part.point
        if point is not None and point.rule.asks == "clock":
            view = _view(point, basis)
            day = shown(point.day(view), view)
            yield f"'{point}' is the clock's, {day}; the anchor is another day"
            return


def _habit_notes(definition: Definition, basis: Basis) -> Iterator[str]:
    """An anchor's day is in; the start of the next unit is an exclusive end by habit."""
    points = [part.args[1] for part in definition.walk() if part.rule.sets_anchor]
    if isinstance(basis.source, Definition):
        points.append(basis.source)
    for point in points:
        inside = point.edge_of
        if inside is not None and point.rule.side == "start" and inside.rule.place == 1:
            unit = inside.unit
            yield (
                f"the day of an anchor is in: '{point}' is measured with the first day of the next "
                f"{unit}; 'end of this {unit}' is the last day of this one"
            )
            return


def _week_notes(definition: Definition, basis: Basis) -> Iterator[str]:
    """Weeks in ISO's form start on a Monday, whatever the calendar says."""
    calendar = basis.in_days().calendar
    for part in definition.walk():
        if part.rule is fixed and part.args[0].unit is Unit.WEEK:
            start, stop = part.args[0].start, part.args[0].stop
            around = calendar._unit_start(start + 3, Unit.WEEK)
            if around != start:
                name = calendar._plain.label(date.fromordinal(around), Unit.WEEK)
                yield (
                    f"'{part}' is ISO's week, {_shown_range(start, stop, basis.in_days())}; this "
                    f'calendar\'s own is "{name}", '
                    f"{_shown_range(around, around + 7, basis.in_days())}"
                )


def _latest_notes(definition: Definition, basis: Basis) -> Iterator[str]:
    """A last date far from all others, or past the clock, may not be what is meant by latest."""
    if basis.data is None:
        return
    source = basis.source if isinstance(basis.source, Definition) else None
    parts = (*definition.walk(), *(source.walk() if source else ()))
    rules = [part.rule for part in parts if part.rule.uses_last_date]
    if basis.data._lone_text and rules:
        yield basis.data._lone_text
    elif any(not rule.join for rule in rules) and basis.today is not None:
        ahead = basis.data.last.toordinal() - basis.in_days().today
        if ahead > 0:
            yield (
                f"the data runs to {basis.data.last}, {ahead:,} day{'s' * (ahead > 1)} past the "
                "clock's day; 'latest up to today' is its last date until then"
            )


def _cut_notes(definition: Definition, basis: Basis) -> Iterator[Message]:
    """A cut that does nothing, and one that leaves half of what is probably meant."""
    if definition.rule.kind is Kind.BASIS:
        yield from _cut_notes(definition.args[0], definition.changed(basis))
        return
    if definition.rule.kind is Kind.READING or not definition.args:
        return
    inner = definition.args[0]
    if isinstance(inner, Definition) and inner.rule.kind is not Kind.POINT:
        yield from _cut_notes(inner, basis)
    if definition.rule.join != "except":
        return
    cut, before = definition.args[1], inner.ranges(basis)
    if before and definition.ranges(basis) == before:
        key = "{0} has no day of {1}, so nothing is taken out"
        yield Message(key, f"'{inner}'", f"'{cut}'", code=CUT)
        return
    reading = inner.rule.find(basis, *inner.args) if inner.rule.kind is Kind.READING else inner
    unit = cut.unit
    day = ((basis.anchor, basis.anchor + 1),)
    readings = family_readings("last")
    is_rolling = reading.rule is readings["rolling"]
    if is_rolling and basis.running and cut.ranges(basis) == day:
        count, unit = reading.args
        if unit in (Unit.DAY, Unit.BUSINESS_DAY) and count > 1:
            whole = Definition(readings["whole"], reading.args)
            yield Message(
                f"that leaves {unit.counted(count - 1)}; the {count} without {cut} are '{whole}', "
                f"{shown_ranges(whole, basis)}",
                code=HALF,
            )
    if is_rolling and cut.rule.place == 0 and reading.unit == unit:
        whole = Definition(readings["whole"], reading.args)
        yield Message(
            f"rolling {unit.plural} begin inside a {unit}; the {reading.args[0]} whole ones before "
            f"this {unit} are '{whole}', {shown_ranges(whole, basis)}",
            code=HALF,
        )


def _empty_notes(definition: Definition, basis: Basis) -> Iterator[str]:
    if not definition.ranges(basis):
        yield Message("the period is empty: {0}", _why_empty(definition, basis))


def _why_empty(definition: Definition, basis: Basis) -> Message:
    rule, args = definition.rule, definition.args
    if rule.kind is Kind.BASIS:
        return _why_empty(args[0], definition.changed(basis))
    if rule.kind is Kind.READING:
        return _why_empty(rule.find(basis, *args), basis)
    if rule.kind is Kind.SPAN:
        return _why_span_empty(definition, _view(definition, basis))
    if not args[0].ranges(basis):
        return _why_empty(args[0], basis)
    dates = shown_ranges(args[0], basis)
    if _takes_out(definition):
        key = "{0} is {1}, and {2} takes all of it away"
        return Message(key, f"'{args[0]}'", dates, f"'{args[1]}'")
    return Message("nothing of {0} ({1}) is left", f"'{args[0]}'", dates)


def _why_span_empty(definition: Definition, basis: Basis) -> Message:
    unit = definition.unit
    if unit is Unit.BUSINESS_DAY:
        key = "there is no business day in {0} as of {1}"
        return Message(key, f"'{definition}'", shown(basis.anchor, basis))
    start, stop = definition.span(basis)
    if basis.in_instants:
        key = "{0} would start at {1}, and end no later"
        return Message(key, f"'{definition}'", shown(start, basis))
    key, end = "{0} would start on {1}, after its end on {2}", shown(stop - 1, basis)
    return Message(key, f"'{definition}'", shown(start, basis), end)

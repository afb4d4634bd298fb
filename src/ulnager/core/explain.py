"""Why a period has the dates it has, told step by step.

The sentences stand beside the formulas in the phrase table; this module fills them in
from the same calendar calls that gave the dates, so they cannot tell another story.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any

from ulnager.core.calendars import FIRST_DAY, LAST_DAY
from ulnager.core.definitions import Basis, Definition, Kind
from ulnager.core.errors import ResolveError
from ulnager.core.rules import RULES, family_readings
from ulnager.core.spans import Range
from ulnager.core.units import WEEKDAYS

_CLOCK_POINTS = frozenset({"today", "yesterday", "tomorrow"})


def steps(definition: Definition, basis: Basis) -> tuple[str, ...]:
    """What was decided, in the order in which it was, with the dates."""
    told = list(_anchor_step(definition, basis)) + list(_told(definition, basis))
    told.append(f"So the dates are {shown_ranges(definition.ranges(basis))}.")
    return tuple(told)


def notes(definition: Definition, basis: Basis) -> tuple[str, ...]:
    """What a reader should know before trusting the dates."""
    return (
        *_readings_notes(definition, basis),
        *_clock_notes(definition, basis),
        *_empty_notes(definition, basis),
    )


def shown(day: int | None) -> str:
    """A day number as an ISO date."""
    if day is None:
        return "the open side"
    if FIRST_DAY <= day <= LAST_DAY:
        return date.fromordinal(day).isoformat()
    return "a day before year 1" if day < FIRST_DAY else "a day after year 9999"


def shown_ranges(ranges: tuple[Range, ...]) -> str:
    """Ranges as people say them: inclusive, with the number of days."""
    if not ranges:
        return "none at all"
    texts = []
    days = 0
    for start, stop in ranges[:4]:
        if start is None or stop is None:
            texts.append(_open_range(start, stop))
        elif stop - start == 1:
            texts.append(shown(start))
        else:
            texts.append(f"{shown(start)} to {shown(stop - 1)}")
    if len(ranges) > 4:
        texts.append(f"and {len(ranges) - 4} more spans")
    if any(start is None or stop is None for start, stop in ranges):
        return ", ".join(texts)
    days = sum(stop - start for start, stop in ranges if start is not None and stop is not None)
    return f"{', '.join(texts)}: {days:,} day{'' if days == 1 else 's'}"


def _open_range(start: int | None, stop: int | None) -> str:
    if start is not None:
        return f"{shown(start)} and all after it"
    return "all dates" if stop is None else f"all up to {shown(stop - 1)}"


def _is_anchored(definition: Definition) -> bool:
    return any(
        part.rule.key == "since"
        or (part.unit is not None and part.rule.kind in (Kind.SPAN, Kind.READING))
        for part in definition.walk()
    )


def _anchor_step(definition: Definition, basis: Basis) -> Iterator[str]:
    if definition.rule.kind is Kind.BASIS or not _is_anchored(definition):
        return
    day = shown(basis.anchor)
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
        changed = definition.rule.find(basis, *definition.args[1:])
        yield from _anchor_step(definition.args[0], changed)
        yield from _told(definition.args[0], changed)
        return
    for part in definition.args:
        if isinstance(part, Definition):
            yield from (
                _point_step(part, basis) if part.rule.kind is Kind.POINT else _told(part, basis)
            )
    unit = definition.unit
    if kind is Kind.SPAN and unit is not None and unit.days != 1:
        whole = definition.rule.key == "last_whole"
        around = basis.open_day if whole else basis.anchor
        first = basis.calendar.unit_start(around, unit)
        last = basis.calendar.unit_stop(around, unit) - 1
        which = ", the first day that is not over," if whole else ""
        yield f"The {unit} around {shown(around)}{which} runs from {shown(first)} to {shown(last)}."
    if definition.rule.because:
        yield definition.rule.because.format_map(_Words(definition, basis))


def _point_step(point: Definition, basis: Basis) -> Iterator[str]:
    if point.rule.key != "day":
        yield f"'{point}' is {shown(point.day(basis))}."


class _Words(dict[str, Any]):
    """What the sentences of the phrase table may speak of, worked out when asked for."""

    def __init__(self, definition: Definition, basis: Basis) -> None:
        super().__init__(zip(definition.rule.slots, definition.args, strict=True))
        self.definition = definition
        self.basis = basis

    def __missing__(self, name: str) -> Any:
        basis = self.basis
        if name in ("anchor", "open_day"):
            return shown(getattr(basis, name))
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
                return shown(basis.calendar.move_day(basis.anchor, unit, -count))
        start, stop = self.definition.span(basis)
        return shown({"start": start, "stop": stop, "end": stop and stop - 1}[name])


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


def _readings_notes(definition: Definition, basis: Basis) -> Iterator[str]:
    ambiguous = next((p for p in definition.walk() if p.rule.kind is Kind.READING), None)
    if ambiguous is None:
        return
    chosen = ambiguous.rule.find(basis, *ambiguous.args)
    others = []
    for _, whole in other_readings(definition):
        if whole != definition.replaced(ambiguous, chosen):
            try:
                dates = shown_ranges(whole.ranges(basis))
            except ResolveError:
                dates = "outside years 1 to 9999"
            others.append(f"'{whole}' is {dates}")
    yield f"'{ambiguous}' was read as '{chosen}'; other readings: {'; '.join(others)}"


def _clock_notes(definition: Definition, basis: Basis) -> Iterator[str]:
    measured_elsewhere = basis.source != RULES["today"] and str(basis.source) != "today"
    for part in definition.walk():
        if part.rule.kind is Kind.BASIS and part.rule.key == "as_of":
            measured_elsewhere = measured_elsewhere or part.args[1].rule.key != "today"
    if not measured_elsewhere:
        return
    for part in definition.walk():
        if part.rule.key == "on" and part.args[0].rule.key in _CLOCK_POINTS:
            point = part.args[0]
            yield f"'{point}' is the clock's, {shown(point.day(basis))}; the anchor is another day"
            return


def _empty_notes(definition: Definition, basis: Basis) -> Iterator[str]:
    if not definition.ranges(basis):
        yield f"the period is empty: {_why_empty(definition, basis)}"


def _why_empty(definition: Definition, basis: Basis) -> str:
    rule, args = definition.rule, definition.args
    if rule.kind is Kind.BASIS:
        return _why_empty(args[0], rule.find(basis, *args[1:]))
    if rule.kind is Kind.READING:
        return _why_empty(rule.find(basis, *args), basis)
    if rule.kind is Kind.SPAN:
        start, stop = definition.span(basis)
        return f"'{definition}' would start on {shown(start)}, after its end on {shown(stop - 1)}"
    if not args[0].ranges(basis):
        return _why_empty(args[0], basis)
    dates = shown_ranges(args[0].ranges(basis))
    if rule.key == "except":
        return f"'{args[0]}' is {dates}, and '{args[1]}' takes all of it away"
    return f"nothing of '{args[0]}' ({dates}) is left"

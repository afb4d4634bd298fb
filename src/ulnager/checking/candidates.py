"""Phrases that a condition may be, in the order in which they are told."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from contextlib import suppress
from datetime import date, datetime
from functools import lru_cache
from typing import Any, Final, NamedTuple

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import ResolveError, UlnagerError
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import period
from ulnager.core.periods import phrases
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.names import NamedUnit, Ordinal
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.phrases.table import LATER, OTHER
from ulnager.core.periods.rule import Kind, Rule
from ulnager.core.units import WEEKDAYS, Unit

WIDE: Final = 4_200
"""So far from the clock's day bounds are looked for."""
_UNITS: Final = (Unit.YEAR, Unit.HALF, Unit.QUARTER, Unit.MONTH, Unit.WEEK, Unit.DAY)
_LENGTHS: Final = {
    Unit.YEAR: 365.25,
    Unit.HALF: 182.6,
    Unit.QUARTER: 91.3,
    Unit.MONTH: 30.44,
    Unit.WEEK: 7.0,
    Unit.DAY: 1.0,
}
_NAMES: Final = {
    "year": Unit.YEAR,
    "yy": Unit.YEAR,
    "yyyy": Unit.YEAR,
    "quarter": Unit.QUARTER,
    "qq": Unit.QUARTER,
    "q": Unit.QUARTER,
    "month": Unit.MONTH,
    "mm": Unit.MONTH,
    "mon": Unit.MONTH,
    "eomonth": Unit.MONTH,
    "last_day": Unit.MONTH,
    "add_months": Unit.MONTH,
    "week": Unit.WEEK,
    "isoweek": Unit.WEEK,
    "yearweek": Unit.WEEK,
    "day": Unit.DAY,
    "dd": Unit.DAY,
    "date_add": Unit.DAY,
    "date_sub": Unit.DAY,
    "datediff": Unit.DAY,
}


class Seen(NamedTuple):
    """What a condition keeps, seen from the clock's day: how far its bounds lie, whether it is one
    date, whether it is open before and after; and how it is written."""

    bounds: frozenset[int]
    is_single: bool
    sides: tuple[bool, bool]
    said: str


def _named_in(said: str) -> list[Unit]:
    """The units that SQL names, in the order in which it does."""
    found = []
    for word in re.findall(r"[a-z_]+", said.lower()):
        unit = _NAMES.get(word.removesuffix("s")) or _NAMES.get(word)
        if unit is not None and unit not in found:
            found.append(unit)
    return found


def _numbers_in(said: str) -> set[int]:
    return {int(one) for one in re.findall(r"(?<![\d.'-])\d{1,4}(?![\d.-])", said)} | {
        int(one) for one in re.findall(r"'[-+]?(\d{1,4}) ?[a-z]", said.lower())
    }


def made(rule: Rule, *args: Any) -> Period:
    return Period(Definition(rule, args))


@lru_cache(maxsize=100)
def _shaped(*shape: str, kind: Kind = Kind.SPAN) -> tuple[Rule, ...]:
    """The rules of the table that have such slots and ask no data, by their ranks."""
    found = [
        rule
        for rule in RULES.values()
        if rule.kind is kind and rule.shape == shape and rule.asks != "data"
    ]
    return tuple(sorted(found, key=lambda rule: rule.rank))


def of_anchor(phrase: Period) -> Period | None:
    """A phrase that names the clock's day, with the anchor's in its place; None for other words
    of the clock, which stay with it whatever the anchor."""
    rules = [part.rule for part in phrase.definition.walk()]
    if any(rule.asks == "clock" and not rule.is_running for rule in rules):
        return None
    return Period(of_point(phrase.definition, phrases.today, Definition(phrases.anchor_day)))


def of_point(definition: Definition, rule: Rule, other: Definition) -> Definition:
    """A definition with another point in the place of one."""
    if definition.rule is rule:
        return other
    args = tuple(
        of_point(one, rule, other) if isinstance(one, Definition) else one
        for one in definition.args
    )
    return Definition(definition.rule, args)


def candidates(seen: Seen) -> Iterator[Period]:
    """Phrases that it may be, in the order in which they are told."""
    named, numbers = _named_in(seen.said), _numbers_in(seen.said)
    # A number without a unit counts days.
    units = [*named, *(one for one in _UNITS if one not in named)]
    if Unit.DAY not in named and numbers and not named:
        units = [Unit.DAY, *(one for one in units if one is not Unit.DAY)]
    counts = {unit: counts_of(unit, seen.bounds, numbers) for unit in units}
    yield from (made(phrases.on, day) for day in _named_days())
    bigger = [one for one in units if one is not Unit.DAY]
    if seen.is_single:
        yield from _points(units, bigger, counts)
        yield from _weekdays([])
        yield from _fixed(seen.said)
        return
    yield from simple_phrases(units, bigger, counts)
    yield from _fixed(seen.said)
    yield from _texts(bigger)
    yield from _open(units, bigger, counts, seen.sides)
    yield from _parts_of(bigger, counts)
    for rule in _simple():
        if rule.rank >= LATER:
            yield from _filled(rule, units, bigger, counts)
    yield from (made(rule) for rule in _shaped())
    yield from _named()
    yield from _shifted(bigger, counts)
    yield from _weekdays(counts[Unit.DAY])
    yield from _cut(units, counts)
    yield from _points(units, bigger, counts)
    yield from _rarer(bigger, counts, numbers)


def simple_phrases(
    units: list[Unit], bigger: list[Unit], counts: Mapping[Unit, list[int]]
) -> Iterator[Period]:
    """Units around the anchor and so many of them, but for how old something is."""
    for rule in _simple():
        if rule.rank < LATER:
            yield from _filled(rule, units, bigger, counts)


def same_on(
    today: date, first: date, last: date, calendar: Calendar | None = None
) -> Iterator[Period]:
    """The simple phrases that have these dates on a day, in the order in which they are told.

    >>> [str(one) for one in same_on(date(2026, 7, 13), date(2026, 4, 1), date(2026, 6, 30))]
    ['previous quarter', 'last 3 whole months']
    """
    bounds = frozenset({(first - today).days, (last - today).days})
    # The last one of a kind is the previous one.
    counts = {unit: [n for n in counts_of(unit, bounds, set()) if n > 1] for unit in _UNITS}
    bigger = [unit for unit in _UNITS if unit is not Unit.DAY]
    days = (made(phrases.on, day) for day in _named_days())
    for phrase in (*days, *simple_phrases(list(_UNITS), bigger, counts)):
        with suppress(ResolveError):
            result = phrase.resolve(today=today, calendar=calendar)
            if (result.start, result.end) == (first, last):
                yield phrase


def _simple() -> list[Rule]:
    rules = [*_shaped("unit"), *_shaped("count", "units")]
    return sorted(rules, key=lambda rule: rule.rank)


def _named_days() -> list[Definition]:
    """Today and its like."""
    return [
        Definition(rule)
        for rule in _shaped(kind=Kind.POINT)
        if rule.asks == "clock" and not rule.is_instant
    ]


def _filled(
    rule: Rule, units: list[Unit], bigger: list[Unit], counts: Mapping[Unit, list[int]]
) -> Iterator[Period]:
    """A rule with units, and with counts where it takes them."""
    if rule.shape == ("unit",):
        yield from (made(rule, unit) for unit in bigger)
        return
    for unit in units:
        yield from (made(rule, n, unit) for n in counts[unit])


def _moves(count: int, unit: Unit, point: Definition) -> list[Definition]:
    """The points that lie so far before and after another one."""
    rules = _shaped("count", "units", "point", kind=Kind.POINT)
    return [Definition(rule, (count, unit, point)) for rule in rules]


def _points(
    units: list[Unit], bigger: list[Unit], counts: Mapping[Unit, list[int]]
) -> Iterator[Period]:
    today = Definition(phrases.today)
    for unit in units:
        for n in counts[unit]:
            yield from (made(phrases.on, point) for point in _moves(n, unit, today))
    for unit in bigger:
        for word in ("start of", "end of", "start of previous", "end of previous", "start of next"):
            yield period(f"{word} {unit.name}")


def counts_of(unit: Unit, bounds: frozenset[int], numbers: set[int]) -> list[int]:
    size = _LENGTHS[unit]
    near = {int(abs(bound) / size) + add for bound in bounds for add in (-1, 0, 1)}
    said = {n + add for n in numbers for add in (-1, 0, 1)}
    wide = {n for n in near | said if 0 < n * size <= WIDE}
    if len(near) > 60:
        wide &= said | set(range(1, 3))
    return sorted(wide, key=lambda n: (n not in numbers, n))


def _texts(units: list[Unit]) -> Iterator[Period]:
    for unit in units:
        for text in (
            f"{unit.name} to date except today",
            f"this {unit.name} only weekdays",
            f"{unit.name} to date only weekdays",
            f"{unit.name} to date only weekends",
            f"previous {unit.name} only weekdays",
            f"rest of {unit.name} except today",
            f"previous {unit.name} to date",
            f"{unit.name} to date as of yesterday",
        ):
            yield from _if_read(text)
    for text in (
        "all dates",
        "all dates only weekdays",
        "all dates only weekends",
        "until today",
        "before today",
        "after today",
        "from today",
        "until yesterday",
        "from tomorrow",
        "all dates except today",
    ):
        yield from _if_read(text)


_NAMED: Final = {
    "monthname": [NamedUnit(Unit.MONTH, month) for month in range(1, 13)],
    "unitname": [
        NamedUnit(unit, number)
        for unit, most in ((Unit.QUARTER, 4), (Unit.HALF, 2))
        for number in range(1, most + 1)
    ],
}
_WEEKS: Final = [NamedUnit(Unit.WEEK, week) for week in range(1, 54)]


def _named() -> Iterator[Period]:
    """Months, quarters and halves by their names."""
    names = {slot: list(given) for slot, given in _NAMED.items()}
    for slot, units in names.items():
        for rule in _shaped(slot):
            yield from (made(rule, name) for name in units)
    years = [made(rule, Unit.YEAR).definition for rule in _shaped("unit") if rule.place]
    for slot, units in names.items():
        for rule in _shaped(slot, "period"):
            yield from (made(rule, name, year) for year in years for name in units)
    for rule in _shaped("unitname"):
        yield from (made(rule, week) for week in _WEEKS)


def _parts_of(units: list[Unit], counts: Mapping[Unit, list[int]]) -> Iterator[Period]:
    """The first or last units of another one, and the Nth."""
    places = [rule for rule in _shaped("unit") if rule.place is not None]
    outer = [Definition(rule, (unit,)) for rule in places for unit in units]
    inside = (Unit.DAY, Unit.WEEK, Unit.MONTH, Unit.QUARTER)
    for inner in inside:
        for n in [1, *(one for one in counts.get(inner, [])[:8] if one > 1)]:
            for period_ in outer:
                if n == 1:
                    yield from _if_read(f"first {inner.name} of {period_}")
                    yield from _if_read(f"last {inner.name} of {period_}")
                else:
                    yield from (
                        made(rule, n, inner, period_)
                        for rule in _shaped("count", "units", "period")
                    )
    for place in (2, 3, 4):
        for inner in inside[1:]:
            for rule in _shaped("ordinal", "unit", "period"):
                yield from (made(rule, Ordinal(place), inner, period_) for period_ in outer)
    for rule in _shaped("unitname", "period"):
        for around in places:
            yield from (made(rule, week, made(around, Unit.YEAR).definition) for week in _WEEKS)


_WEEKDAY_FORMS: Final = (
    "{}",
    "last {}",
    "next {}",
    "this {}",
    "since {}",
    "{} of previous week",
    "{} of next week",
    "first {} of month",
    "last {} of month",
    "first {} of previous month",
    "last {} of previous month",
    "second {} of month",
    "third {} of month",
    "first {} of next month",
)


def _weekdays(counts: list[int]) -> Iterator[Period]:
    """Rows of some weekdays, and single weekdays."""
    for n in counts:
        for word in ("weekdays", "weekends"):
            yield from _if_read(f"last {n} rolling days only {word}")
            yield from _if_read(f"last {n} whole days only {word}")
    for day in WEEKDAYS:
        for form in _WEEKDAY_FORMS:
            yield from _if_read(form.format(day))


@lru_cache(maxsize=4096)
def _read(text: str) -> Period | None:
    try:
        return period(text)
    except UlnagerError:
        return None


def _if_read(text: str) -> Iterator[Period]:
    found = _read(text)
    if found is not None:
        yield found


def _fixed(said: str) -> Iterator[Period]:
    """Of dates that are typed."""
    days = []
    for text in re.findall(r"\d{4}-\d\d-\d\d", said) + re.findall(r"\b\d{8}\b", said):
        try:
            days.append(
                date.fromisoformat(text)
                if "-" in text
                else datetime.strptime(text, "%Y%m%d").date()
            )
        except ValueError:
            continue
    around = {
        date_of(one.toordinal() + add)
        for one in days
        for add in (-1, 0, 1)
        if 1 < one.toordinal() < 3_652_058
    }
    # Those that are typed go before their neighbours.
    near = sorted(around, key=lambda one: (one not in days, one))
    for year in sorted({int(one) for one in re.findall(r"\b(?:19|20)\d\d\b", said)}):
        yield from _if_read(str(year))
        for month in range(1, 13):
            if re.search(rf"\b0?{month}\b", said):
                yield from _if_read(f"{year}-{month:02}")
    for first in near[:8]:
        yield from _if_read(f"{first}")
        for word in ("from", "until", "before", "after"):
            yield from _if_read(f"{word} {first}")
        yield from _if_read(f"from {first} to today")
        yield from _if_read(f"from {first} to yesterday")
        for last in near[:8]:
            if first < last:
                yield from _if_read(f"from {first} to {last}")


def _open(
    units: list[Unit],
    bigger: list[Unit],
    counts: Mapping[Unit, list[int]],
    sides: tuple[bool, bool],
) -> Iterator[Period]:
    """From, until, before and after points, as the sides are open or not."""
    points: list[Definition] = []
    for unit in bigger:
        for words in (
            "start of",
            "end of",
            "start of previous",
            "end of previous",
            "start of next",
        ):
            found = _read(f"{words} {unit.name}")
            if found is not None:
                points.append(found.definition.args[0])
    today = Definition(phrases.today)
    for unit in units:
        for n in counts[unit]:
            points += _moves(n, unit, today)
    for unit in bigger:
        start = _read(f"start of {unit.name}")
        assert start is not None
        for n in counts[unit]:
            points += _moves(n, unit, start.definition.args[0])
    if any(sides):
        points += list(_edges(bigger, counts))
    rules = [rule for rule in _shaped("point") if rule.opens == sides and not rule.of_point]
    # Those that hold the day of the point go first.
    rules.sort(key=lambda rule: rule.ends not in (("begin", "day"), ("day", "finish")))
    for point in points:
        yield from (made(rule, point) for rule in rules)
    if any(sides):
        return
    for point in points:
        for end in _named_days():
            for rule in _shaped("point", "point"):
                yield made(rule, point, end)
                yield made(rule, end, point)


def _edges(units: list[Unit], counts: Mapping[Unit, list[int]]) -> Iterator[Definition]:
    """Units before and after the edges of other units."""
    for words in ("end of", "start of previous", "end of previous", "start of next", "end of next"):
        for unit in units:
            base = period(f"{words} {unit.name}").definition.args[0]
            for n in counts[unit]:
                yield from _moves(n, unit, base)


def _cut(units: list[Unit], counts: Mapping[Unit, list[int]]) -> Iterator[Period]:
    """Rolling units within another one, or without the running one."""
    for unit in units:
        for n in counts[unit][:6]:
            yield from _if_read(f"last {n} {unit.plural} to date except this {unit.name}")
            for other in ("week", "month", "quarter", "year"):
                yield from _if_read(f"last {n} rolling {unit.plural} within this {other}")
    for unit in units:
        yield from _if_read(f"previous {unit.name} plus today")
        yield from _if_read(f"this {unit.name} except (today plus tomorrow)")


def _shifted(units: list[Unit], counts: Mapping[Unit, list[int]]) -> Iterator[Period]:
    bases = [made(rule, unit).definition for rule in _usual() for unit in units]
    bases += [
        made(rule, n, unit).definition
        for rule in _usual_counted()
        for unit in units
        for n in counts[unit][:4]
    ]
    for shift in (Unit.YEAR, Unit.QUARTER, Unit.MONTH, Unit.WEEK):
        usual = (1, 2, 3, 52) if shift is Unit.WEEK else (1, 2)
        for n in [*usual, *(one for one in counts.get(shift, [])[:3] if one not in usual)]:
            for rule in _shifts():
                yield from (made(rule, base, n, shift) for base in bases)


@lru_cache(maxsize=1)
def _shifts() -> tuple[Rule, ...]:
    return tuple(rule for rule in RULES.values() if rule.kind is Kind.SHIFT)


def _usual() -> list[Rule]:
    """This unit, the one before, and the running one so far."""
    return [rule for rule in _shaped("unit") if rule.rank < OTHER and rule.place != 1]


def _usual_counted() -> list[Rule]:
    return [
        rule for rule in _shaped("count", "units") if rule.rank < OTHER and rule.family == "last"
    ]


def _rarer(
    units: list[Unit], counts: Mapping[Unit, list[int]], numbers: set[int]
) -> Iterator[Period]:
    """Weeks of years, periods as of the edges of others, and two shifts on end."""
    for edge in ("end of previous", "start of", "end of"):
        for outer in units:
            point = period(f"{edge} {outer.name}").definition.args[0]
            for unit in units:
                so_far = (rule for rule in _usual() if rule.place is None)
                yield from (_as_of(made(rule, unit), point) for rule in so_far)
            for n in sorted(numbers)[:4]:
                for rule in _usual_counted():
                    yield from (_as_of(made(rule, n, unit), point) for unit in units)
    bases = [made(rule, unit) for rule in _usual() for unit in units]
    rolling = _usual_counted()[0]
    bases += [made(rolling, n, unit) for unit in units for n in counts[unit][:2]]
    weeks = sorted({n // 7 + add for n in numbers for add in (0, 1) if n // 7 + add} | {1})
    moves = [
        (n, unit)
        for unit in (Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.YEAR)
        for n in (weeks[:3] if unit is Unit.WEEK else (1, 2))
    ]
    for base in bases:
        for one in moves:
            for other in moves:
                for first in _shifts():
                    for second in _shifts():
                        moved = Definition(first, (base.definition, *one))
                        yield made(second, moved, *other)


def _as_of(phrase: Period, point: Definition) -> Period:
    return made(phrases.as_of, phrase.definition, point)

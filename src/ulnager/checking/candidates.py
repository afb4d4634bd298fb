"""Phrases that a condition may be, in the order in which they are told."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from datetime import date, datetime
from functools import lru_cache
from typing import Any, Final, NamedTuple

from ulnager.core.calendars.daynumbers import date_of
from ulnager.core.errors import UlnagerError
from ulnager.core.language.period import Period, period
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.names import NamedUnit, Ordinal
from ulnager.core.periods.phrases import RULES
from ulnager.core.units import Unit

WIDE: Final = 4_200
"""So far from the clock's day bounds are looked for."""
_UNITS: Final = (Unit.YEAR, Unit.HALF, Unit.QUARTER, Unit.MONTH, Unit.WEEK, Unit.DAY)
_LENGTHS: Final = {Unit.YEAR: 365.25, Unit.HALF: 182.6, Unit.QUARTER: 91.3, Unit.MONTH: 30.44,
                   Unit.WEEK: 7.0, Unit.DAY: 1.0}  # fmt: skip
_NAMES: Final = {
    "year": Unit.YEAR, "yy": Unit.YEAR, "yyyy": Unit.YEAR, "quarter": Unit.QUARTER,
    "qq": Unit.QUARTER, "q": Unit.QUARTER, "month": Unit.MONTH, "mm": Unit.MONTH, "mon": Unit.MONTH,
    "eomonth": Unit.MONTH, "last_day": Unit.MONTH, "add_months": Unit.MONTH, "week": Unit.WEEK,
    "isoweek": Unit.WEEK, "yearweek": Unit.WEEK, "day": Unit.DAY, "dd": Unit.DAY,
    "date_add": Unit.DAY, "date_sub": Unit.DAY, "datediff": Unit.DAY,
}  # fmt: skip


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


def made(key: str, *args: Any) -> Period:
    return Period(Definition(RULES[key], args))


def of_anchor(phrase: Period) -> Period | None:
    """A phrase that names the clock's day, with the anchor's in its place; None for other words
    of the clock, which stay with it whatever the anchor."""
    if any(part.rule.key in ("yesterday", "tomorrow", "now") for part in phrase.definition.walk()):
        return None
    return Period(of_point(phrase.definition, "today", Definition(RULES["anchor_day"], ())))


def of_point(definition: Definition, key: str, other: Definition) -> Definition:
    """A definition with another point in the place of one."""
    if definition.rule.key == key:
        return other
    args = tuple(of_point(one, key, other) if isinstance(one, Definition) else one
                 for one in definition.args)  # fmt: skip
    return Definition(definition.rule, args)


def candidates(seen: Seen) -> Iterator[Period]:
    """Phrases that it may be, in the order in which they are told."""
    named, numbers = _named_in(seen.said), _numbers_in(seen.said)
    # A number without a unit counts days.
    units = [*named, *(one for one in _UNITS if one not in named)]
    if Unit.DAY not in named and numbers and not named:
        units = [Unit.DAY, *(one for one in units if one is not Unit.DAY)]
    counts = {unit: counts_of(unit, seen.bounds, numbers) for unit in units}
    for text in ("today", "yesterday", "tomorrow"):
        yield period(text)
    bigger = [one for one in units if one is not Unit.DAY]
    if seen.is_single:
        yield from _points(units, bigger, counts)
        yield from _weekdays([])
        yield from _fixed(seen.said)
        return
    for key in ("this", "previous", "following"):
        yield from (made(key, unit) for unit in bigger)
    yield from (made("to_date", unit) for unit in bigger)
    for key in ("last_rolling", "next_rolling", "last_whole", "next_whole"):
        yield from _counted(key, units, counts)
    # The other rows of the table, in its order.
    yield from (made("rest", unit) for unit in bigger)
    for key in ("last_to_date", "last_to_end", "next_from_date", "next_from_start"):
        yield from _counted(key, units, counts)
    yield from _fixed(seen.said)
    yield from _texts(bigger)
    yield from _open(units, bigger, counts, seen.sides)
    yield from _parts_of(bigger, counts)
    for key in ("at_least_ago", "more_than_ago", "at_most_ago", "less_than_ago"):
        yield from _counted(key, units, counts)
    yield from _named()
    yield from _shifted(bigger, counts)
    yield from _weekdays(counts[Unit.DAY])
    yield from _cut(units, counts)
    yield from _points(units, bigger, counts)
    yield from _rarer(bigger, counts, numbers)


def _counted(key: str, units: list[Unit], counts: Mapping[Unit, list[int]]) -> Iterator[Period]:
    for unit in units:
        yield from (made(key, n, unit) for n in counts[unit])


def _points(
    units: list[Unit], bigger: list[Unit], counts: Mapping[Unit, list[int]]
) -> Iterator[Period]:
    today = Definition(RULES["today"], ())
    for unit in units:
        for n in counts[unit]:
            for key in ("moved_before", "moved_after"):
                yield made("on", Definition(RULES[key], (n, unit, today)))
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
        for text in (f"{unit.name} to date except today", f"this {unit.name} only weekdays",
                     f"{unit.name} to date only weekdays", f"{unit.name} to date only weekends",
                     f"previous {unit.name} only weekdays", f"rest of {unit.name} except today",
                     f"previous {unit.name} to date",
                     f"{unit.name} to date as of yesterday"):  # fmt: skip
            yield from _if_read(text)
    for text in ("all dates", "all dates only weekdays", "all dates only weekends",
                 "until today", "before today", "after today", "from today", "until yesterday",
                 "from tomorrow", "all dates except today"):  # fmt: skip
        yield from _if_read(text)


_MONTHS: Final = (
    "january", "february", "march", "april", "may", "june", "july", "august", "september",
    "october", "november", "december",
)  # fmt: skip


def _named() -> Iterator[Period]:
    """Months, quarters and halves by their names."""
    names = [*_MONTHS, "Q1", "Q2", "Q3", "Q4", "H1", "H2"]
    for form in ("{}", "last {}", "next {}", "{} of previous year", "{} of next year"):
        for name in names:
            yield from _if_read(form.format(name))
    for key in ("named_unit", "last_unit", "next_unit"):
        yield from (made(key, NamedUnit(Unit.WEEK, week)) for week in range(1, 54))


def _parts_of(units: list[Unit], counts: Mapping[Unit, list[int]]) -> Iterator[Period]:
    """The first or last units of another one, and the Nth."""
    outer = [Definition(RULES[key], (unit,)) for key in ("this", "previous", "following")
             for unit in units]  # fmt: skip
    inside = (Unit.DAY, Unit.WEEK, Unit.MONTH, Unit.QUARTER)
    for inner in inside:
        for n in [1, *(one for one in counts.get(inner, [])[:6] if one > 1)]:
            for period_ in outer:
                if n == 1:
                    yield from _if_read(f"first {inner.name} of {period_}")
                    yield from _if_read(f"last {inner.name} of {period_}")
                else:
                    yield made("first_of", n, inner, period_)
                    yield made("last_of", n, inner, period_)
    for place in (2, 3, 4):
        for inner in inside[1:]:
            yield from (made("nth_unit", Ordinal(place), inner, period_) for period_ in outer)
    for key in ("this", "previous", "following"):
        year = Definition(RULES[key], (Unit.YEAR,))
        for n in range(1, 54):
            yield made("unit_of_period", NamedUnit(Unit.WEEK, n), year)


_WEEKDAY_FORMS: Final = (
    "{}", "last {}", "next {}", "this {}", "since {}", "{} of previous week", "{} of next week",
    "first {} of month", "last {} of month", "first {} of previous month",
    "last {} of previous month", "second {} of month",
    "third {} of month", "first {} of next month",
)  # fmt: skip


def _weekdays(counts: list[int]) -> Iterator[Period]:
    """Rows of some weekdays, and single weekdays."""
    for n in counts:
        for word in ("weekdays", "weekends"):
            yield from _if_read(f"last {n} rolling days only {word}")
            yield from _if_read(f"last {n} whole days only {word}")
    for day in ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"):
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
            days.append(date.fromisoformat(text) if "-" in text
                        else datetime.strptime(text, "%Y%m%d").date())  # fmt: skip
        except ValueError:
            continue
    around = {date_of(one.toordinal() + add) for one in days for add in (-1, 0, 1)
              if 1 < one.toordinal() < 3_652_058}  # fmt: skip
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
    this = Definition
    for unit in bigger:
        for words in ("start of", "end of", "start of previous", "end of previous",
                      "start of next"):  # fmt: skip
            found = _read(f"{words} {unit.name}")
            if found is not None:
                points.append(found.definition.args[0])
    today = this(RULES["today"], ())
    for unit in units:
        for n in counts[unit]:
            points += [
                this(RULES[key], (n, unit, today)) for key in ("moved_before", "moved_after")
            ]
    for unit in bigger:
        start = _read(f"start of {unit.name}")
        assert start is not None
        for n in counts[unit]:
            for key in ("moved_before", "moved_after"):
                points.append(this(RULES[key], (n, unit, start.definition.args[0])))
    if any(sides):
        points += list(_edges(bigger, counts))
    keys = {(True, False): ("until", "before"), (False, True): ("from", "after"),
            (False, False): ("since",)}.get(sides, ())  # fmt: skip
    for point in points:
        yield from (made(key, point) for key in keys)
    if any(sides):
        return
    ends = [today, *(this(RULES[key], ()) for key in ("yesterday", "tomorrow"))]
    for point in points:
        for end in ends:
            yield made("between", point, end)
            yield made("between", end, point)


def _edges(units: list[Unit], counts: Mapping[Unit, list[int]]) -> Iterator[Definition]:
    """Units before and after the edges of other units."""
    for words in ("end of", "start of previous", "end of previous", "start of next", "end of next"):
        for unit in units:
            base = period(f"{words} {unit.name}").definition.args[0]
            for n in counts[unit]:
                for key in ("moved_before", "moved_after"):
                    yield Definition(RULES[key], (n, unit, base))


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
    bases = [Definition(RULES[key], (unit,)) for key in ("this", "previous", "to_date")
             for unit in units]  # fmt: skip
    bases += [Definition(RULES[key], (n, unit)) for key in ("last_rolling", "last_whole")
              for unit in units for n in counts[unit][:4]]  # fmt: skip
    for shift in (Unit.YEAR, Unit.QUARTER, Unit.MONTH, Unit.WEEK):
        usual = (1, 2, 3, 52) if shift is Unit.WEEK else (1, 2)
        for n in [*usual, *(one for one in counts.get(shift, [])[:3] if one not in usual)]:
            for key in ("earlier", "later"):
                yield from (made(key, base, n, shift) for base in bases)


def _rarer(
    units: list[Unit], counts: Mapping[Unit, list[int]], numbers: set[int]
) -> Iterator[Period]:
    """Weeks of years, periods as of the edges of others, and two shifts on end."""
    for edge in ("end of previous", "start of", "end of"):
        for outer in units:
            point = period(f"{edge} {outer.name}").definition.args[0]
            for unit in units:
                yield made("as_of", Definition(RULES["to_date"], (unit,)), point)
            for n in sorted(numbers)[:4]:
                for key in ("last_rolling", "last_whole"):
                    yield from (made("as_of", Definition(RULES[key], (n, unit)), point)
                                for unit in units)  # fmt: skip
    bases = [made(key, unit) for key in ("this", "previous", "to_date") for unit in units]
    bases += [made("last_rolling", n, unit) for unit in units for n in counts[unit][:2]]
    weeks = sorted({n // 7 + add for n in numbers for add in (0, 1) if n // 7 + add} | {1})
    moves = [(n, unit) for unit in (Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.YEAR)
             for n in (weeks[:3] if unit is Unit.WEEK else (1, 2))]  # fmt: skip
    for base in bases:
        for one in moves:
            for other in moves:
                for first in ("earlier", "later"):
                    for second in ("earlier", "later"):
                        moved = Definition(RULES[first], (base.definition, *one))
                        yield made(second, moved, *other)

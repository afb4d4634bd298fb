"""Notes on phrases that are taken for each other, and on names that stand alone."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Final

from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import ResolveError
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.names import NamedUnit, Ordinal, Weekday
from ulnager.core.periods.phrases.around import to_date
from ulnager.core.periods.phrases.ends import after, before, labelled, until
from ulnager.core.periods.phrases.named import unit_of_period
from ulnager.core.periods.phrases.parts_of import first_of, last_of, nth_unit, starting
from ulnager.core.periods.phrases.points import moved_after, today
from ulnager.core.periods.phrases.rolling_and_whole import last_to_date
from ulnager.core.periods.phrases.shifts import earlier
from ulnager.core.periods.rule import Kind
from ulnager.core.text import pattern
from ulnager.core.units import Unit

Shown = Callable[[Definition, Basis], str]


def twin_notes(definition: Definition, basis: Basis, shown: Shown) -> Iterator[str]:
    """What else a phrase could be taken for, with the other phrase; ``shown`` tells dates."""
    if definition.rule.kind is Kind.BASIS:
        yield from twin_notes(definition.args[0], definition.changed(basis), shown)
        return
    if basis.in_instants or definition.is_sub_day:
        return
    for part in definition.walk():
        for other in _twins(part):
            try:
                if other.ranges(basis) != part.ranges(basis):
                    yield f"'{part}' is not '{other}', which is {shown(other, basis)}"
            except ResolveError:
                continue
        yield from _name_notes(part, basis)


def _twins(part: Definition) -> Iterator[Definition]:
    rule, args = part.rule, part.args
    if rule is earlier and args[0].rule is to_date:
        if args[1:] == (1, args[0].unit):
            yield Definition(last_to_date, (1, args[2]))
    elif rule is last_to_date and args[0] == 1:
        yield Definition(earlier, (Definition(to_date, (args[1],)), 1, args[1]))
    elif rule is nth_unit:
        number, unit, period = args[0].number, args[1], args[2]
        if number in (1, -1):
            yield Definition(first_of if number > 0 else last_of, (1, unit, period))
        if unit is Unit.WEEK and 1 <= number <= 53:
            yield Definition(unit_of_period, (NamedUnit(Unit.WEEK, number), period))
    elif rule in (first_of, last_of) and args[0] == 1:
        yield Definition(nth_unit, (Ordinal(1 if rule is first_of else -1), *args[1:]))
    elif rule is unit_of_period and args[0].unit is Unit.WEEK:
        yield Definition(nth_unit, (Ordinal(args[0].number), Unit.WEEK, args[1]))


def _name_notes(part: Definition, basis: Basis) -> Iterator[str]:
    rule, args = part.rule, part.args
    if rule in (until, before, after):
        name = _plain_name(args[0])
        if name is not None:
            what = "up to the anchor day" if isinstance(name, Weekday) else "that has begun"
            day = date_of(args[0].day(basis))
            yield (
                f"'{name}' alone is the latest one {what}, so this is {rule.key} {day}; the one to "
                f"come is 'next {name}'"
            )
    elif rule is starting and args[2].rule is today:
        ahead = Definition(moved_after, args)
        yield f"'{part}' begins today; the one day that lies so far ahead is '{ahead}'"
    elif rule is labelled:
        text = args[0].text
        fiscal = fiscal_label(text, basis)
        if fiscal is not None:
            part_of_year, year = text.split()
            common = f"{year}-{part_of_year}" if text[0] == "Q" else f"{text} in gregorian"
            yield f"'{text}' is '{fiscal}' in this calendar; the Gregorian one is '{common}'"


def _plain_name(point: Definition) -> Weekday | NamedUnit | None:
    if point.rule.is_day_name:
        day: Weekday = point.args[0]
        return day
    inside = point.edge_of
    if inside is not None and inside.rule.is_name:
        name: NamedUnit = inside.args[0]
        return name
    return None


_PART_OF_YEAR: Final = pattern(r"[QH][1-4] \d{4}")


def fiscal_label(text: str, basis: Basis) -> str | None:
    """``Q1 FY2026`` for ``Q1 2026`` where years are not the Gregorian ones; else None."""
    if not _PART_OF_YEAR.fullmatch(text) or basis.calendar._labelled(text) is not None:
        return None
    fiscal = text.replace(" ", " FY")
    return None if basis.calendar._labelled(fiscal) is None else fiscal

"""Phrases that are taken for each other: the same count in another unit, or a day more."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from ulnager.core.periods import phrases
from ulnager.core.periods.definitions import Definition
from ulnager.core.units import Unit

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
            others = [(count // _TAKEN_FOR[other], other) for other in _TAKEN_FOR
                      if count % _TAKEN_FOR[other] == 0][:1]  # fmt: skip
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

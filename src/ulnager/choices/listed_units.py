"""The units that the data holds, as viewers choose among them."""

from __future__ import annotations

from datetime import date
from typing import Any, NamedTuple

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.day_numbers import date_of
from ulnager.core.language.inputs import Input
from ulnager.core.periods import phrases
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.names import Label
from ulnager.core.periods.spans import FixedDates
from ulnager.core.units import Unit


class Listed(NamedTuple):
    """A unit that the data holds; ``options`` are the finer ones under it."""

    key: str
    label: str
    start: date
    end: date
    whole: bool
    options: tuple[Listed, ...] = ()

    @property
    def definition(self) -> Definition:
        """Its dates, as a phrase says them."""
        start, stop = self.start.toordinal(), self.end.toordinal() + 1
        if self.key[:1].isdigit():
            return Definition(phrases.fixed, (FixedDates(self.key, start, stop, _UNITS.get(
                len(self.key) + 10 * ("W" in self.key))),))  # fmt: skip
        return Definition(phrases.labelled, (Label(self.label),))


_UNITS = {4: Unit.YEAR, 7: Unit.MONTH, 18: Unit.WEEK}


def listed(made: Input, calendar: Calendar, extent: Extent) -> tuple[Listed, ...]:
    """All the units from the first to the last date of the data, less those without rows."""
    unit = calendar.unit_named(made.unit or "week")
    finest = _units(calendar, unit, extent)
    if made.order == "newest":
        finest.reverse()
    if made.under is None:
        return tuple(finest)
    coarse = _units(calendar, calendar.unit_named(made.under), extent)
    if made.order == "newest":
        coarse.reverse()
    found = []
    for outer in coarse:
        inside = tuple(one for one in finest if outer.start <= one.start <= outer.end)
        # A unit that begins before the data stands under the first one.
        if outer is coarse[-1 if made.order == "newest" else 0]:
            before = tuple(one for one in finest if one.start < outer.start)
            inside = (*inside, *before) if made.order == "newest" else (*before, *inside)
        found.append(outer._replace(options=inside))
    # One whose coarser unit has no rows stands by itself.
    under = {one.key for outer in found for one in outer.options}
    found += [one for one in finest if one.key not in under]
    return tuple(sorted(found, key=lambda one: one.start, reverse=made.order == "newest"))


def _units(calendar: Calendar, unit: Unit, extent: Extent) -> list[Listed]:
    first, last = extent.first.toordinal(), extent.last.toordinal()
    found, start = [], calendar.unit_start(first, unit)
    while start <= last:
        stop = calendar.unit_stop(start, unit)
        low, high = max(start, first), min(stop, last + 1)
        is_missing = any(
            (a is None or a <= low) and (b is None or high <= b) for a, b in extent.missing
        )
        if not is_missing:
            label = calendar.label(date_of(start), unit)
            found.append(
                Listed(
                    _key(calendar, unit, start, label),
                    label,
                    date_of(start),
                    date_of(stop - 1),
                    first <= start and stop - 1 <= last,
                )
            )
        start = stop
    return found


def _key(calendar: Calendar, unit: Unit, start: int, label: str) -> str:
    """The ISO form where there is one, else the label in small letters with hyphens."""
    day = date_of(start)
    if unit is Unit.DAY:
        return day.isoformat()
    if unit is Unit.MONTH and day.day == 1 and not calendar.has_periods:
        return f"{day.year:04}-{day.month:02}"
    if (unit is Unit.WEEK and label[4:6] == "-W") or (unit is Unit.YEAR and label.isdigit()):
        return label
    return "-".join(label.lower().split())


def flat(options: tuple[Listed, ...]) -> dict[str, Listed]:
    """Units of all depths by their keys."""
    found: dict[str, Any] = {}
    for one in options:
        found[one.key] = one
        found.update({inner.key: inner for inner in one.options})
    return found


def offered(made: Input, options: tuple[Listed, ...], chosen: frozenset[str]) -> tuple[Listed, ...]:
    """The first ones up to the limit, and those that are chosen."""
    if made.limit is None:
        return options
    left, found = made.limit, []
    for one in options:
        if made.under is None or not one.options:
            if left > 0 or one.key in chosen:
                found.append(one)
            left -= 1
            continue
        inside = []
        for inner in one.options:
            if left > 0 or inner.key in chosen:
                inside.append(inner)
            left -= 1
        if inside or one.key in chosen:
            found.append(one._replace(options=tuple(inside)))
    return tuple(found)

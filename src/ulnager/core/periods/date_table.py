"""A calendar written out: one row a day, for tools that can only join.

Every column is an array of one length, so a table of centuries costs a few array sums; what
is the same for all days of a unit is worked out once a unit.
"""

from __future__ import annotations

from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import SettingError
from ulnager.core.periods.anchors import Anchor
from ulnager.core.periods.clock import as_day
from ulnager.core.units import EPOCH, WEEKDAYS, Unit


@checked(
    calendar=Wanted((Calendar,), "a calendar"),
    first=Wanted((date,), "a date"),
    last=Wanted((date,), "a date"),
    anchor=Wanted((Anchor,), "an anchor, such as result.anchor"),
)
def date_table(
    calendar: Calendar, first: date, last: date, anchor: Anchor
) -> dict[str, NDArray[Any]]:
    """A column for each thing that can be said of a day, from ``first`` to ``last``.

    ``date``, ``weekday`` (1 for a Monday, ISO 8601), ``weekday_name``, ``iso_year``, ``iso_week``,
    ``is_business_day``, ``business_day_index`` and ``days_from_anchor``; then for each unit of
    the calendar its ``_index`` (which counts on from unit to unit), ``_label``, ``_short``,
    ``_start``, ``_end``, ``_day`` (the place in the unit, from 1) and ``_is_whole`` (whether the
    unit is over as of the anchor), and after its plural ``_from_anchor`` (0 around the anchor, -1
    for the unit before). All have the shape (days,).

    >>> from ulnager import GREGORIAN
    >>> anchor = Anchor(date(2026, 5, 20), True, "today")
    >>> made = date_table(GREGORIAN, date(2026, 5, 1), date(2026, 5, 31), anchor)
    >>> made["date"].shape, [str(label) for label in made["week_label"][[0, -1]]]
    ((31,), ['2026-W18', '2026-W22'])

    Raises SettingError when ``last`` comes before ``first``, ResolveError where the calendar
    has no units.
    """
    first, last = as_day(first, "first"), as_day(last, "last")
    if last < first:
        raise SettingError(f"the table would end on {last}, before it begins on {first}")
    low, high = first.toordinal(), last.toordinal()
    days = np.arange(low, high + 1, dtype=np.int64)
    weekday = (days - 1) % 7
    thursday = days - weekday + 3
    iso_year = _dates(thursday).astype("datetime64[Y]")
    positions = calendar.business._positions(low, high + 1)
    anchor_day = anchor.day.toordinal()
    table: dict[str, NDArray[Any]] = {
        "date": _dates(days),
        "weekday": weekday + 1,
        "weekday_name": np.array([name.title() for name in WEEKDAYS])[weekday],
        "iso_year": iso_year.astype(np.int64) + 1970,
        "iso_week": (thursday - EPOCH - iso_year.astype("datetime64[D]").astype(np.int64)) // 7 + 1,
        "is_business_day": positions[1:] > positions[:-1],
        "is_holiday": np.isin(days, [day.toordinal() for day in calendar.business.holidays]),
        "business_day_index": positions[1:],
        "days_from_anchor": days - anchor_day,
    }
    open_day = anchor_day + (not anchor.running)
    for unit in calendar.units:
        table |= _unit_columns(calendar, unit, low, high, anchor_day, open_day)
    return table


def _unit_columns(
    calendar: Calendar, unit: Unit, low: int, high: int, anchor_day: int, open_day: int
) -> dict[str, NDArray[Any]]:
    name, plural = unit.name.replace(" ", "_"), unit.plural.replace(" ", "_")
    first, last = calendar._unit_number(low, unit), calendar._unit_number(high, unit)
    edges = calendar._unit_starts(unit, first, last + 1)
    starts, stops = edges[:-1], edges[1:]
    cuts = edges.copy()
    cuts[0], cuts[-1] = low, high + 1
    units = np.repeat(np.arange(last - first + 1), np.diff(cuts))
    begins = [date_of(start) for start in starts.tolist()]
    long, short = (
        np.array([calendar.label(begin, unit, short=brief) for begin in begins])
        for brief in (False, True)
    )
    return {
        f"{name}_index": units + first,
        f"{name}_label": long[units],
        f"{name}_short": short[units],
        f"{name}_start": _dates(starts)[units],
        f"{name}_end": _dates(stops - 1)[units],
        f"{name}_day": np.arange(low, high + 1) - starts[units] + 1,
        f"{name}_is_whole": (stops <= open_day)[units],
        f"{plural}_from_anchor": units + (first - calendar._unit_number(anchor_day, unit)),
    }


def _dates(days: NDArray[np.int64]) -> NDArray[Any]:
    dates: NDArray[Any] = (days - EPOCH).astype("datetime64[D]")
    return dates

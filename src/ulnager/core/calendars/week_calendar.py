"""Calendars of whole weeks: 4-4-5 and its kin, and thirteen periods of four weeks.

A year ends on a given weekday: the last one in a month, or the one nearest to the month's
end. It has 52 weeks, or 53, and the extra week goes to one period. These are the usual
retail and manufacturing calendars; the two ways to end a year are those of US tax law
(26 CFR 1.441-2).
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from itertools import accumulate
from typing import TYPE_CHECKING, Final

from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.business import BusinessDays
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import checked_cycles
from ulnager.core.calendars.zones import civil_of, days_in_month, number_of
from ulnager.core.errors import SettingError
from ulnager.core.units import LONG_MONTHS, WEEKDAYS, Unit
from ulnager.core.values import Json

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

LAYOUTS: Final[dict[str, tuple[int, ...]]] = {
    "4-4-5": (4, 4, 5) * 4,
    "4-5-4": (4, 5, 4) * 4,
    "5-4-4": (5, 4, 4) * 4,
    "13x4": (4,) * 13,
}
_PERIODS_IN: Final[dict[int, dict[Unit, tuple[int, ...]]]] = {
    # How many periods each quarter and each half has; of thirteen the last ones have one more.
    12: {Unit.QUARTER: (3, 3, 3, 3), Unit.HALF: (6, 6), Unit.YEAR: (12,)},
    13: {Unit.QUARTER: (3, 3, 3, 4), Unit.HALF: (6, 7), Unit.YEAR: (13,)},
}


class WeekCalendar(Calendar):
    """Years of 52 or 53 whole weeks.

    ``layout`` is ``"4-4-5"``, ``"4-5-4"``, ``"5-4-4"`` or ``"13x4"``: the weeks of each period.
    A year ends on the weekday ``last_day``: with ``ends="last"`` the last one in the month
    ``month``, with ``ends="nearest"`` the one nearest to that month's last day.
    ``long_period`` gets the 53rd week; without it the last period does. ``year_named_by`` says
    whether a year is named by the calendar year in which it ends or the one before it.

    A month is a period. Days moved by a unit keep their week and weekday in it; where the
    53rd week of a year, or the fifth of a period, has no partner, the last week stands in.

    >>> from datetime import date
    >>> shop = WeekCalendar("4-5-4", last_day="saturday", month="january", ends="nearest")
    >>> shop.floor(date(2026, 5, 20), Unit.YEAR), shop.floor(date(2026, 5, 20), Unit.MONTH)
    (datetime.date(2026, 2, 1), datetime.date(2026, 5, 3))

    Raises SettingError for a layout, weekday, month or rule that is not known.
    """

    _FIELDS = (
        "layout",
        "last_day",
        "month",
        "ends",
        "long_period",
        "year_named_by",
        "business",
        "cycles",
    )
    kind = "weeks"

    @property
    def _has_periods(self) -> bool:
        """Its months are periods."""
        return True

    @checked(
        ends=Wanted((str,), "'last' or 'nearest'"),
        month=Wanted((str,), "a month"),
        last_day=Wanted((str,), "a weekday"),
        year_named_by=Wanted((str,), "'start' or 'end'"),
        long_period=Wanted((int, type(None)), "the number of a period"),
        business=Wanted((BusinessDays, type(None)), "a BusinessDays"),
        cycles=Wanted((Iterable,), "units that own_unit made"),
    )
    def __init__(
        self,
        layout: str = "4-4-5",
        last_day: str = "saturday",
        month: str = "december",
        ends: str = "last",
        long_period: int | None = None,
        year_named_by: str = "end",
        business: BusinessDays | None = None,
        cycles: Iterable[Unit] = (),
    ) -> None:
        given = {
            "layout": layout,
            "last_day": last_day,
            "month": month,
            "ends": ends,
            "year_named_by": year_named_by,
        }
        known: dict[str, Iterable[str]] = {
            "layout": LAYOUTS,
            "last_day": WEEKDAYS,
            "month": LONG_MONTHS,
            "ends": ("last", "nearest"),
            "year_named_by": ("start", "end"),
        }
        for name, value in given.items():
            if str(value).lower() not in known[name]:
                raise SettingError(f"{name} is {value!r}; choose {', '.join(known[name])}")
        weeks = LAYOUTS[layout]
        long_period = len(weeks) if long_period is None else long_period
        if long_period not in range(1, len(weeks) + 1):
            raise SettingError(
                f"long_period is {long_period!r}; give a period from 1 to {len(weeks)}"
            )
        self._put(
            layout=layout,
            last_day=last_day.lower(),
            month=month.lower(),
            ends=ends,
            long_period=long_period,
            year_named_by=year_named_by,
            business=business or BusinessDays(),
            cycles=checked_cycles(cycles),
            _month=LONG_MONTHS.index(month.lower()) + 1,
            _weekday=WEEKDAYS.index(last_day.lower()),
            _starts={},
            # Days before each unit of a year, by unit, for years of 52 and of 53 weeks.
            _places=(
                _places(weeks),
                _places([n + (p == long_period) for p, n in enumerate(weeks, 1)]),
            ),
        )

    layout: str
    last_day: str
    month: str
    ends: str
    long_period: int
    year_named_by: str
    _month: int
    _weekday: int
    _starts: dict[int, int]
    _places: tuple[dict[Unit, tuple[int, ...]], dict[Unit, tuple[int, ...]]]

    # Years are numbered by the calendar year of the month that they end in.

    def _year_start(self, year: int) -> int:
        """The day number on which the year with that number starts."""
        found = self._starts.get(year)
        if found is None:
            found = self._starts[year] = self._year_end(year - 1) + 1
        return found

    def _year_end(self, year: int) -> int:
        month_end = number_of(year, self._month, days_in_month(year, self._month))
        latest = month_end + 3 if self.ends == "nearest" else month_end
        return latest - (latest - 1 - self._weekday) % 7

    def _year_of(self, day: int) -> int:
        year = civil_of(day)[0]
        while day >= self._year_start(year + 1):
            year += 1
        while day < self._year_start(year):
            year -= 1
        return year

    def _places_in(self, year: int, unit: Unit) -> tuple[int, ...]:
        """Days before each of its units, and its length at the end."""
        length = self._year_start(year + 1) - self._year_start(year)
        return self._places[length == 371][unit]

    def _has(self, unit: Unit) -> bool:
        return unit.months > 0

    def _in_each(self, unit: Unit, smaller: Unit) -> int:
        """How many of a smaller unit every such unit has; 0 when that varies.

        >>> WeekCalendar("13x4")._in_each(Unit.YEAR, Unit.MONTH)
        13
        """
        many, few = (len(self._places[0][u]) - 1 for u in (smaller, unit))
        size, rest = divmod(many, few)
        return 0 if rest else size

    def _unit_number(self, day: int, unit: Unit) -> int:
        if self._has(unit):
            year = self._year_of(day)
            places = self._places_in(year, unit)
            place = bisect_right(places, day - self._year_start(year)) - 1
            return year * (len(places) - 1) + place
        if unit is Unit.WEEK:
            return (day - 2 - self._weekday) // 7
        return day if unit is Unit.DAY else super()._unit_number(day, unit)

    def _start_of_number(self, number: int, unit: Unit) -> int:
        """The day number on which the unit with that number starts."""
        size = len(self._places[0][unit]) - 1
        year, place = divmod(number, size)
        return self._year_start(year) + self._places_in(year, unit)[place]

    def _unit_starts(self, unit: Unit, first: int, last: int) -> NDArray[np.int64]:
        import numpy as np

        if self._has(unit):
            size = len(self._places[0][unit]) - 1
            low, high = first // size, last // size
            edges = np.array([self._year_start(y) for y in range(low, high + 2)], dtype=np.int64)
            short, long = (np.array(places[unit][:-1]) for places in self._places)
            is_long = (np.diff(edges) == 371)[:, None]
            starts = (edges[:-1, None] + np.where(is_long, long, short)).ravel()
            return starts[first - low * size : last - low * size + 1]
        if unit is Unit.WEEK:
            return np.arange(first, last + 1, dtype=np.int64) * 7 + 2 + self._weekday
        if unit is Unit.DAY:
            return np.arange(first, last + 1, dtype=np.int64)
        return super()._unit_starts(unit, first, last)

    def _unit_start(self, day: int, unit: Unit) -> int:
        if self._has(unit):
            return self._start_of_number(self._unit_number(day, unit), unit)
        if unit is Unit.WEEK:
            return day - (day - 2 - self._weekday) % 7
        return day if unit is Unit.DAY else super()._unit_start(day, unit)

    def _move_start(self, start: int, unit: Unit, count: int) -> int:
        if not self._has(unit):
            if unit is Unit.WEEK or unit is Unit.DAY:
                return start + unit.days * count
            return super()._move_start(start, unit, count)
        number = self._unit_number(start, unit)
        here, there = (
            self._start_of_number(number, unit),
            self._start_of_number(number + count, unit),
        )
        if here == start:
            return there
        if self._unit_start(start, Unit.MONTH) != start:
            return self._move_day(start, unit, count)
        # The start of a period within a larger unit: the same period of the other one.
        month = Unit.MONTH
        ahead = self._unit_number(start, month) - self._unit_number(here, month)
        last = self._unit_number(self._start_of_number(number + count + 1, unit) - 1, month)
        return self._start_of_number(min(self._unit_number(there, month) + ahead, last), month)

    def _move_day(self, day: int, unit: Unit, count: int) -> int:
        if not self._has(unit):
            if unit is Unit.WEEK or unit is Unit.DAY:
                return day + unit.days * count
            return super()._move_day(day, unit, count)
        number = self._unit_number(day, unit)
        there, stop = (
            self._start_of_number(number + count, unit),
            self._start_of_number(number + count + 1, unit),
        )
        moved = there + day - self._start_of_number(number, unit)
        return moved if moved < stop else stop - 7 + (moved - there) % 7

    def _place_step(self, unit: Unit) -> int:
        return 7

    def _keeps(self, aligned: Unit, moved_by: Unit) -> Unit | None:
        # Days keep their week and weekday anyway, so that weeks moved as days stay weeks.
        if aligned.months and moved_by.months:
            return min(aligned, moved_by, key=lambda unit: unit.months)
        return super()._keeps(aligned, moved_by)

    def _varies(self, unit: Unit, smaller: Unit) -> bool:
        return 0 < smaller.months < unit.months and not self._in_each(unit, smaller)

    def _year_name(self, day: int) -> int:
        return self._year_of(day) - (self.year_named_by == "start")

    def describe(self) -> Json:
        return {
            "kind": self.kind,
            **{name: getattr(self, name) for name in self._FIELDS[:6]},
            **self._described_extras(),
        }

    def __str__(self) -> str:
        near = "last" if self.ends == "last" else "nearest"
        return (
            f"{self.layout} weeks, years to the {near} {self.last_day.title()} of "
            f"{self.month.title()}{self.business}"
        )


def _places(weeks: Iterable[int]) -> dict[Unit, tuple[int, ...]]:
    """Days before each unit of a year whose periods have so many weeks."""
    edges = [0, *accumulate(7 * n for n in weeks)]
    found = {Unit.MONTH: tuple(edges)}
    for unit, sizes in _PERIODS_IN[len(edges) - 1].items():
        found[unit] = tuple(edges[place] for place in (0, *accumulate(sizes)))
    return found

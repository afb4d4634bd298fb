"""The grain of a source: the unit that one stamp of it stands for, such as a month for a row."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date
from functools import lru_cache
from itertools import pairwise
from typing import Final, NamedTuple

from ulnager.core.arguments import shown
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import LAST_DAY, date_of
from ulnager.core.errors import FilterError, ResolveError, SettingError
from ulnager.core.periods.spans import Range, union
from ulnager.core.units import Unit

STAMPS: Final = ("first", "last")
FEWEST: Final = 6
"""So many stamps are needed to tell a grain by them."""

# The largest first: what stands on firsts of years stands on firsts of months too.
_UNITS: Final = (Unit.YEAR, Unit.HALF, Unit.QUARTER, Unit.MONTH, Unit.WEEK)
_SAMPLE: Final = (date(1990, 1, 1).toordinal(), date(2060, 1, 1).toordinal())


class Grain(NamedTuple):
    """The unit that a stamp stands for, the day of it that is written, ``first`` or ``last``, and
    the calendar that the unit is of.

    >>> month = Grain(Unit.MONTH)
    >>> month.around(date(2026, 2, 1))
    (datetime.date(2026, 2, 1), datetime.date(2026, 2, 28))
    >>> str(month)
    'month, stamped on its first day'
    """

    unit: Unit
    stamps: str = "first"
    calendar: Calendar = GREGORIAN

    def __str__(self) -> str:
        return f"{self.unit}, stamped on its {self.stamps} day"

    def range_around(self, day: int) -> tuple[int, int]:
        """The unit around a day, as day numbers."""
        start = self.calendar._unit_start(day, self.unit)
        return start, self.calendar._move_start(start, self.unit, 1)

    def around(self, day: date) -> tuple[date, date]:
        """The first and the last day of the unit around a day, as far as years 1 to 9999 go."""
        start, stop = self.range_around(day.toordinal())
        return date_of(max(start, 1)), date_of(min(stop - 1, LAST_DAY))

    def fits(self, day: date) -> bool:
        """Whether a stamp stands where this grain has its stamps."""
        return self.around(day)[STAMPS.index(self.stamps)] == day

    def gaps(self, stamps: Sequence[date]) -> tuple[Range, ...]:
        """The units without a stamp between the first and the last one, as day numbers."""
        found: list[Range] = []
        for one, following in pairwise(stamps):
            after = self.range_around(one.toordinal())[1]
            before = self.range_around(following.toordinal())[0]
            if after < before:
                found.append((after, before))
        return union(found)

    def count(self, ranges: Iterable[Range]) -> int:
        """How many units begin in ranges of day numbers."""
        number = self.calendar._unit_number
        return sum(
            number(stop - 1, self.unit) - number(start, self.unit) + 1
            for start, stop in ranges
            if start is not None and stop is not None
        )

    def rounded(
        self, ranges: Iterable[Range], rounding: str | None, what: str
    ) -> tuple[Range, ...]:
        """Ranges of whole units: those covered whole (``inward``) or all touched (``outward``).

        Without a rounding, FilterError names the days that do not fit; ``what`` is the period.
        """
        given = tuple(ranges)
        inward = tuple(self._range(one, inward=True) for one in given)
        if rounding is None:
            lost = [
                f"{date_of(first)} to {date_of(stop - 1)}"
                for one, whole in zip(given, inward, strict=True)
                for first, stop in _left_over(one, whole)
            ]
            if lost:
                name, several = self.unit.name, self.unit.plural
                raise FilterError(
                    f"'{what}' cuts a {name}, which a column of {several} cannot tell: the days "
                    f"{', '.join(lost[:6])} would be lost; choose whole {several}, filter a column "
                    f"of days, or say with rounding whether only whole {several} count ('inward') "
                    "or all that it touches ('outward')"
                )
        rounded = (
            inward
            if rounding != "outward"
            else tuple(self._range(one, inward=False) for one in given)
        )
        return union(
            [
                (start, stop)
                for start, stop in rounded
                if start is None or stop is None or start < stop
            ]
        )

    def _range(self, one: Range, *, inward: bool) -> Range:
        start, stop = one
        down, up = (self._up, self._down) if inward else (self._down, self._up)
        first = None if start is None else down(start)
        if first is not None and first > LAST_DAY:
            raise FilterError(f"no {self.unit} begins after {date_of(start or 1)} in year 9999")
        return first, None if stop is None else up(stop)

    def _down(self, day: int) -> int:
        if day > LAST_DAY:
            return day
        return max(self.calendar._unit_start(day, self.unit), 1)

    def _up(self, day: int) -> int:
        if day > LAST_DAY:
            return day
        start = self.calendar._unit_start(day, self.unit)
        if start == day:
            return day
        try:
            return self.calendar._move_start(start, self.unit, 1)
        except ResolveError:
            return LAST_DAY + 1


def _left_over(one: Range, whole: Range) -> list[tuple[int, int]]:
    """The days of a range before and after its whole units."""
    (start, stop), (first, last) = one, whole
    if None not in (start, stop, first, last) and first >= last:  # type: ignore[operator]
        return [(start, stop)]  # type: ignore[list-item]
    found = []
    if start is not None and first is not None and start < first:
        found.append((start, first))
    if stop is not None and last is not None and last < stop:
        found.append((last, stop))
    return found


def grain_named(
    unit: str | Grain | None, stamps: str | None = None, calendar: Calendar | None = None
) -> Grain | None:
    """A grain itself, or the one of that name; None for days, which need none.

    Raises SettingError for what is no grain.

    >>> grain_named("month", "last").stamps
    'last'
    """
    if isinstance(unit, Grain):
        return unit
    if stamps is not None and stamps not in STAMPS:
        raise SettingError(f"stamps is {stamps!r}; choose {' or '.join(STAMPS)}")
    if unit is None or (isinstance(unit, str) and unit == "day"):
        if stamps is not None:
            raise SettingError(
                "stamps says on which day of its unit a row is dated; give the grain too: month"
            )
        return None
    calendar = calendar or GREGORIAN
    found = calendar.unit_named(unit) if isinstance(unit, str) else None
    if found is None or found.microseconds or found is Unit.BUSINESS_DAY:
        raise SettingError(
            f"grain is {shown(unit)}; choose day, week, month, quarter, half or year"
        )
    return Grain(found, stamps or "first", calendar)


def found_grain(stamps: Sequence[date], calendar: Calendar | None = None) -> Grain | None:
    """The largest unit of which at least six different stamps are all firsts, or all lasts.

    >>> print(found_grain([date(2025, month, 1) for month in range(1, 13)]))
    month, stamped on its first day
    >>> found_grain([date(2025, 1, day) for day in range(1, 20)]) is None
    True
    """
    if len(stamps) < FEWEST:
        return None
    calendar = calendar or GREGORIAN
    for unit in _UNITS:
        if unit not in calendar.units:
            continue
        for side in STAMPS:
            grain = Grain(unit, side, calendar)
            try:
                if all(map(grain.fits, stamps)):
                    return grain
            except ResolveError:
                break  # A table that does not list all of them: its units are no grain here.
    return None


@lru_cache(500)
def starts_agree(calendar: Calendar, unit: Unit, grain: Grain) -> bool:
    """Whether each start of a unit of a calendar is a start of the grain's unit too."""
    try:
        numbers = (calendar._unit_number(day, unit) for day in _SAMPLE)
        starts = [int(start) for start in calendar._unit_starts(unit, *numbers)]
        return all(grain.range_around(start)[0] == start for start in starts[1:])
    except ResolveError:
        return False  # A table lists fewer years.

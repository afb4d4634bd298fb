"""Sorts of days, to keep or leave out of a period: weekends, holidays, fridays."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from datetime import date
from typing import Final, NamedTuple

from ulnager.core.calendars.business import BusinessDays
from ulnager.core.errors import ResolveError
from ulnager.core.periods.spans import Range, complement, intersection, union
from ulnager.core.units import WEEKDAYS

MOST_DAYS: Final = 400 * 366
"""How many days are sorted one by one; enough for 400 years."""


class SortOfDay(NamedTuple):
    """A sort of days: those on some weekdays (0 for Monday), and single days more or less."""

    weekdays: frozenset[int]
    more: tuple[date, ...] = ()
    less: tuple[date, ...] = ()

    def within(self, start: int, stop: int) -> tuple[Range, ...]:
        """These days in a range of day numbers, as ranges in order."""
        found = tuple(self._weekly(start, stop))
        if self.less:
            found = intersection(found, complement(union(_single(self.less, start, stop))))
        return union((*found, *_single(self.more, start, stop))) if self.more else found

    def _weekly(self, start: int, stop: int) -> Iterator[Range]:
        """The runs of the weekdays, week after week."""
        if len(self.weekdays) == 7:
            yield start, stop
            return
        # Day number 1 was a Monday. A run begins on a day behind one that is not in.
        begins = [day for day in self.weekdays if (day - 1) % 7 not in self.weekdays]
        runs = [
            (day, next(n for n in range(1, 8) if (day + n) % 7 not in self.weekdays))
            for day in sorted(begins)
        ]
        week = start - (start - 1) % 7 - 7
        while runs and week < stop:
            for day, length in runs:
                first, last = max(week + day, start), min(week + day + length, stop)
                if first < last:
                    yield first, last
            week += 7


def _single(days: Iterable[date], start: int, stop: int) -> Iterator[Range]:
    for day in days:
        number = day.toordinal()
        if start <= number < stop:
            yield number, number + 1


def _places(*names: str) -> frozenset[int]:
    return frozenset(WEEKDAYS.index(name) for name in names)


def _working(business: BusinessDays) -> frozenset[int]:
    return _places(*WEEKDAYS) - _places(*business.days_off)


DAY_SETS: Final[dict[str, Callable[[BusinessDays], SortOfDay]]] = {
    "weekends": lambda business: SortOfDay(_places(*business.days_off)),
    "weekdays": lambda business: SortOfDay(_working(business)),
    "business days": lambda business: SortOfDay(
        _working(business), business.working_days, business.holidays
    ),
    "holidays": lambda business: SortOfDay(frozenset(), business.holidays),
    **{
        f"{name}s": lambda _, place=place: SortOfDay(frozenset({place}))  # type: ignore[misc]
        for place, name in enumerate(WEEKDAYS)
    },
}


def nth_day(ranges: tuple[Range, ...], number: int) -> int | None:
    """The Nth day of ranges that are closed, -1 for the last; None where there are fewer."""
    left = abs(number)
    for start, stop in ranges if number > 0 else ranges[::-1]:
        assert start is not None
        assert stop is not None
        if left <= stop - start:
            return start + left - 1 if number > 0 else stop - left
        left -= stop - start
    return None


def days_called(name: str, ranges: tuple[Range, ...], business: BusinessDays) -> tuple[Range, ...]:
    """The days of ranges that are closed, those of a sort: ``business days``, ``mondays``."""
    if name == "days":
        return ranges
    return DaySet((name,)).within(ranges, business, name)


class DaySet(NamedTuple):
    """One or several sorts of days; ``names`` are keys of ``DAY_SETS``."""

    names: tuple[str, ...]

    def __str__(self) -> str:
        return " and ".join(self.names)

    def weekdays(self, business: BusinessDays) -> set[int]:
        """The weekdays that are always among these, 0 for Monday, single days apart."""
        return {day for name in self.names for day in DAY_SETS[name](business).weekdays}

    def within(
        self, ranges: tuple[Range, ...], business: BusinessDays, what: object
    ) -> tuple[Range, ...]:
        """These days in the ranges; ResolveError when there are too many to look at."""
        sorts = [DAY_SETS[name](business) for name in dict.fromkeys(self.names)]
        found: list[Range] = []
        left = MOST_DAYS
        for start, stop in ranges:
            if start is None or stop is None:
                raise ResolveError(
                    f"'{what}' has no end on one side, so its {self} cannot be told apart; "
                    "cut it first, for example with 'within data'"
                )
            left -= stop - start
            if left < 0:
                raise ResolveError(
                    f"'{what}' is longer than 400 years, too long to tell its {self} apart"
                )
            for sort in sorts:
                found += sort.within(start, stop)
        return union(found)

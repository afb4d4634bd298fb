"""Sorts of days, to keep or leave out of a period: weekends, holidays, fridays."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Final, NamedTuple

from ulnager.core.business import BusinessDays
from ulnager.core.errors import ResolveError
from ulnager.core.spans import Range, union
from ulnager.core.units import WEEKDAYS

MOST_DAYS: Final = 400 * 366
"""How many days are sorted one by one; enough for 400 years."""

Chooser = Callable[[BusinessDays], Callable[[int], bool]]


def _holidays(business: BusinessDays) -> Callable[[int], bool]:
    holidays = {day.toordinal() for day in business.holidays}
    return holidays.__contains__


def _weekday(*names: str) -> Chooser:
    places = {WEEKDAYS.index(name) for name in names}
    return lambda business: lambda day: (day - 1) % 7 in places


DAY_SETS: Final[dict[str, Chooser]] = {
    "weekends": lambda business: _weekday(*business.days_off)(business),
    "weekdays": lambda business: _weekday(
        *(name for name in WEEKDAYS if name not in business.days_off)
    )(business),
    "business days": lambda business: (
        lambda day: business.position(day + 1) > business.position(day)
    ),
    "holidays": _holidays,
    **{f"{name}s": _weekday(name) for name in WEEKDAYS},
}


class DaySet(NamedTuple):
    """One or several sorts of days; ``names`` are keys of ``DAY_SETS``."""

    names: tuple[str, ...]

    def __str__(self) -> str:
        return " and ".join(self.names)

    def within(
        self, ranges: tuple[Range, ...], business: BusinessDays, what: object
    ) -> tuple[Range, ...]:
        """These days in the ranges; ResolveError when there are too many to look at."""
        choosers = [DAY_SETS[name](business) for name in self.names]
        return union(self._chosen(ranges, choosers, what))

    def _chosen(
        self, ranges: tuple[Range, ...], choosers: list[Callable[[int], bool]], what: object
    ) -> Iterator[Range]:
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
            for day in range(start, stop):
                if any(chooser(day) for chooser in choosers):
                    yield day, day + 1

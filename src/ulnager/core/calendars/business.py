"""Business days: which days count as working days, and counting them.

A day's **position** is the number of business days before it, counted from a fixed day. A
business day and the days off before it share a position, so every question about business
days is a sum on positions, and costs the same near or far.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable
from datetime import date
from typing import TYPE_CHECKING

from ulnager.core.arguments import checked
from ulnager.core.errors import SettingError
from ulnager.core.units import WEEKDAYS
from ulnager.core.values import Value

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


class BusinessDays(Value):
    """Which days are business days: all but the weekly days off and the holidays.

    ``days_off`` are weekday names. ``working_days`` are business days even so: days that make
    up for others. A date that is both a holiday and a working day is a working day.

    >>> office = BusinessDays(holidays=[date(2026, 5, 18)])
    >>> office.contains(date(2026, 5, 18)), office.contains(date(2026, 5, 19))
    (False, True)

    Raises SettingError for an unknown weekday, or when every day of the week is off.
    """

    _FIELDS = ("days_off", "holidays", "working_days")

    days_off: tuple[str, ...]
    holidays: tuple[date, ...]
    working_days: tuple[date, ...]

    @checked()
    def __init__(
        self,
        days_off: Iterable[str] = ("saturday", "sunday"),
        holidays: Iterable[date] = (),
        working_days: Iterable[date] = (),
    ) -> None:
        off = {str(name).lower() for name in days_off}
        for name in off:
            if name not in WEEKDAYS:
                raise SettingError(f"days_off has {name!r}; give weekdays, such as 'saturday'")
        works = [name not in off for name in WEEKDAYS]
        if not any(works):
            raise SettingError("every day of the week is off; leave at least one to work on")
        extra = _numbers(working_days, "working_days")
        closed = _numbers(holidays, "holidays") - extra
        self._put(
            days_off=tuple(name for name in WEEKDAYS if name in off),
            holidays=tuple(date.fromordinal(day) for day in sorted(closed)),
            working_days=tuple(date.fromordinal(day) for day in sorted(extra)),
            # Business days before each weekday, in a week, and which weekdays they are.
            _before=tuple(sum(works[:place]) for place in range(7)),
            _week=sum(works),
            _weekdays=tuple(place for place in range(7) if works[place]),
            # What differs from the week, as day numbers; day number 1 was a Monday.
            _closed=tuple(sorted(day for day in closed if works[(day - 1) % 7])),
            _opened=tuple(sorted(day for day in extra if not works[(day - 1) % 7])),
        )

    _before: tuple[int, ...]
    _week: int
    _weekdays: tuple[int, ...]
    _closed: tuple[int, ...]
    _opened: tuple[int, ...]

    def contains(self, day: date) -> bool:
        """Whether a date is a business day."""
        number = day.toordinal()
        return self._position(number + 1) > self._position(number)

    def _fewest_in(self, days: int) -> int:
        """The fewest business days that any so many days on end have, or a little fewer.

        >>> BusinessDays(holidays=[date(2026, 5, 18), date(2026, 5, 19)])._fewest_in(28)
        18
        """
        most_closed = max(
            (
                bisect_left(self._closed, first + days) - place
                for place, first in enumerate(self._closed)
            ),
            default=0,
        )
        return max(days // 7 * self._week - most_closed, 0)

    def describe(self) -> dict[str, list[str]]:
        """What differs from Saturdays and Sundays off, as plain values."""
        usual = BusinessDays()
        return {
            name: [str(value) for value in getattr(self, name)]
            for name in ("days_off", "holidays", "working_days")
            if getattr(self, name) != getattr(usual, name)
        }

    def __str__(self) -> str:
        """What differs from the usual, to be put after a calendar's own description."""
        parts = []
        if "days_off" in self.describe():
            parts.append(f"off on {', '.join(self.days_off) or 'no weekday'}")
        for days, name in ((self.holidays, "holiday"), (self.working_days, "working day")):
            if days:
                parts.append(f"{len(days)} {name}{'s' * (len(days) > 1)}")
        return "".join(f", {part}" for part in parts)

    def _position(self, day: int) -> int:
        """How many business days lie before a day number, counted from day number 1."""
        weeks, place = divmod(day - 1, 7)
        return (
            weeks * self._week
            + self._before[place]
            - bisect_left(self._closed, day)
            + bisect_left(self._opened, day)
        )

    def _day_at(self, position: int) -> int:
        """The day number of the business day with that position."""
        low = self._weekly_day(position - len(self._opened) - 1)
        high = self._weekly_day(position + len(self._closed)) + 1
        # The first day after which there are more business days than the position says.
        while low < high:
            middle = (low + high) // 2
            if self._position(middle + 1) > position:
                high = middle
            else:
                low = middle + 1
        return low

    def _weekly_day(self, position: int) -> int:
        weeks, place = divmod(position, self._week)
        return weeks * 7 + self._weekdays[place] + 1

    def _positions(self, first: int, last: int) -> NDArray[np.int64]:
        """The positions of the day numbers from ``first`` to ``last``, shape (days,)."""
        import numpy as np

        return self._positions_of(np.arange(first, last + 1, dtype=np.int64))

    def _positions_of(self, days: NDArray[np.int64]) -> NDArray[np.int64]:
        """The positions of an array of day numbers, as an array of its shape."""
        import numpy as np

        weeks, place = np.divmod(days - 1, 7)
        found = weeks * self._week + np.array(self._before, dtype=np.int64)[place]
        for changes, sign in ((self._closed, -1), (self._opened, 1)):
            if changes:
                found += sign * np.searchsorted(np.array(changes, dtype=np.int64), days)
        return found


def _numbers(days: Iterable[date], name: str) -> set[int]:
    try:
        return {day.toordinal() for day in days}
    except (AttributeError, TypeError):
        raise SettingError(f"{name} takes dates, such as datetime.date(2026, 5, 18)") from None

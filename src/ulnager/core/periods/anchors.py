"""What a period is measured from and read with: the anchor, the data's dates, the defaults."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any, Final, NamedTuple

from ulnager.core.periods.spans import Range


class Extent(NamedTuple):
    """The first and last date that the data holds; it answers for ``earliest`` and ``latest``.

    ``last_whole`` is the last day that is loaded whole, and ``missing`` holds the days without
    rows as half-open ranges of day numbers, where a profile has found them. ``before_last`` is the
    last date but one, where the last lies alone, far from all others.

    >>> Extent(date(2023, 10, 1), date(2026, 5, 17)).last
    datetime.date(2026, 5, 17)
    """

    first: date
    last: date
    last_whole: date | None = None
    missing: tuple[Range, ...] = ()
    before_last: date | None = None
    find: Callable[[date], date | None] | None = None
    """The last date of the data up to another one; without it every date between has rows."""

    def up_to(self, day: Any) -> Any:
        """The day number of the last date up to a day number, or an array of them; None if none."""
        if not isinstance(day, int):
            each = {number: self.up_to(number) for number in set(day.ravel().tolist())}
            if None in each.values():
                return None
            found = day.copy()
            for number, last in each.items():
                found[day == number] = last
            return found
        if day >= self.last.toordinal():
            return self.last.toordinal()
        if day < self.first.toordinal():
            return None
        if self.find is None:
            return day
        last = self.find(date.fromordinal(day))
        return None if last is None else last.toordinal()

    @property
    def lone_text(self) -> str:
        """That the last date lies alone, and how far from the others; empty when it does not."""
        if self.before_last is None:
            return ""
        gap = (self.last - self.before_last).days
        return f"the last date, {self.last}, lies alone, {gap:,} days after {self.before_last}"


MOST_APART: Final = 56
"""Days without rows, 8 weeks of them, before a date that lies alone."""


def is_far(day: date, before: date, usual: float) -> bool:
    """Whether a date is far from the one before it, as dates with rows usually lie apart.

    >>> september, december = date(2026, 9, 1), date(2026, 12, 1)
    >>> is_far(december, september, 1), is_far(december, september, 91)
    (True, False)
    """
    return (day - before).days > max(MOST_APART, 8 * usual)


class Anchor(NamedTuple):
    """The day that a period was measured from, and whether that day is still running.

    ``source`` says in the words of the language where it came from.
    """

    day: date
    running: bool
    source: str

    def __str__(self) -> str:
        state = "still running" if self.running else "over"
        name = "" if self.source == self.day.isoformat() else f"{self.source}, "
        return f"{name}{self.day} ({state})"


class Defaults(NamedTuple):
    """How ambiguous phrases are read: the name of a reading, or ``"refuse"``.

    ``last`` is for ``last N U``: rolling, whole, to date, to end; ``next`` is for
    ``next N U``: rolling, whole, from date, from start.
    """

    last: str = "rolling"
    next: str = "rolling"

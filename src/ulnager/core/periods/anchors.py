"""What a period is measured from and read with: the anchor, the data's dates, the defaults."""

from __future__ import annotations

import functools
from bisect import bisect_left
from collections.abc import Callable, Sequence
from datetime import date
from typing import Any, Final, NamedTuple

from ulnager.core.periods.grain import Grain
from ulnager.core.periods.spans import Range, intersection, union


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
    stand_ins: tuple[date, ...] = ()
    """Dates that stand for none, such as 9999-12-31, and are left out of all others."""
    grain: Grain | None = None
    """The unit that a date stands for, where that is more than a day."""

    def _up_to(self, day: Any) -> Any:
        """The day number of the last date up to a day number, or an array of them; None if none."""
        if not isinstance(day, int) and not getattr(day, "shape", ()):
            return self._up_to(int(day))  # A number of an array.
        if not isinstance(day, int):
            each = {number: self._up_to(number) for number in set(day.ravel().tolist())}
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

    def _holds(self, start: int, stop: int) -> bool:
        """Whether there is a date from one day number up to before another."""
        last = self._up_to(stop - 1)
        return last is not None and last >= start

    def _half_loaded(self) -> int | None:
        """The first day number with dates that is not whole; None where all are. A closed weekday
        is neither missing nor loaded."""
        last = (self.before_last or self.last).toordinal()
        if self.last_whole is None or self.last_whole.toordinal() >= last:
            return None
        whole = self.last_whole.toordinal()
        days = range(whole + 1, last + 1)
        return days[bisect_left(days, True, key=lambda day: self._holds(whole + 1, day + 1))]

    def ending(self, day: date) -> Extent | None:
        """The same as if the data went up to a day; None where nothing is left.

        What lies behind that day was loaded by then, so that the last day left is whole.
        """
        if self.last <= day:
            return self
        last = self._up_to(day.toordinal())
        if last is None or last < self.first.toordinal():
            return None
        ends = date.fromordinal(last)
        whole = ends if self.last_whole is None else min(ends, self.last_whole)
        return self._replace(last=ends, last_whole=whole, before_last=None)

    def _closing(self, ranges: tuple[Range, ...]) -> tuple[Range, ...]:
        """Ranges of day numbers as they are, or within the data where one of them is open."""
        if all(start is not None and stop is not None for start, stop in ranges):
            return ranges
        return intersection(ranges, ((self.first.toordinal(), self.last.toordinal() + 1),))

    def _of_grain(self, grain: Grain | None) -> Extent:
        """The same where each date stands for a unit: whole units, and their last days."""
        if grain is None:
            return self

        return self._replace(
            first=grain.around(self.first)[0],
            last=grain.around(self.last)[1],
            before_last=None,
            find=functools.partial(_in_units, self, grain),
            grain=grain,
        )

    @property
    def _lone_text(self) -> str:
        """That the last date lies alone, and how far from the others; empty when it does not."""
        if self.before_last is None:
            return ""
        gap = (self.last - self.before_last).days
        return f"the last date, {self.last}, lies alone, {gap:,} days after {self.before_last}"


def _in_units(extent: Extent, grain: Grain, up_to: date) -> date | None:
    # The unit around a day counts up to that day.
    last = extent._up_to(grain.around(up_to)[1].toordinal())
    return None if last is None else min(up_to, grain.around(date.fromordinal(last))[1])


def _in_all(extents: tuple[Extent, ...], up_to: date) -> date | None:
    days = [one._up_to(up_to.toordinal()) for one in extents]
    return None if None in days else date.fromordinal(min(days))


def together(extents: Sequence[Extent]) -> Extent | None:
    """What several sources hold together, so that nothing is asked of one that it has not; None
    where nobody knows of any.

    The first date is the latest first one, the last is the earliest last one. A day is missing
    where any of them lacks it; the last whole day, the last date up to another, and dates that
    stand for none are asked of all.

    >>> one = Extent(date(2026, 1, 1), date(2026, 5, 17))
    >>> two = Extent(date(2025, 6, 1), date(2026, 4, 30), missing=((739_000, 739_002),))
    >>> found = together([one, two])
    >>> found.first, found.last, found.missing
    (datetime.date(2026, 1, 1), datetime.date(2026, 4, 30), ((739000, 739002),))
    """
    if len(extents) < 2:
        return extents[0] if extents else None
    ends = min(extents, key=lambda one: one.last)

    return Extent(
        max(one.first for one in extents),
        ends.last,
        min(one.last_whole or one.last for one in extents),
        union(span for one in extents for span in one.missing),
        ends.before_last,
        functools.partial(_in_all, tuple(extents)),
        tuple(sorted({day for one in extents for day in one.stand_ins})),
        extents[0].grain if len({one.grain for one in extents}) == 1 else None,
    )


STAND_IN_DAYS: Final = 25 * 366
"""A stand-in for no date lies at least so far from all others."""
_ODD_STAND_INS: Final = (date(1899, 12, 30), date(9999, 12, 30))


def is_stand_in(day: date, nearest: date | None) -> bool:
    """Whether a date stands for none: the first or the last day of a year, 25 years off the rest.

    >>> is_stand_in(date(9999, 12, 31), date(2026, 5, 17))
    True
    >>> is_stand_in(date(2030, 12, 31), date(2026, 5, 17))
    False
    """
    edge = (day.month, day.day) in ((1, 1), (12, 31)) or day in _ODD_STAND_INS
    return edge and nearest is not None and abs((day - nearest).days) > STAND_IN_DAYS


MOST_APART: Final = 56
"""Days without rows, 8 weeks of them, before a date that lies alone."""


def is_far(day: date, before: date, usual: float) -> bool:
    """Whether a date is far from the one before it, as dates with rows usually lie apart.

    >>> september, december = date(2026, 9, 1), date(2026, 12, 1)
    >>> is_far(december, september, 1), is_far(december, september, 91)
    (True, False)
    >>> is_far(date(2026, 10, 27), september, 1), is_far(date(2026, 10, 28), september, 1)
    (False, True)
    """
    return (day - before).days > max(MOST_APART, 8 * usual)


class Anchor(NamedTuple):
    """The day that a period was measured from, and whether that day is still running.

    ``source`` says in the words of the language where it came from.

    >>> from ulnager import period
    >>> period("last 7 whole days").resolve(today="2026-05-20").anchor
    Anchor(day=datetime.date(2026, 5, 20), running=True, source='today')
    """

    day: date
    running: bool
    source: str

    def __str__(self) -> str:
        if self.source.endswith(")"):
            return self.source  # Several of them, with their days.
        state = "still running" if self.running else "over"
        name = "" if self.source == self.day.isoformat() else f"{self.source}, "
        return f"{name}{self.day} ({state})"


class Defaults(NamedTuple):
    """How ambiguous phrases are read: the name of a reading, or ``"refuse"``.

    ``last`` is for ``last N U``: rolling, whole, to date, to end; ``next`` is for
    ``next N U``: rolling, whole, from date, from start.

    >>> from ulnager import period
    >>> period("last 2 weeks").resolve(today="2026-05-20", defaults=Defaults(last="whole")).label
    '4 to 17 May 2026'
    """

    last: str = "rolling"
    next: str = "rolling"

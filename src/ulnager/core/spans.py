"""Spans: what a period comes out as, and the arithmetic of several of them.

Inside, a span is a pair of day numbers, half-open, with None for an open side. People
see :class:`Span`, with dates and an inclusive end.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, datetime, timedelta
from typing import NamedTuple

from ulnager.core.units import Unit

Range = tuple[int | None, int | None]
"""A half-open pair of day numbers; None is an open side."""


class Span(NamedTuple):
    """Dates from ``start`` up to but not with ``stop``; None at an open side.

    >>> march = Span(date(2026, 3, 1), date(2026, 4, 1))
    >>> march.end, march.days, date(2026, 3, 31) in march
    (datetime.date(2026, 3, 31), 31, True)
    """

    start: date | None
    stop: date | None

    @property
    def end(self) -> date | None:
        """The last date inside, or None when that side is open, or when these are instants."""
        if self.stop is None or isinstance(self.stop, datetime):
            return None
        return self.stop - timedelta(days=1)

    @property
    def days(self) -> int | None:
        """How many days are inside, or None when a side is open, or when these are instants."""
        if self.start is None or self.stop is None or isinstance(self.start, datetime):
            return None
        return (self.stop - self.start).days

    def __contains__(self, day: object) -> bool:
        if not isinstance(day, date):
            return False
        if isinstance(day, datetime) and not isinstance(self.start or self.stop, datetime):
            day = day.date()
        return (self.start is None or self.start <= day) and (self.stop is None or day < self.stop)

    def __str__(self) -> str:
        if isinstance(self.start, datetime) or isinstance(self.stop, datetime):
            if self.stop is None:
                return f"from {self.start}"
            return f"{self.start} to before {self.stop}" if self.start else f"before {self.stop}"
        if self.start is None:
            return "all dates" if self.end is None else f"up to {self.end}"
        if self.end is None:
            return f"from {self.start}"
        if self.start == self.end:
            return str(self.start)
        return f"{self.start} to {self.end}"


def _low(value: int | None) -> float:
    return float("-inf") if value is None else value


def _high(value: int | None) -> float:
    return float("inf") if value is None else value


def union(ranges: Iterable[Range]) -> tuple[Range, ...]:
    """The same days as disjoint ranges in order, merged where they touch.

    >>> union([(5, 7), (1, 3), (3, 5), (9, 9)])
    ((1, 7),)
    """
    merged: list[Range] = []
    full = [pair for pair in ranges if _low(pair[0]) < _high(pair[1])]
    for start, stop in sorted(full, key=lambda pair: _low(pair[0])):
        if merged and _low(start) <= _high(merged[-1][1]):
            last_start, last_stop = merged[-1]
            merged[-1] = last_start, stop if _high(stop) > _high(last_stop) else last_stop
        else:
            merged.append((start, stop))
    return tuple(merged)


def complement(ranges: Sequence[Range]) -> tuple[Range, ...]:
    """Every day that is not in these disjoint, ordered ranges.

    >>> complement(((1, 3), (7, None)))
    ((None, 1), (3, 7))
    """
    gaps: list[Range] = []
    reached: int | None = None
    for start, stop in ranges:
        if start is not None:
            gaps.append((reached, start))
        if stop is None:
            return tuple(gaps)
        reached = stop
    return (*gaps, (reached, None))


def intersection(left: Sequence[Range], right: Sequence[Range]) -> tuple[Range, ...]:
    """The days that are in both; each side disjoint and in order.

    >>> intersection(((1, 5), (8, None)), ((3, 9),))
    ((3, 5), (8, 9))
    """
    found: list[Range] = []
    i = j = 0
    while i < len(left) and j < len(right):
        start = max((left[i][0], right[j][0]), key=_low)
        stop = min((left[i][1], right[j][1]), key=_high)
        if _low(start) < _high(stop):
            found.append((start, stop))
        if _high(left[i][1]) < _high(right[j][1]):
            i += 1
        else:
            j += 1
    return tuple(found)


class FixedDates(NamedTuple):
    """Dates written out in an ISO 8601 form: the text, and the half-open day numbers.

    ``start`` and ``stop`` never move; ``text`` is the canonical wording; ``unit`` is the unit
    that they are, None for an interval.
    """

    text: str
    start: int
    stop: int
    unit: Unit | None = None

    def __str__(self) -> str:
        return self.text

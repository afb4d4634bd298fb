"""Spans: what a period comes out as, and the arithmetic of several of them.

Inside, a span is a pair of day numbers, half-open, with None for an open side. People
see :class:`Span`, with dates and an inclusive end.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, datetime, time, timedelta
from typing import Final, NamedTuple

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


class LastSpan(Span):
    """Dates up to and with 9999-12-31: the day after it is none, so ``stop`` is None, but it ends.

    >>> LastSpan(date(9999, 12, 1), None).end, LastSpan(date(9999, 12, 1), None).days
    (datetime.date(9999, 12, 31), 31)
    """

    __slots__ = ()

    @property
    def end(self) -> date | None:
        return date.max

    @property
    def days(self) -> int | None:
        return None if self.start is None else (date.max - self.start).days + 1


# Beyond every day and every instant. Ranges of any length are worked through with plain numbers.
_FIRST: Final = -(10**30)
_LAST: Final = 10**30


def _bounded(ranges: Iterable[Range]) -> list[tuple[int, int]]:
    return [
        (_FIRST if start is None else start, _LAST if stop is None else stop)
        for start, stop in ranges
    ]


def _opened(ranges: list[tuple[int, int]]) -> tuple[Range, ...]:
    if ranges and (ranges[0][0] == _FIRST or ranges[-1][1] == _LAST):
        return tuple(
            (None if start == _FIRST else start, None if stop == _LAST else stop)
            for start, stop in ranges
        )
    return tuple(ranges)


def local_bounds(
    spans: Iterable[Span], day_starts: timedelta
) -> tuple[tuple[date | None, date | None], ...]:
    """The start and stop of each span without a zone: dates, or where days do not start at
    midnight datetimes; None at an open side."""
    if not day_starts:
        return tuple((span.start, span.stop) for span in spans)

    def moved(day: date | None) -> date | None:
        return day and datetime.combine(day, time()) + day_starts

    return tuple((moved(span.start), moved(span.stop)) for span in spans)


def hold(spans: Iterable[Span], day: date, day_starts: timedelta) -> bool:
    """Whether a day is in one of the spans; a datetime without a zone stands for the day that has
    begun by then."""
    if isinstance(day, datetime):
        try:
            day -= day_starts
        except OverflowError:
            return False
    return any(day in span for span in spans)


def union(ranges: Iterable[Range]) -> tuple[Range, ...]:
    """The same days as disjoint ranges in order, merged where they touch.

    >>> union([(5, 7), (1, 3), (3, 5), (9, 9)])
    ((1, 7),)
    """
    merged: list[tuple[int, int]] = []
    reached = _FIRST - 1
    for start, stop in sorted(_bounded(ranges)):
        if stop <= start:
            continue
        if start > reached:
            merged.append((start, stop))
            reached = stop
        elif stop > reached:
            merged[-1] = merged[-1][0], stop
            reached = stop
    return _opened(merged)


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


def is_within(number: int, ranges: Iterable[Range]) -> bool:
    """Whether a day number is in one of some ranges.

    >>> is_within(4, ((1, 5), (8, None))), is_within(5, ((1, 5), (8, None)))
    (True, False)
    """
    return any(
        (start is None or start <= number) and (stop is None or number < stop)
        for start, stop in ranges
    )


def intersection(left: Sequence[Range], right: Sequence[Range]) -> tuple[Range, ...]:
    """The days that are in both; each side disjoint and in order.

    >>> intersection(((1, 5), (8, None)), ((3, 9),))
    ((3, 5), (8, 9))
    """
    found: list[tuple[int, int]] = []
    ours, theirs = _bounded(left), _bounded(right)
    i = j = 0
    while i < len(ours) and j < len(theirs):
        (start, stop), (start_2, stop_2) = ours[i], theirs[j]
        first = start if start > start_2 else start_2
        last = stop if stop < stop_2 else stop_2
        if first < last:
            found.append((first, last))
        if stop < stop_2:
            i += 1
        else:
            j += 1
    return _opened(found)


class FixedDates(NamedTuple):
    """Dates written out in an ISO 8601 form: the text, and the half-open day numbers.

    ``start`` and ``stop`` never move; ``text`` is the canonical wording; ``unit`` is the unit
    that they are, None for an interval; ``edges`` the unit that an interval begins and ends with.
    """

    text: str
    start: int
    stop: int
    unit: Unit | None = None
    edges: Unit | None = None

    def __str__(self) -> str:
        return self.text

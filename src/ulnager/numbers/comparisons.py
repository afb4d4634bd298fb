"""Comparisons: which unit stands beside a bucket, and which of its days are compared."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from itertools import pairwise
from typing import Any, Final, NamedTuple

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import SettingError
from ulnager.core.language import walks as walking
from ulnager.core.messages import Message
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.spans import Range
from ulnager.core.units import Unit

ALONE: Final = "no-partner"
"""The code of what stands beside nothing."""
NOTHING: Final = "nothing is beside {0}"


class Partner(NamedTuple):
    """The unit that a bucket is compared with, and the days of it that are."""

    start: date
    end: date
    label: str
    ranges: tuple[Range, ...]


def partners_of(
    buckets: Sequence[Bucket], calendar: Calendar, count: int, unit: Unit, known_to: int | None
) -> tuple[list[Partner | None], tuple[str, ...]]:
    """The partner of each bucket at another time, and what is to be said of those without one.

    The partner is the unit whose start is nearest to the bucket's unit start, shifted; a tie goes
    to the earlier one, and where two have the same the first keeps it. ``known_to`` is the last
    day that can be compared, where there is one.
    """
    found: list[Partner | None] = []
    taken: dict[int, str] = {}
    notes = []
    for bucket in buckets:
        start = _nearest(bucket, calendar, count, unit)
        if start == bucket.unit_start.toordinal():
            raise SettingError(
                f"{bucket.label} would be its own partner {abs(count)} {unit.plural} away; group "
                f"by a finer unit than {bucket.unit.name}"
            )
        if start in taken:
            key = "{0} has no partner: that is beside {1} already"
            notes.append(Message(key, bucket.label, taken[start], code=ALONE))
            found.append(None)
            continue
        taken[start] = bucket.label
        found.append(_partner(bucket, calendar, start, known_to))
    starts = sorted(taken)
    by = buckets[0].unit if buckets else Unit.DAY
    for one, other in pairwise(starts):
        start = calendar._move_start(one, by, 1)
        while start < other:
            notes.append(Message(NOTHING, calendar.label(date_of(start), by), code=ALONE))
            start = calendar._move_start(start, by, 1)
    return found, tuple(notes)


def _nearest(bucket: Bucket, calendar: Calendar, count: int, unit: Unit) -> int:
    start, by = bucket.unit_start.toordinal(), bucket.unit
    keeps = calendar._keeps(by, unit) is not None
    moved = (calendar._move_start if keeps else calendar._move_day)(start, unit, count)
    before = calendar._unit_start(moved, by)
    after = calendar._move_start(before, by, 1)
    return before if moved - before <= after - moved else after


def _partner(bucket: Bucket, calendar: Calendar, start: int, known_to: int | None) -> Partner:
    stop = calendar._move_start(start, bucket.unit, 1)
    first = bucket.unit_start.toordinal()
    runs_past = known_to is not None and bucket.unit_end.toordinal() > known_to
    ranges: tuple[Range, ...] = ((start, stop),)
    if not bucket.is_whole or runs_past:
        # The days at the same places in the unit, those that are there.
        found = []
        for span in bucket.spans:
            if span.start is None:
                continue
            last = bucket.unit_end if span.end is None else span.end
            low = span.start.toordinal()
            high = last.toordinal() + 1
            if known_to is not None:
                high = min(high, known_to + 1)
            pair = (start + low - first, min(start + high - first, stop))
            if pair[0] < pair[1]:
                found.append(pair)
        ranges = tuple(found)
    label = calendar.label(date_of(start), bucket.unit)
    return Partner(date_of(start), date_of(stop - 1), label, ranges)


def partners_in(
    buckets: Sequence[Bucket], others: Sequence[Bucket], known_to: int | None, calendar: Calendar
) -> tuple[list[Partner | None], tuple[str, ...]]:
    """The k-th unit of another period beside the k-th bucket."""
    found: list[Partner | None] = []
    notes = []
    for place, bucket in enumerate(buckets):
        if place >= len(others):
            key = "{0} has no partner: the other period has {1} units"
            notes.append(Message(key, bucket.label, len(others), code=ALONE))
            found.append(None)
            continue
        other = others[place]
        found.append(_partner(bucket, calendar, other.unit_start.toordinal(), known_to))
    notes += [Message(NOTHING, other.label, code=ALONE) for other in others[len(buckets) :]]
    return found, tuple(notes)


def shift_of(beside: Any) -> tuple[int, Unit] | None:
    """A shift such as ``1 year earlier``; None for a period."""
    if not isinstance(beside, str) or not beside.strip().endswith(("earlier", "later")):
        return None
    return walking.shift_of(beside)

"""Buckets: a period split at the boundaries of a unit, and whether each part is whole.

A chart of months needs every month, also those without a row, and has to know which of them
are not whole, or the current one looks like a collapse.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any, Final, NamedTuple

from ulnager.core.calendars.base import Calendar
from ulnager.core.calendars.daynumbers import date_of
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.definitions import Basis
from ulnager.core.periods.spans import Range, intersection
from ulnager.core.units import Unit

PARTIAL: Final = ("mark", "drop", "keep")
MOST_BUCKETS: Final = 200_000


class Bucket(NamedTuple):
    """The part of a period that falls in one unit.

    ``start`` and ``end`` are the first and last date of the period in the unit, and ``days``
    counts the days that are in; ``unit_start``, ``unit_end`` and ``unit_days`` are those of the
    whole unit. ``reasons`` say why it is not whole, and are empty when it is.
    """

    start: date
    end: date
    days: int
    unit: Unit
    unit_start: date
    unit_end: date
    unit_days: int
    label: str
    short_label: str
    reasons: tuple[str, ...]

    @property
    def is_whole(self) -> bool:
        """Whether nothing is missing from the unit."""
        return not self.reasons

    def to_dict(self) -> dict[str, Any]:
        """The bucket as plain values, ready for JSON."""
        plain = {
            name: str(value) if isinstance(value, (date, Unit)) else value
            for name, value in self._asdict().items()
        }
        return {**plain, "reasons": list(self.reasons), "whole": self.is_whole}


def buckets_of(
    ranges: tuple[Range, ...], basis: Basis, unit: Unit, partial: str, data: Extent | None
) -> tuple[Bucket, ...]:
    """The buckets of a period's ranges; see :meth:`ulnager.Resolution.buckets`."""
    if partial not in PARTIAL:
        raise SettingError(f"partial is {partial!r}; choose {', '.join(PARTIAL)}")
    if unit.microseconds or unit is Unit.BUSINESS_DAY:
        raise SettingError(f"days cannot be split into {unit.plural}; choose day, week, month, …")
    found = tuple(_split(ranges, basis, unit, data))
    if partial == "drop":
        return tuple(bucket for bucket in found if bucket.is_whole)
    return tuple(b._replace(reasons=()) for b in found) if partial == "keep" else found


def _split(
    ranges: tuple[Range, ...], basis: Basis, unit: Unit, data: Extent | None
) -> Iterator[Bucket]:
    calendar = basis.calendar
    assert isinstance(calendar, Calendar)
    start, stop = (ranges[0][0], ranges[-1][1]) if ranges else (0, 0)
    if start is None or stop is None:
        raise ResolveError(
            "the period is open on one side and has no end of buckets; "
            "cut it first, for example with 'within data'"
        )
    if not ranges:
        return
    if (stop - start) > MOST_BUCKETS * max(unit.days, 1):
        raise ResolveError(
            f"that would be more than {MOST_BUCKETS:,} buckets; choose a larger unit"
        )
    # Units without a day of the period in them are passed over.
    first = calendar.unit_start(start, unit)
    while first < stop:
        after = calendar.move_start(first, unit, 1)
        parts = intersection(ranges, ((first, after),))
        if parts:
            yield _bucket(parts, first, after, basis, calendar, unit, data)
        first = after


def _bucket(
    parts: tuple[Range, ...],
    first: int,
    after: int,
    basis: Basis,
    calendar: Calendar,
    unit: Unit,
    data: Extent | None,
) -> Bucket:
    start, stop = parts[0][0] or first, parts[-1][1] or after
    days = sum((high or after) - (low or first) for low, high in parts)
    reasons = []
    if start > first:
        reasons.append("starts late")
    if stop < after:
        reasons.append("ends early")
    if days < stop - start:
        reasons.append("days are cut out")
    if after > basis.open_day:
        reasons.append("still running")
    if data is not None:
        if date_of(after - 1) > data.last:
            reasons.append("the data ends")
        if date_of(first) < data.first:
            reasons.append("the data begins later")
        missing = sum(
            (high or after) - (low or first) for low, high in intersection(parts, data.missing)
        )
        if missing:
            reasons.append(f"{missing} day{'s' * (missing > 1)} missing")
    unit_start = date_of(first)
    return Bucket(
        date_of(start),
        date_of(stop - 1),
        days,
        unit,
        unit_start,
        date_of(after - 1),
        after - first,
        calendar.label(unit_start, unit),
        calendar.label(unit_start, unit, short=True),
        tuple(reasons),
    )

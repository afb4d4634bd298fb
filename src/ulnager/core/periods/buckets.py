"""Buckets: a period split at the boundaries of a unit, and whether each part is whole.

A chart of months needs every month, also those without a row, and has to know which of them
are not whole, or the current one looks like a collapse.
"""

from __future__ import annotations

import operator
from bisect import bisect_left
from collections.abc import Iterator
from datetime import date, datetime, timedelta
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from ulnager.core.arguments import checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import LAST_DAY, date_of
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.messages import Message
from ulnager.core.notebook_tables import ShowsItself, Table, table
from ulnager.core.periods.anchor_provenance import measured
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.clock import as_day, extent_of
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.period_tree import sorts_of, unsorted
from ulnager.core.periods.spans import (
    LastSpan,
    Range,
    Span,
    complement,
    hold,
    intersection,
    local_bounds,
)
from ulnager.core.units import Unit
from ulnager.core.values import Json
from ulnager.core.words import ENGLISH, Words

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

PARTIAL: Final = ("mark", "drop", "keep")
MOST_BUCKETS: Final = 200_000


class Bucket(NamedTuple):
    """The part of a period that falls in one unit.

    ``start`` and ``end`` are the first and last date of the period in the unit, and ``days``
    counts the days that are in; ``unit_start``, ``unit_end`` and ``unit_days`` are those of the
    whole unit. ``reasons`` say why it is not whole, and are empty when it is.

    >>> from ulnager import period
    >>> march = period("2026-03").resolve(today="2026-05-20")
    >>> [bucket.days for bucket in march.buckets("week")]
    [1, 7, 7, 7, 7, 2]
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
    spans: tuple[Span, ...] = ()
    """The days of the period in the unit, as spans in order."""
    day_starts: timedelta = timedelta()
    """How long after midnight the days of times start."""

    @property
    def stop(self) -> date | None:
        """The first date after ``end``; None after 9999-12-31."""
        return None if self.end == date.max else self.end + timedelta(days=1)

    @property
    def is_whole(self) -> bool:
        """Whether nothing is missing from the unit."""
        return not self.reasons

    @checked()
    def contains(self, day: date) -> bool:
        """Whether a day is in; a local timestamp stands for its day."""
        found = as_day(day, "day")
        return hold(self.spans, day if isinstance(day, datetime) else found, self.day_starts)

    def mask(self, days: Any) -> NDArray[np.bool_]:
        """Which of an array of days or local timestamps are in, as an array of its shape."""
        from ulnager.core.calendars.arrays import inside

        return inside(days, local_bounds(self.spans, self.day_starts), self.spans)

    def to_dict(self) -> Json:
        """The bucket as plain values, ready for JSON."""
        plain = {
            name: str(value) if isinstance(value, (date, Unit)) else value
            for name, value in self._asdict().items()
            if name not in ("spans", "day_starts")
        }
        return {**plain, "reasons": list(self.reasons), "whole": self.is_whole}


class Buckets(tuple[Bucket, ...], ShowsItself):
    """Buckets in order: a tuple that shows itself as a table."""

    __slots__ = ()

    def worded(self, words: Words) -> Buckets:
        """The same with labels in the words of a language."""
        if words is ENGLISH:
            return self

        def worded(one: Bucket) -> Bucket:
            whole = Span(one.unit_start, one.unit_end + timedelta(1))
            if one.label == one.short_label == ENGLISH.span(whole):  # It has no name.
                label = words.span(whole)
                return one._replace(label=label, short_label=label)
            label, short = words.unit(one.label), words.unit(one.short_label)
            return one._replace(label=label, short_label=short)

        return Buckets(map(worded, self))

    def _table(self) -> Table:
        rows = [
            (one.label, one.start, one.end, one.days, one.unit_days, ", ".join(one.reasons))
            for one in self
        ]
        title = f"by {self[0].unit}" if self else "no buckets"
        return table(title, ("unit", "start", "end", "days", "of", "because"), rows, (3, 4))


class Resolved(NamedTuple):
    """What was resolved: the definition, its basis, and the basis that it is measured against."""

    definition: Definition
    basis: Basis
    measured: Basis


def buckets_of(
    ranges: tuple[Range, ...], asked: Resolved, unit: Unit, partial: str, data: object
) -> tuple[Bucket, ...]:
    """The buckets of a period's ranges; see :meth:`ulnager.Resolution.buckets`."""
    if partial not in PARTIAL:
        raise SettingError(f"partial is {partial!r}; choose {', '.join(PARTIAL)}")
    if unit.microseconds or unit is Unit.BUSINESS_DAY:
        raise SettingError(f"days cannot be split into {unit.plural}; choose day, week, month, …")
    extent = None if data is None else extent_of(data)
    if extent is not None:
        ranges = extent._closing(ranges)
    starts = asked.basis.day_starts
    found = tuple(one._replace(day_starts=starts) for one in _split(ranges, asked, unit, extent))
    if partial == "drop":
        return tuple(bucket for bucket in found if bucket.is_whole)
    return tuple(b._replace(reasons=()) for b in found) if partial == "keep" else found


def _split(
    ranges: tuple[Range, ...], asked: Resolved, unit: Unit, data: Extent | None
) -> Iterator[Bucket]:
    basis = asked.measured
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
    # Which units are covered is a question of the period before its sorts of days are told apart.
    sorts = tuple(sorts_of(asked.definition))
    covered = unsorted(asked.definition).ranges(asked.basis) if sorts else ranges
    # Units without a day of the period in them are passed over.
    begins, ends = calendar._listed(unit, start, stop)
    yield from _unlisted(ranges, start, begins, unit)
    first = calendar._unit_start(begins, unit)
    if sorts:
        covered = intersection(covered, ((first, None),))
    while first < ends:
        after = calendar._move_start(first, unit, 1)
        parts = _between(ranges, first, after)
        if parts:
            whole: tuple[Range, ...] = ((first, after),)
            for is_only, days in sorts:
                those = days.within(whole, calendar.business, unit)
                whole = those if is_only else intersection(whole, complement(those))
            there = parts if covered is ranges else _between(covered, first, after)
            reasons = [
                *_cover_reasons(there, first, after),
                *_clock_reasons(first, after, basis),
                *(() if data is None else _data_reasons(parts, whole, data)),
            ]
            labels = _labels(first, after, calendar, unit)
            yield _bucket(parts, first, after, unit, labels, tuple(reasons))
        first = after
    yield from _unlisted(ranges, ends, stop, unit)


def _between(ranges: tuple[Range, ...], first: int, after: int) -> tuple[Range, ...]:
    """What ranges hold between two days; there may be thousands, of which few lie there."""
    low = max(bisect_left(ranges, first, key=operator.itemgetter(0)) - 1, 0)
    high = bisect_left(ranges, after, low, key=operator.itemgetter(0))
    return intersection(ranges[low:high], ((first, after),))


def _labels(first: int, after: int, calendar: Calendar, unit: Unit) -> tuple[str, str]:
    """The label of a unit, and the short one; its dates, where a table begins within a year, so
    that nobody can tell which one of the year it is."""
    try:
        return calendar._label(first, unit), calendar._label(first, unit, short=True)
    except ResolveError:
        label = ENGLISH.span(Span(date_of(first), date_of(after)))
        return label, label


def _unlisted(ranges: tuple[Range, ...], first: int, after: int, unit: Unit) -> Iterator[Bucket]:
    """The days before or after what a table lists, as one bucket that says so."""
    parts = intersection(ranges, ((first, after),)) if first < after else ()
    if parts:
        label = ENGLISH.span(Span(date_of(first), date_of(after)))
        yield _bucket(parts, first, after, unit, (label, label), (UNLISTED,))


def reasons_of(
    definition: Definition, basis: Basis, ranges: tuple[Range, ...], data: Extent
) -> tuple[str, ...]:
    """Why a period as a whole is not whole: the clock has not passed it, or the data lacks some."""
    start, stop = (ranges[0][0], ranges[-1][1]) if ranges else (None, None)
    if start is None or stop is None:
        return ()
    told = _clock_reasons(start, stop, measured(definition, basis)[1])
    return (*told, *_data_reasons(ranges, ranges, data))


def _cover_reasons(parts: tuple[Range, ...], first: int, after: int) -> Iterator[str]:
    start, stop = (parts[0][0] or first, parts[-1][1] or after) if parts else (first, first)
    if start > first:
        yield "starts late"
    if stop < after:
        yield "ends early"
    if _days(parts, first, after) < stop - start:
        yield "days are cut out"


def _clock_reasons(first: int, after: int, basis: Basis) -> Iterator[str]:
    """What the clock says, whatever the anchor is."""
    open_day = basis.open_day if basis.today is None else basis.today
    if first > open_day:
        yield "not begun"
    elif after > open_day:
        yield "still running"


def _data_reasons(
    parts: tuple[Range, ...], whole: tuple[Range, ...], data: Extent
) -> Iterator[str]:
    """What the data lacks of the days that the unit should have."""
    first, after = (whole[0][0], whole[-1][1]) if whole else (None, None)
    # A last date that lies alone says nothing about the days before it.
    last = (data.before_last or data.last).toordinal()
    if after is not None and after - 1 > last:
        yield "the data ends"
    if first is not None and first < data.first.toordinal():
        yield "the data begins later"
    start, stop = parts[0][0], parts[-1][1]
    gaps = data.missing
    if start is not None and stop is not None:
        gaps = _between(gaps, start, stop)
    missing = _days(intersection(parts, gaps), 0, 0)
    if missing:
        key = "{0} days missing" if missing > 1 else "{0} day missing"
        yield Message(key, missing, code=MISSING)
    if data.last_whole is not None and (stop is None or stop - 1 > data.last_whole.toordinal()):
        late = ((data.last_whole.toordinal() + 1, last + 1),)
        after_whole = intersection(intersection(parts, late), complement(data.missing))
        if any(data._holds(a or 0, b or last + 1) for a, b in after_whole):
            yield "half loaded"


def _days(parts: tuple[Range, ...], first: int, after: int) -> int:
    return sum((high or after) - (low or first) for low, high in parts)


def _bucket(
    parts: tuple[Range, ...],
    first: int,
    after: int,
    unit: Unit,
    labels: tuple[str, str],
    reasons: tuple[str, ...],
) -> Bucket:
    start, stop = parts[0][0] or first, parts[-1][1] or after
    unit_start = date_of(first)
    return Bucket(
        date_of(start),
        date_of(stop - 1),
        _days(parts, first, after),
        unit,
        unit_start,
        date_of(after - 1),
        after - first,
        *labels,
        reasons,
        tuple(
            LastSpan(date_of(low or first), None)
            if high == LAST_DAY + 1
            else Span(date_of(low or first), date_of(high or after))
            for low, high in parts
        ),
    )


_COARSER: Final = ("day", "week", "month", "quarter", "half", "year")


def too_many(result: Any, by: str, count: int, most: int, data: Extent | None) -> Message:
    """That there are too many buckets, with the finest unit that gives few enough."""
    for unit in _COARSER:
        try:
            fewer = len(result.buckets(unit, data=data))
        except (ResolveError, SettingError):
            continue
        if fewer <= most:
            key = "{0} {1} are more than {2}; by {3} there are {4}"
            told = f"{count:,}", _plural(by), f"{most:,}", Message(unit), f"{fewer:,}"
            return Message(key, *told, code="too-many")
    key = "{0} {1} are more than {2}, and no coarser unit fits"
    return Message(key, f"{count:,}", _plural(by), f"{most:,}", code="too-many")


def _plural(name: str) -> Message:
    unit = Unit.named(name)
    return Message(f"{name}s" if unit is None else unit.plural)


UNLISTED: Final = "not in the table"
"""Why days are in no unit: the table of the calendar lists none for them."""
MISSING: Final = "missing-days"
"""The code of days of a bucket that have no rows."""

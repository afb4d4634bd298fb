"""Totals by the hour, the minute and the second, of columns that hold times.

A unit is an hour on the local clock and takes elapsed time: where clocks are put back there is one
more of them, and where they are put forward one fewer.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import UTC, date, datetime, timedelta, tzinfo
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from ulnager.core.arguments import shown
from ulnager.core.calendars.instants import InstantArithmetic, instant_number, moment_of
from ulnager.core.calendars.zones import is_ambiguous, zone_named
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.resolution import InstantResolution, Resolution
from ulnager.core.units import Unit
from ulnager.filters.columns import column_bounds, held_as
from ulnager.numbers.comparisons import shift_of
from ulnager.numbers.daily_aggregates import (
    AskedColumn,
    Gathered,
    Measure,
    gathered_by,
    with_beside,
)
from ulnager.numbers.plan import Measures, Plan, Ranges
from ulnager.numbers.totals_rows import Totals, rows_of

if TYPE_CHECKING:
    from ulnager.core.language.period import Period

_SECOND: Final = 1_000_000
_FAR: Final = 10**13
"""So far behind the slots of a period lie those of what stands beside it."""


class TimeBucket(NamedTuple):
    """The part of a period that falls in an hour, minute or second; there is no last instant."""

    start: datetime
    stop: datetime
    unit: Unit
    unit_start: datetime
    label: str
    reasons: tuple[str, ...]
    end: date | None = None
    days: int | None = None

    @property
    def short_label(self) -> str:
        """The time of the day."""
        return f"{self.start:%H:%M}" if self.unit is not Unit.SECOND else f"{self.start:%H:%M:%S}"

    @property
    def is_whole(self) -> bool:
        """Whether nothing is missing from the unit."""
        return not self.reasons


class TimePartner(NamedTuple):
    """The unit that a bucket is compared with."""

    start: datetime
    label: str
    end: date | None = None


def hours_plan(
    asked: AskedColumn,
    result: Resolution,
    measure: Measure,
    extent: Extent,
    unit: Unit | None,
    partial: str,
    beside: str | Period | None,
    top: int | None,
    most: int,
    when: Mapping[str, Any],
) -> Plan:
    """What totals of times need; without a unit there is one row for the whole period."""
    if not asked.column.held.has_time:
        raise SettingError(
            f"column {asked.column.name!r} holds dates, and hours are of times; group by day"
        )
    if unit is not None and not unit.microseconds:
        raise SettingError(
            f"'{result.period}' is a period of hours; group it by hour, minute or second "
            f"(days are grouped by {unit})"
        )
    if measure[1] in ("median", "distinct"):
        raise SettingError(f"{measure[1]} is by the day and longer units; take another measure")
    clock = _HourClock(result, asked)
    spans = clock.spans(result, asked)
    buckets = list(clock.buckets(spans, unit, result, extent, most))
    if partial == "drop":
        buckets = [one for one in buckets if one.is_whole]
    elif partial == "keep":
        buckets = [one._replace(reasons=()) for one in buckets]
    size = clock.size(unit, spans)
    partners, pairs = _partners(beside, buckets, clock, unit)
    own = [(clock.number(one.start), clock.number(one.stop)) for one in buckets]
    wanted = [(_slots(*pair, size),) for pair in own]
    others: list[Ranges] = [() if pair is None else (_beside(*pair, size),) for pair in pairs]

    def finish(answers: Measures) -> Totals:
        rows = rows_of(buckets, partners, wanted, others, answers, measure[1], top, asked.split)
        return Totals(tuple(rows), result, (), asked)

    def held(bounds: list[tuple[int, int]]) -> Gathered:
        edges = [(clock.bound(start), clock.bound(stop)) for start, stop in bounds]
        return gathered_by(asked, [measure], size, edges)

    def gather() -> Gathered:
        found, apart = held(spans), [pair for pair in pairs if pair is not None]
        # What stands beside has slots of its own: an hour may be in part in the one, and in part in
        # the other.
        return with_beside(found, held(apart), _FAR) if apart else found

    return Plan(asked, measure, [*wanted, *others], finish, gather)


def _beside(start: int, stop: int, size: int) -> tuple[int, int]:
    first, last = _slots(start, stop, size)
    return first + _FAR, last + _FAR


def _slots(start: int, stop: int, size: int) -> tuple[int, int]:
    width = size * _SECOND
    return start // width, -(-stop // width)


class _HourClock:
    """Instants as a column has them: in UTC, or local ones without a zone, which count as UTC."""

    def __init__(self, result: Resolution, asked: AskedColumn) -> None:
        self.is_local = not asked.column.held.is_instant
        zone: Any = UTC if self.is_local else asked.tz
        if zone is None and isinstance(result, InstantResolution):
            zone = result.zone
        if zone is None:
            raise SettingError(
                f"column {asked.column.name!r} holds instants, and their hours depend on the time "
                "zone; give it as tz or --tz, such as 'Europe/London' or 'UTC'"
            )
        self.zone: tzinfo = zone_named(zone)
        self.arithmetic = InstantArithmetic(result.calendar, self.zone, timedelta())

    def spans(self, result: Resolution, asked: AskedColumn) -> list[tuple[int, int]]:
        kind = asked.column.column_type or "timestamp"
        found = []
        for start, stop in column_bounds(result, held_as(kind, self.zone)):
            if start is None or stop is None:
                raise SettingError(
                    f"'{result.period}' is open on one side; cut it first: '… within data'"
                )
            found.append((self.number(start), self.number(stop)))
        return found

    def number(self, moment: datetime) -> int:
        return instant_number(moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment)

    def moment(self, number: int) -> datetime:
        found = moment_of(number, self.zone)
        return found.replace(tzinfo=None) if self.is_local else found

    def bound(self, number: int) -> datetime:
        """An instant as the column's conditions take it."""
        found = moment_of(number, UTC)
        return found.replace(tzinfo=None) if self.is_local else found

    def label(self, start: datetime, unit: Unit) -> str:
        text = f"{start:%Y-%m-%d %H:%M}" + (f":{start:%S}" if unit is Unit.SECOND else "")
        is_twice = start.tzinfo is not None and is_ambiguous(start)
        return f"{text} {start.isoformat()[-6:]}" if is_twice else text

    def size(self, unit: Unit | None, spans: list[tuple[int, int]]) -> int:
        """The seconds of a slot: the largest whose edges those of all units are."""
        size = {Unit.HOUR: 900, Unit.MINUTE: 60}.get(unit, 1) if unit is not None else 1
        edges = [self.arithmetic._unit_start(start, Unit.HOUR) for start, _ in spans]
        return size if all(edge % (size * _SECOND) == 0 for edge in edges) else 1

    def buckets(
        self,
        spans: list[tuple[int, int]],
        unit: Unit | None,
        result: Resolution,
        extent: Extent,
        most: int,
    ) -> Iterator[TimeBucket]:
        if unit is None:
            if not spans:
                raise SettingError(f"'{result.period}' is empty; there is nothing to measure")
            start, stop = self.moment(spans[0][0]), self.moment(spans[-1][1])
            yield TimeBucket(start, stop, Unit.SECOND, start, result.label, ())
            return
        count = sum(-(-(stop - start) // unit.microseconds) for start, stop in spans)
        if count > most:
            raise SettingError(f"{count:,} {unit.plural} are more than {most:,}; group by day")
        for low, high in spans:
            first = self.arithmetic._unit_start(low, unit)
            while first < high:
                after = self.arithmetic._unit_stop(first, unit)
                # Where clocks change within an hour the next one begins when they show a full one.
                full = self.arithmetic._unit_start(after, unit)
                after = full if full > first else after
                start, stop = self.moment(max(first, low)), self.moment(min(after, high))
                reasons = tuple(self._reasons(first, after, low, high, result, extent))
                begins = self.moment(first)
                yield TimeBucket(start, stop, unit, begins, self.label(begins, unit), reasons)
                first = after

    def _reasons(
        self, first: int, after: int, low: int, high: int, result: Resolution, extent: Extent
    ) -> Iterator[str]:
        if low > first:
            yield "starts late"
        if high < after:
            yield "ends early"
        day = self.moment(first).date()
        now = result.basis.now
        if now is not None and not self.is_local:
            if first > now:
                yield "not begun"
            elif after > now:
                yield "still running"
        elif result._clock_day is not None and day.toordinal() >= result._clock_day:
            yield "still running" if day.toordinal() == result._clock_day else "not begun"
        if day > extent.last:
            yield "the data ends"
        elif extent.last_whole is not None and day > extent.last_whole:
            if extent._holds(day.toordinal(), day.toordinal() + 1):
                yield "half loaded"
        elif day < extent.first:
            yield "the data begins later"


def _partners(
    beside: Any, buckets: list[TimeBucket], clock: _HourClock, unit: Unit | None
) -> tuple[list[TimePartner | None], list[tuple[int, int] | None]]:
    """The unit beside each bucket, and the instants of it that are compared."""
    if beside is None:
        return [None] * len(buckets), [None] * len(buckets)
    shift = shift_of(beside)
    if shift is None:
        raise SettingError(
            f"beside is {shown(beside)}; beside hours stands the same period at another time, such "
            "as '1 day earlier'"
        )
    count, by = shift
    partners: list[TimePartner | None] = []
    pairs: list[tuple[int, int] | None] = []
    taken: set[int] = set()
    for one in buckets:
        begins = clock.number(one.unit_start)
        try:
            moved = clock.arithmetic._move_day(begins, by, count)
        except ResolveError:
            moved = begins
        if unit is not None:
            moved = clock.arithmetic._unit_start(moved, unit)
        if moved == begins:
            raise SettingError(
                f"{one.label} would be its own partner {abs(count)} {by.plural} away; group by a "
                "finer unit"
            )
        if moved in taken:
            partners.append(None)
            pairs.append(None)
            continue
        taken.add(moved)
        start = moved + clock.number(one.start) - begins
        pairs.append((start, start + clock.number(one.stop) - clock.number(one.start)))
        partners.append(
            TimePartner(clock.moment(moved), clock.label(clock.moment(moved), one.unit))
        )
    return partners, pairs

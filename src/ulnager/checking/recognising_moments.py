"""Which phrase a condition is whose bounds are moments: the last 24 hours, month to now.

Its bounds are looked for on DuckDB, to the microsecond, at several moments of the clock; phrases of
which both bounds are the same at each of them are what it is.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Final, NamedTuple

import numpy as np

from ulnager.checking.condition_rows import AskedCondition, Days, kept_at
from ulnager.core.calendars.instants import instant_number
from ulnager.core.errors import UlnagerError
from ulnager.core.language.period import Period, basis_of
from ulnager.core.language.phrase import period
from ulnager.core.units import Unit

_MOMENTS: Final = tuple(
    datetime(*moment, tzinfo=UTC)
    for moment in (
        (2026, 5, 20, 8, 30, 17),
        (2024, 2, 29, 23, 59, 59),
        (2025, 1, 1, 0, 0, 1),
        (2025, 3, 31, 12, 0, 30),
        (2024, 12, 30, 5, 1, 2),
        (2026, 8, 2, 17, 44, 59),
    )
)
_SECOND: Final = 1_000_000
_LENGTHS: Final = {
    Unit.HOUR: 3600 * _SECOND,
    Unit.MINUTE: 60 * _SECOND,
    Unit.SECOND: _SECOND,
    Unit.DAY: 86_400 * _SECOND,
}
_CLOCK_UNITS: Final = (Unit.HOUR, Unit.MINUTE, Unit.SECOND)
_STARTS: Final = (*_CLOCK_UNITS, Unit.DAY, Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.YEAR)
_BY_CALENDAR: Final = (Unit.MONTH, Unit.YEAR)
_SPLITS: Final = 64
_MOST: Final = 100_000
_AT_BOUND: Final = "they part on one moment only, where the one keeps its bound and the other not"


class _MomentBounds(NamedTuple):
    """Where what is kept begins and stops at each moment; None where a side is open."""

    starts: tuple[int | None, ...]
    stops: tuple[int | None, ...]


def phrase_of_moments(asked: AskedCondition) -> tuple[Period | None, str]:
    """The phrase of a condition that keeps parts of days, and why it is the nearest only, if it is;
    None where there is none."""
    found = None if asked.of_data else _bounds(asked)
    if found is None:
        return None, ""
    tick = {"epoch-seconds": _SECOND, "epoch-milliseconds": 1000}.get(asked.column_type, 1)
    for nearest, shift in (("", (0, 0)), *((_AT_BOUND, one) for one in ((0, 1), (1, 0), (1, 1)))):
        wanted = _MomentBounds(
            tuple(one if one is None else one - shift[0] * tick for one in found.starts),
            tuple(one if one is None else one - shift[1] * tick for one in found.stops),
        )
        for text in _phrases(wanted, asked.said.lower()):
            try:
                phrase = period(text)
                same = _bounds_of(phrase, asked) == wanted
            except UlnagerError:
                continue
            if same:
                return phrase, nearest
    return None, ""


def _bounds_of(phrase: Period, asked: AskedCondition) -> _MomentBounds | None:
    starts, stops = [], []
    for moment in _MOMENTS:
        ranges = phrase._resolve_on(basis_of(now=moment, tz="UTC", calendar=asked.calendar)).ranges
        if len(ranges) != 1:
            return None
        (start, stop), here = ranges[0], instant_number(moment)
        starts.append(None if start is None else start - here)
        stops.append(None if stop is None else stop - here)
    return _MomentBounds(tuple(starts), tuple(stops))


def _bounds(asked: AskedCondition) -> _MomentBounds | None:
    """Where one span begins and stops; None for what is no single span."""
    moments = np.array([instant_number(one) for one in _MOMENTS], np.int64)
    day = _LENGTHS[Unit.DAY]
    hours, days = np.arange(-240, 241) * (day // 24), np.arange(-4_000, 4_001) * day
    far = np.array([-30_000, -15_000, 15_000, 30_000]) * day
    grid = np.unique(np.concatenate([hours, hours - 1, days, far])).astype(np.int64)
    kept = kept_at(asked, moments, moments[:, None] + grid)
    changes = np.diff(kept.astype(np.int8), axis=1)
    starts: list[int | None] = []
    stops: list[int | None] = []
    for place, row in enumerate(changes):
        rises, falls = np.flatnonzero(row == 1), np.flatnonzero(row == -1)
        if len(rises) + len(falls) == 0 or max(len(rises), len(falls)) > 1:
            return None
        if len(rises) and len(falls) and falls[0] < rises[0]:
            return None
        for edges, found in ((rises, starts), (falls, stops)):
            if not len(edges):
                found.append(None)
                continue
            low, high = int(grid[edges[0]]), int(grid[edges[0] + 1])
            found.append(_edge(asked, moments[place : place + 1], low, high))
    return _MomentBounds(tuple(starts), tuple(stops))


def _edge(asked: AskedCondition, moment: Days, low: int, high: int) -> int:
    """The first of the instants after ``low`` that is kept as ``high`` is."""
    while high - low > 1:
        step = max(1, (high - low) // _SPLITS)
        between = np.append(np.arange(low, high, step), high).astype(np.int64)
        kept = kept_at(asked, moment, moment[:, None] + between)[0]
        place = int(np.argmax(kept == kept[-1]))
        low, high = int(between[place - 1]), int(between[place])
    return high


def _phrases(bounds: _MomentBounds, said: str) -> Iterator[str]:
    """Phrases that have such bounds at the first of the moments, perhaps; in the units that are
    named in what was said first."""
    start, stop = bounds.starts[0], bounds.stops[0]
    if start is not None and stop is not None:
        length = stop - start
        for unit in _CLOCK_UNITS:
            yield from (f"this {unit}", f"previous {unit}", f"next {unit}", f"{unit} to date")
            many, rest = divmod(length, _LENGTHS[unit])
            if 0 < many <= _MOST:
                for way in ("rolling", "whole"):
                    yield from (f"last {many} {way} {unit}s", f"next {many} {way} {unit}s")
                yield from (
                    f"last {many} {unit}s to end",
                    f"last {many + bool(rest)} {unit}s to date",
                )
        for first in _points(start, said):
            if stop == 0:
                yield from (f"since {first}", f"from {first} to now")
            else:
                yield from (f"from {first} to {last}" for last in _points(stop, said))
    elif start is not None:
        yield from (f"from {point}" for point in _points(start, said))
    elif stop is not None:
        yield from (f"before {point}" for point in _points(stop, said))


def _points(offset: int, said: str) -> Iterator[str]:
    """Points that lie so far from the first moment, perhaps."""
    if offset == 0:
        yield "now"
        return
    word = "before" if offset < 0 else "after"
    moment = _MOMENTS[0]
    for unit in _STARTS:
        edge = "today" if unit is Unit.DAY else f"this {unit}"
        yield f"start of {edge}"
    for unit in sorted((Unit.DAY, *_CLOCK_UNITS), key=lambda one: one.name not in said):
        many, rest = divmod(abs(offset), _LENGTHS[unit])
        if not rest and many <= _MOST:
            yield f"{many} {unit}{'s' * (many != 1)} {word} now"
    for unit in _BY_CALENDAR:
        many = round(abs(offset) / _LENGTHS[Unit.DAY] / (30.44 if unit is Unit.MONTH else 365.25))
        if 0 < many < 600:
            yield f"{many} {unit}{'s' * (many != 1)} {word} now"
    for unit, cut in (
        (Unit.HOUR, moment.replace(minute=0, second=0)),
        (Unit.MINUTE, moment.replace(second=0)),
        (Unit.DAY, moment.replace(hour=0, minute=0, second=0)),
    ):
        edge = "today" if unit is Unit.DAY else f"this {unit}"
        from_edge = offset + (instant_number(moment) - instant_number(cut))
        for one in (unit, *_CLOCK_UNITS):
            many, rest = divmod(abs(from_edge), _LENGTHS[one])
            if many and not rest and many <= _MOST:
                side = "before" if from_edge < 0 else "after"
                yield f"{many} {one}{'s' * (many != 1)} {side} start of {edge}"

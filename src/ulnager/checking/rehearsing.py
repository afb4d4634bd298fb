"""Rehearsing: a period as of every day of a range, and the days on which it surprises."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ulnager.book.schedules import rule_of
from ulnager.core.arguments import Wanted, checked, shown
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import as_period
from ulnager.core.periods import phrases
from ulnager.core.periods.anchors import Defaults, Extent
from ulnager.core.periods.clock import Clock, as_day, extent_of
from ulnager.core.values import Json

_EPOCH: Final = date(1970, 1, 1).toordinal()
_YEARS: Final = 10
_OPEN: Final = np.iinfo(np.int64).min
Days = NDArray[np.int64]
Dates = tuple[date, date]


class OtherReading(NamedTuple):
    """Another reading: on which days it has other dates, and by how many days at most."""

    phrase: str
    differs_on: tuple[Dates, ...]
    max_days: int
    lengths: Days
    """How long it is as of each day, as in :class:`Windows`."""


class Covered(NamedTuple):
    """How many uses cover each date from ``low`` on, as a day number."""

    low: int
    counts: Days

    @property
    def days(self) -> Days:
        """The dates as day numbers."""
        found: Days = np.arange(self.low, self.low + len(self.counts), dtype=np.int64)
        return found


class Windows(NamedTuple):
    """The dates of a period as of many days, as day numbers.

    ``starts`` and ``stops`` are the outer bounds of each, the least number where a side is open;
    ``lengths`` its days, -1 where that has no number; ``several`` the spans of those that have more
    than one.
    """

    days: Days
    starts: Days
    stops: Days
    lengths: Days
    several: Mapping[int, Sequence[tuple[int, int]]]

    def spans(self, place: int) -> Sequence[tuple[int, int]]:
        """The spans as of one of the days."""
        if place in self.several:
            return self.several[place]
        start, stop = int(self.starts[place]), int(self.stops[place])
        return [] if self.lengths[place] == 0 else [(start, stop)]


@dataclass(frozen=True)
class Rehearsal:
    """What a period does on each day from ``first`` to ``last``; days stand in ranges.

    ``shortest`` and ``longest`` are None where it is open or always empty. ``never`` and
    ``more_than_once`` are the dates that it leaves out and repeats where it is used on a schedule,
    or, for one day's period, every day.
    """

    period: Period
    first: date
    last: date
    shortest: int | None
    longest: int | None
    shortest_on: tuple[Dates, ...]
    longest_on: tuple[Dates, ...]
    empty_on: tuple[Dates, ...]
    still_on: tuple[Dates, ...]
    jumps_on: tuple[Dates, ...]
    readings: tuple[OtherReading, ...]
    outside_data: tuple[Dates, ...]
    never: tuple[Dates, ...]
    more_than_once: tuple[Dates, ...]
    windows: Windows
    runs: int = 0
    """How often it is used on the schedule."""
    covered: Covered | None = None

    def to_dict(self) -> Json:
        """The rehearsal as plain values, days as ranges of ISO dates."""
        return {
            "period": str(self.period),
            "first": str(self.first),
            "last": str(self.last),
            "days": {
                "min": self.shortest,
                "max": self.longest,
                "min_on": _told(self.shortest_on),
                "max_on": _told(self.longest_on),
            },
            "empty_on": _told(self.empty_on),
            "still_on": _told(self.still_on),
            "jumps_on": _told(self.jumps_on),
            "readings": [
                {
                    "phrase": one.phrase,
                    "differs_on": _told(one.differs_on),
                    "max_days": one.max_days,
                }
                for one in self.readings
            ],
            "outside_data": _told(self.outside_data),
            "never": _told(self.never),
            "more_than_once": _told(self.more_than_once),
        }

    def __repr__(self) -> str:
        return f"<rehearsal of {self.period}: {self.first} to {self.last}>"


def _told(ranges: Iterable[Dates]) -> list[dict[str, str]]:
    return [{"start": str(first), "end": str(last)} for first, last in ranges]


@checked(
    calendar=Wanted((Calendar, type(None)), "a calendar"),
    every=Wanted((str, type(None)), "a rule such as FREQ=WEEKLY;BYDAY=MO"),
)
def rehearse(
    period: Period | str,
    first: object = None,
    last: object = None,
    *,
    today: date | str | None = None,
    calendar: Calendar | None = None,
    data: object = None,
    every: str | None = None,
    defaults: Defaults | None = None,
    calendars: Mapping[str, Calendar] | None = None,
    readings: bool = True,
    starts: object = None,
) -> Rehearsal:
    """A period as of every day from ``first`` to ``last`` (ten years from today).

    Each day is the clock's day, still running. What the data says (``latest``) is answered as if
    the data went up to the day before, and were whole. ``data`` is the data that there is: its
    first and last date tell where the period leaves it. ``every`` is a rule of RFC 5545 for the
    days on which the period is used; its intervals and counts go from ``starts``, the first day
    unless it is said.

    >>> found = rehearse("last 3 whole months", "2026-01-01", "2026-12-31")
    >>> found.shortest, found.longest, found.shortest_on[0]
    (89, 92, (datetime.date(2026, 5, 1), datetime.date(2026, 5, 31)))

    Raises SettingError for days or a rule that cannot be, for hours, and for a period with slots.
    """
    period = as_period(period, calendar)
    _check(period)
    low, high = _range(first, last, today)
    days = np.arange(low, high + 1, dtype=np.int64)
    settings = {"calendar": calendar, "defaults": defaults, "calendars": calendars}
    windows = windows_of(period, days, settings)
    extent = None if data is None else extent_of(data)
    is_point = period.definition.point is not None
    begun = None if starts is None else _day(starts, "starts")
    runs = _runs(every, begun, low, high) if every is not None else days if is_point else None
    covered = _coverage(windows, np.array([], dtype=np.int64) if runs is None else runs)
    counts, dates = covered.counts, covered.days
    sized = windows.lengths[windows.lengths > 0]
    shortest = None if not len(sized) else int(sized.min())
    longest = None if not len(sized) else int(sized.max())
    moved = _moves(windows)
    return Rehearsal(
        period,
        date_of(low),
        date_of(high),
        shortest,
        longest,
        _on(windows, windows.lengths == (shortest or -2)),
        _on(windows, windows.lengths == (longest or -2)),
        _on(windows, windows.lengths == 0),
        _on(windows, moved == 0),
        _on(windows, moved > 1),
        tuple(_parts(period, windows, settings)) if readings else (),
        () if extent is None else _on(windows, _outside(windows, extent)),
        ranges_of(dates[counts == 0]),
        ranges_of(dates[counts > 1]),
        windows,
        0 if runs is None else len(runs),
        covered,
    )


def _check(period: Period) -> None:
    if isinstance(period, OpenPeriod):
        raise SettingError(f"'{period}' has slots; fill them first: .filled(n=14)")
    if period.definition.is_sub_day:
        raise SettingError(f"'{period}' is of hours; rehearsals go by the day")


def _range(first: object, last: object, today: date | str | None) -> tuple[int, int]:
    low = _day(first, "first") if first is not None else int(Clock(today).basis(GREGORIAN).anchor)
    if last is None:
        start = date_of(low)
        try:
            end = start.replace(year=start.year + _YEARS)
        except ValueError:  # 29 February, or past 9999.
            end = start + timedelta(days=min(365 * _YEARS, (date.max - start).days))
        high = end.toordinal() - 1
    else:
        high = _day(last, "last")
    if high < low:
        raise SettingError(f"last, {date_of(high)}, is before first, {date_of(low)}")
    return low, high


def _day(value: object, name: str) -> int:
    found: date = as_day(value, name)
    return found.toordinal()


def windows_of(period: Period, days: Days, settings: Mapping[str, Any]) -> Windows:
    """The dates of a period as of each of some days, as one computation where that can be."""
    definition, of_data = period.definition, False
    if definition.rule.sets_anchor and definition.args[1].asks_data:
        is_last = definition.args[1].rule in (phrases.latest, phrases.latest_whole_day)
        of_data = is_last and not definition.args[0].asks_data
    asks_data = definition.asks_data
    if of_data or not asks_data:
        try:
            if of_data:
                # As of the day before, which is over.
                return _at_once(Period(definition.args[0]), days, settings, is_before=True)
            return _at_once(period, days, settings)
        except (ResolveError, SettingError):
            pass  # Such as several spans; or a day that has none, which is empty below.
    return _one_by_one(period, days, settings, asks_data)


def _at_once(
    period: Period, days: Days, settings: Mapping[str, Any], *, is_before: bool = False
) -> Windows:
    anchors = (days - _EPOCH - is_before).astype("datetime64[D]")
    found = period.resolve_each(anchors, not is_before, **settings)
    is_open = [np.isnat(one) for one in found]
    starts, stops = (one.astype("datetime64[D]").astype(np.int64) + _EPOCH for one in found)
    lengths = np.maximum(stops - starts, 0)
    for one, missing in zip((starts, stops), is_open, strict=True):
        one[missing] = _OPEN
        lengths[missing] = -1
    return Windows(days, starts, stops, lengths, {})


def _one_by_one(
    period: Period, days: Days, settings: Mapping[str, Any], asks_data: bool
) -> Windows:
    starts, stops, lengths = (np.zeros(len(days), dtype=np.int64) for _ in range(3))
    several: dict[int, list[tuple[int, int]]] = {}
    for place, day in enumerate(days.tolist()):
        before = date_of(max(day - 1, 1))
        data = Extent(date(1, 1, 1), before, before) if asks_data else None
        try:
            ranges = period.resolve(date_of(day), data=data, **settings).ranges
        except ResolveError:
            ranges = ()
        if not ranges:
            starts[place] = stops[place] = day
            continue
        start, stop = ranges[0][0], ranges[-1][1]
        starts[place] = _OPEN if start is None else start
        stops[place] = _OPEN if stop is None else stop
        is_open = start is None or stop is None
        lengths[place] = -1 if is_open else sum((b or 0) - (a or 0) for a, b in ranges)
        if len(ranges) > 1:
            several[place] = [(a or 1, b or date.max.toordinal()) for a, b in ranges]
    return Windows(days, starts, stops, lengths, several)


def _moves(windows: Windows) -> Days:
    """How far the bounds move from the day before: 0 still, 1 a day on, more for a jump; 1 on the
    first day, and where it comes or goes."""
    moved = np.ones(len(windows.days), dtype=np.int64)
    if len(moved) < 2:
        return moved
    by_start, by_stop = np.diff(windows.starts), np.diff(windows.stops)
    jumped = (by_start < 0) | (by_start > 1) | (by_stop < 0) | (by_stop > 1)
    stood = (by_start == 0) & (by_stop == 0)
    lengths = windows.lengths
    there = (lengths[1:] != 0) & (lengths[:-1] != 0)
    stood &= there & (lengths[1:] == lengths[:-1])
    found = np.where(stood, 0, np.where(jumped & there, 2, 1))
    for place, spans in windows.several.items():
        if place and found[place - 1] == 0 and windows.spans(place - 1) != spans:
            found[place - 1] = 1
    moved[1:] = found
    return moved


def _outside(windows: Windows, extent: Extent) -> NDArray[np.bool_]:
    first, last = extent.first.toordinal(), extent.last.toordinal()
    found: NDArray[np.bool_] = (windows.lengths != 0) & (
        ((windows.starts != _OPEN) & (windows.starts < first))
        | ((windows.stops != _OPEN) & (windows.stops - 1 > last))
    )
    return found


def _parts(period: Period, windows: Windows, settings: Mapping[str, Any]) -> Iterable[OtherReading]:
    for other in period.readings().values():
        told = windows_of(other, windows.days, settings)
        apart = (told.starts != windows.starts) | (told.stops != windows.stops)
        apart &= (told.lengths != 0) | (windows.lengths != 0)
        if other == period or not apart.any():
            continue
        low, high = np.maximum(told.starts, windows.starts), np.minimum(told.stops, windows.stops)
        shared = np.maximum(high - low, 0)
        days = np.where(
            (told.lengths < 0) | (windows.lengths < 0),
            0,
            told.lengths + windows.lengths - 2 * shared,
        )
        yield OtherReading(str(other), _on(windows, apart), int(days.max()), told.lengths)


def _runs(every: str, begun: int | None, low: int, high: int) -> Days:
    from datetime import datetime, time

    first, last = (datetime.combine(date_of(day), time()) for day in (low, high))
    if begun is None and any(key in every.upper() for key in ("INTERVAL", "COUNT", "UNTIL")):
        begun = low
    rule = rule_of(every, None if begun is None else date_of(begun), date_of(low))
    found = [one.toordinal() for one in rule.between(first, last, inc=True)]
    if not found:
        raise SettingError(f"every is {shown(every)}, which is no day from {first:%Y-%m-%d} on")
    return np.array(found, dtype=np.int64)


def _coverage(windows: Windows, runs: Days) -> Covered:
    """How many runs cover each date, from the first one's to the last one's."""
    places = (runs - windows.days[0]).tolist()
    spans = [span for place in places for span in windows.spans(place)]
    if not spans or any(_OPEN in span for span in spans):
        return Covered(1, np.array([], dtype=np.int64))
    low, high = min(start for start, _ in spans), max(stop for _, stop in spans)
    changes = np.zeros(high - low + 1, dtype=np.int64)
    bounds = np.array(spans, dtype=np.int64) - low
    np.add.at(changes, bounds[:, 0], 1)
    np.add.at(changes, bounds[:, 1], -1)
    return Covered(low, np.cumsum(changes)[:-1])


def _on(windows: Windows, which: NDArray[np.bool_]) -> tuple[Dates, ...]:
    return ranges_of(windows.days[which])


def ranges_of(days: Days) -> tuple[Dates, ...]:
    """Days in order as ranges of days without a gap."""
    if not len(days):
        return ()
    edges = np.flatnonzero(np.diff(days) != 1)
    firsts = days[np.concatenate([[0], edges + 1])].tolist()
    lasts = days[np.concatenate([edges, [len(days) - 1]])].tolist()
    return tuple((date_of(a), date_of(b)) for a, b in zip(firsts, lasts, strict=True))

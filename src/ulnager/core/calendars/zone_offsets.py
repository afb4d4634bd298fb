"""How far the clocks of a zone are from UTC, as a table for engines that know no zones."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta, tzinfo
from typing import Final

from ulnager.core.calendars.zones import zone_name, zone_named
from ulnager.core.errors import SettingError

COLUMNS: Final = ("zone", "utc_start", "utc_stop", "local_start", "local_stop", "offset_seconds")
_EPOCH: Final = date(1970, 1, 1)


def offset_table(zones: Iterable[str | tzinfo], first: date, last: date) -> dict[str, list[object]]:
    """A row for each time in which a zone keeps one offset, from a day to another, both in.

    ``utc_start`` and ``utc_stop`` are seconds since 1970 in UTC, ``local_start`` and ``local_stop``
    what its clocks show then, as seconds since their own 1970-01-01 00:00. A time that the clocks
    leave out belongs to the row after it, one that they show twice to both.

    >>> from datetime import date
    >>> found = offset_table(["Europe/Berlin"], date(2026, 1, 1), date(2026, 12, 31))
    >>> found["offset_seconds"]
    [3600, 7200, 3600]

    Raises SettingError for days before 1970, and for a zone that there is not.
    """
    if first < _EPOCH or last < first or last.year > 9998:
        raise SettingError(f"offsets run from 1970-01-01 on, from a day to a later one: {first}")
    low = int(datetime(first.year, first.month, first.day, tzinfo=UTC).timestamp()) - 86_400
    high = int((datetime(last.year, last.month, last.day, tzinfo=UTC)).timestamp()) + 3 * 86_400
    low = max(low, 0)
    rows: list[tuple[object, ...]] = []
    for one in zones:
        zone = zone_named(one)
        name = zone_name(zone)
        start, offset, before = low, _offset(zone, low), _offset(zone, low)
        for change in [*_changes(zone, low, high), high]:
            rows.append((name, start, change, start + min(before, offset), change + offset, offset))
            start, before, offset = change, offset, _offset(zone, change)
    return {name: [row[place] for row in rows] for place, name in enumerate(COLUMNS)}


def _offset(zone: tzinfo, second: int) -> int:
    found = datetime.fromtimestamp(second, zone).utcoffset()
    return 0 if found is None else found // timedelta(seconds=1)


def _changes(zone: tzinfo, low: int, high: int) -> Iterable[int]:
    """The seconds at which a zone changes its offset, found by six hours and then by halves."""
    step, here = 21_600, _offset(zone, low)
    for start in range(low, high, step):
        stop = min(start + step, high)
        there = _offset(zone, stop)
        if there == here:
            continue
        before, after = start, stop
        while after - before > 1:
            middle = (before + after) // 2
            if _offset(zone, middle) == here:
                before = middle
            else:
                after = middle
        yield after
        here = there

"""What a column holds, and the bounds of a period in the column's own terms.

Every bound is half-open: ``start <= column < stop``. A row at 23:59:59.999999 on the last
day is in, and a row at midnight after it is not.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, date, datetime, time, timedelta, tzinfo
from typing import Any, Final, NamedTuple

from ulnager.core.calendars.instants import instant_number
from ulnager.core.calendars.zones import zone_named
from ulnager.core.errors import FilterError
from ulnager.core.periods.resolution import InstantResolution, Resolution

Bounds = tuple[tuple[Any, Any], ...]
"""For each span its start and stop as the column's values; None at an open side."""


def _dates(result: Resolution, zone: tzinfo | None) -> Bounds:
    if isinstance(result, InstantResolution):
        raise FilterError(
            f"'{result.period}' is a period of hours, and a column of dates holds none; "
            "filter a column of timestamps"
        )
    return tuple((span.start, span.stop) for span in result.spans)


def _timestamps(result: Resolution, zone: tzinfo | None) -> Bounds:
    return tuple((_as_time(start), _as_time(stop)) for start, stop in result.local_bounds())


def _as_time(bound: date | None) -> datetime | None:
    if bound is None or isinstance(bound, datetime):
        return bound
    return datetime.combine(bound, time())


def _instants(result: Resolution, zone: tzinfo | None) -> Bounds:
    if isinstance(result, InstantResolution):
        return result.instants(UTC)
    if zone is None:
        raise FilterError(
            "a column of instants needs to know in which zone the days are; "
            "give tz, such as 'Europe/London' or 'UTC'"
        )
    return result.instants(zone)


def _day_keys(result: Resolution, zone: tzinfo | None) -> Bounds:
    return tuple((_key(start), _key(stop)) for start, stop in _dates(result, zone))


def _key(day: date | None) -> int | None:
    return None if day is None else day.year * 10_000 + day.month * 100 + day.day


def _month_keys(result: Resolution, zone: tzinfo | None) -> Bounds:
    """A key of a month holds whole months only; FilterError names the days that do not fit."""
    rounded = _whole_months(result, zone, "inward")
    lost = [
        f"{edge} to {stop - timedelta(days=1)}"
        for (start, stop), (first, last) in zip(_dates(result, zone), rounded, strict=True)
        for edge, stop in _left_over(start, stop, first, last)
    ]
    if lost:
        raise FilterError(
            f"'{result.period}' cuts a month, which a key of months cannot tell: the days "
            f"{', '.join(lost)} would be lost; choose whole months, filter a column of days, or "
            "say with rounding whether only whole months count ('inward') or all that it touches "
            "('outward')"
        )
    return _keyed_months(rounded)


def _left_over(
    start: date | None, stop: date | None, first: date | None, last: date | None
) -> Iterator[tuple[date, date]]:
    """The days of a span before and after its whole months, each as start and stop."""
    if start and stop and first and last and first >= last:
        yield start, stop
        return
    if start is not None and first is not None and start < first:
        yield start, first
    if stop is not None and last is not None and last < stop:
        yield last, stop


def _whole_months(
    result: Resolution, zone: tzinfo | None, rounding: str
) -> list[tuple[date | None, date | None]]:
    """Each span from first of month to first of month, only whole months or all it touches."""
    down, up = (_next_first, _first) if rounding == "inward" else (_first, _next_first)
    return [(start and down(start), stop and up(stop)) for start, stop in _dates(result, zone)]


def _first(day: date) -> date:
    return day.replace(day=1)


def _next_first(day: date) -> date:
    """The first of a month on that day or after it."""
    if day.day == 1:
        return day
    if (day.year, day.month) == (9999, 12):
        raise FilterError(f"no month begins after {day} within years 1 to 9999")
    return date(day.year + day.month // 12, day.month % 12 + 1, 1)


def _keyed_months(spans: Iterable[tuple[date | None, date | None]]) -> Bounds:
    keys = ((_month_key(start), _month_key(stop)) for start, stop in spans)
    some = ((start, stop) for start, stop in keys if not (start and stop and stop <= start))
    return tuple(dict.fromkeys(some))


def _month_key(day: date | None) -> int | None:
    return None if day is None else day.year * 100 + day.month


def _epoch(size: int) -> Callable[[Resolution, tzinfo | None], Bounds]:
    """Bounds as numbers of so many microseconds since 1970 in UTC."""

    def bounds(result: Resolution, zone: tzinfo | None) -> Bounds:
        return tuple(
            (_since(start, size), _since(stop, size)) for start, stop in _instants(result, zone)
        )

    return bounds


def _since(moment: datetime | None, size: int) -> int | None:
    # Rounded up, so that a whole number is compared as the moment itself would be.
    return None if moment is None else -(-instant_number(moment) // size)


def _iso_text(result: Resolution, zone: tzinfo | None) -> Bounds:
    # A date sorts before every time on it, so this holds for text with times too.
    if result.day_starts:
        raise FilterError(
            f"days start {result.day_starts} after midnight, and text may hold dates or times; "
            "make the column timestamps first"
        )
    return tuple(
        (start and start.isoformat(), stop and stop.isoformat())
        for start, stop in _dates(result, zone)
    )


COLUMN_TYPES: Final[dict[str, Callable[[Resolution, tzinfo | None], Bounds]]] = {
    "date": _dates,
    "timestamp": _timestamps,
    "timestamptz": _instants,
    "yyyymmdd": _day_keys,
    "yyyymm": _month_keys,
    "epoch-seconds": _epoch(1_000_000),
    "epoch-milliseconds": _epoch(1_000),
    "iso-text": _iso_text,
}


INSTANT_TYPES: Final = ("timestamptz", "epoch-seconds", "epoch-milliseconds")
"""What holds instants, whose days are known only with a zone."""

ROUNDINGS: Final = ("inward", "outward")


class Held(NamedTuple):
    """What a column holds: its type, where its days are, and how a key of months is rounded.

    Made with :func:`held_as`, which checks all three.
    """

    column_type: str
    zone: tzinfo | None
    rounding: str | None = None


def held_as(
    column_type: str = "date", tz: str | tzinfo | None = None, rounding: str | None = None
) -> Held:
    """What a caller says of a column; FilterError for a type or a way to round that there is not,
    SettingError for an unknown zone."""
    check_column_type(column_type)
    check_rounding(rounding)
    return Held(column_type, None if tz is None else zone_named(tz), rounding)


def check_column_type(column_type: str) -> None:
    """FilterError for a type that there is not."""
    if column_type not in COLUMN_TYPES:
        raise FilterError(
            f"there is no column type {column_type!r}; choose {', '.join(COLUMN_TYPES)}"
        )


def check_rounding(rounding: str | None) -> None:
    """FilterError for a way to round that there is not."""
    if rounding is not None and rounding not in ROUNDINGS:
        raise FilterError(f"rounding is {rounding!r}; choose {' or '.join(ROUNDINGS)}")


def column_bounds(result: Resolution, held: Held) -> Bounds:
    """The bounds of each span for a column that holds that.

    ``column_type`` is ``date``, ``timestamp`` (local, without a zone), ``timestamptz`` (instants;
    ``zone`` says where the days are), ``yyyymmdd`` or ``yyyymm`` (whole numbers as keys of days
    or months), ``epoch-seconds`` or ``epoch-milliseconds`` (numbers since 1970 in UTC; with
    ``zone`` too), or ``iso-text``. Where a period cuts a month, a key of months takes
    ``rounding``: ``inward`` keeps only months that it covers whole, ``outward`` every month that
    it touches. Raises FilterError for another type, instants without a zone, or a key of months
    for a period that cuts one when no rounding is given.
    """
    if held.column_type == "yyyymm" and held.rounding is not None:
        return _keyed_months(_whole_months(result, held.zone, held.rounding))
    return COLUMN_TYPES[held.column_type](result, held.zone)

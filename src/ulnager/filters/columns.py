"""What a column holds, and the bounds of a period in the column's own terms.

Every bound is half-open: ``start <= column < stop``. A row at 23:59:59.999999 on the last
day is in, and a row at midnight after it is not.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime, time, tzinfo
from typing import Any, Final

from ulnager.core.errors import FilterError
from ulnager.core.instants import instant_number
from ulnager.core.resolution import InstantResolution, Resolution

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
    if isinstance(result, InstantResolution):
        return result.local_bounds()
    return tuple((_midnight(span.start), _midnight(span.stop)) for span in result.spans)


def _midnight(day: date | None) -> datetime | None:
    return None if day is None else datetime.combine(day, time())


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
    for span in result.spans:
        start, end, stop = span.start, span.end, span.stop
        meant = ""
        if start is not None and start.day != 1:
            meant = f"of {start:%Y-%m} only the days from {start} on"
        elif stop is not None and stop.day != 1:
            meant = f"of {stop:%Y-%m} only the days up to {end}"
        if meant:
            raise FilterError(
                f"'{result.period}' cuts a month, which a key of months cannot: {meant} are meant; "
                "choose whole months, or filter a column of days"
            )
    return tuple((_month_key(start), _month_key(stop)) for start, stop in _dates(result, zone))


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


def column_bounds(result: Resolution, column_type: str, zone: tzinfo | None) -> Bounds:
    """The bounds of each span for a column of that type.

    ``column_type`` is ``date``, ``timestamp`` (local, without a zone), ``timestamptz`` (instants;
    ``zone`` says where the days are), ``yyyymmdd`` or ``yyyymm`` (whole numbers as keys of days
    or months), ``epoch-seconds`` or ``epoch-milliseconds`` (numbers since 1970 in UTC; with
    ``zone`` too), or ``iso-text``. Raises FilterError for another type, instants without a zone,
    or a key of months for a period that cuts one.
    """
    bounds = COLUMN_TYPES.get(column_type)
    if bounds is None:
        raise FilterError(
            f"there is no column type {column_type!r}; choose {', '.join(COLUMN_TYPES)}"
        )
    return bounds(result, zone)

"""What a column holds, and the bounds of a period in the column's own terms.

Every bound is half-open: ``start <= column < stop``. A row at 23:59:59.999999 on the last
day is in, and a row at midnight after it is not.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime, time, tzinfo
from typing import Any, Final

from ulnager.core.errors import FilterError
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


COLUMN_TYPES: Final[dict[str, Callable[[Resolution, tzinfo | None], Bounds]]] = {
    "date": _dates,
    "timestamp": _timestamps,
    "timestamptz": _instants,
}


def column_bounds(result: Resolution, column_type: str, zone: tzinfo | None) -> Bounds:
    """The bounds of each span for a column of that type.

    ``column_type`` is ``date``, ``timestamp`` (local, without a zone) or ``timestamptz``
    (instants; ``zone`` says where the days are). Raises FilterError for another type, or
    instants without a zone.
    """
    bounds = COLUMN_TYPES.get(column_type)
    if bounds is None:
        raise FilterError(
            f"there is no column type {column_type!r}; choose {', '.join(COLUMN_TYPES)}"
        )
    return bounds(result, zone)

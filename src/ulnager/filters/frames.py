"""Resolutions applied to data frames of any common library, through Narwhals.

Lazy frames stay lazy; the rows and columns are otherwise untouched.
"""

from __future__ import annotations

from datetime import tzinfo
from typing import Any, TypeVar

import narwhals as nw

from ulnager.core.errors import FilterError
from ulnager.core.resolution import Resolution
from ulnager.core.suggest import no_such
from ulnager.core.zones import zone_named
from ulnager.filters.columns import column_bounds

FrameT = TypeVar("FrameT")


def keep(
    frame: FrameT, result: Resolution, column: str, *, tz: str | tzinfo | None = None
) -> FrameT:
    """The rows of a data frame whose date is in a resolution, as a frame of the same sort.

    ``column`` holds dates, local timestamps, or instants (timestamps with a zone). The days
    of instants are taken in ``tz``; without it, in the column's own zone. Rows without a
    date are left out.

    Raises FilterError when there is no such column or it holds no dates.
    """
    try:
        data: Any = nw.from_native(frame, pass_through=False)
    except TypeError:
        raise FilterError(
            f"{type(frame).__name__} is not a data frame that Narwhals knows; "
            "give a pandas, Polars or PyArrow table"
        ) from None
    schema = data.collect_schema()
    if column not in schema:
        raise FilterError(no_such("column", column, list(schema)))
    dtype = schema[column]
    values = nw.col(column)
    if isinstance(dtype, nw.Object):
        # pandas keeps plain Python dates as objects.
        values, dtype = values.cast(nw.Datetime("us")), nw.Datetime("us")
    zone = None if tz is None else zone_named(tz)
    if isinstance(dtype, nw.Date):
        column_type = "date"
    elif not isinstance(dtype, nw.Datetime):
        raise FilterError(
            f"column {column!r} holds {dtype}, not dates; turn it into dates or timestamps first"
        )
    elif dtype.time_zone is None:
        column_type = "timestamp"
    else:
        column_type = "timestamptz"
        zone = zone or zone_named(dtype.time_zone)
    bounds = column_bounds(result, column_type, zone)
    try:
        kept = data.filter(_mask(values, bounds))
    except (TypeError, ValueError) as error:
        raise FilterError(f"column {column!r} could not be compared with dates: {error}") from None
    native: FrameT = kept.to_native()
    return native


def _mask(values: nw.Expr, bounds: tuple[tuple[Any, Any], ...]) -> nw.Expr:
    """An expression that is true for the values inside one of the bounds."""
    spans = []
    for start, stop in bounds:
        inside = ~values.is_null()
        if start is not None:
            inside = inside & (values >= start)
        if stop is not None:
            inside = inside & (values < stop)
        spans.append(inside)
    if not spans:
        return values.is_null() & ~values.is_null()
    return nw.any_horizontal(*spans, ignore_nulls=True)

"""Resolutions applied to data frames of any common library, through Narwhals.

Lazy frames stay lazy; the rows and columns are otherwise untouched.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, timedelta, tzinfo
from itertools import zip_longest
from typing import Any, NamedTuple, TypeVar

import narwhals as nw

from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import zone_named
from ulnager.core.errors import FilterError, SettingError
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import as_period, resolved
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.grain import Grain, grain_named
from ulnager.core.periods.resolution import Resolution
from ulnager.core.suggest import no_such
from ulnager.filters.columns import Held, column_bounds
from ulnager.filters.conditions import where
from ulnager.filters.expressions import expression_where
from ulnager.filters.frozen_condition import MANY, rows_where, weekly_bounds
from ulnager.filters.lasting import Ends, checked_lasting
from ulnager.filters.sql_text import exact_column, sql_text

FrameT = TypeVar("FrameT")


class _Column(NamedTuple):
    """A column of a frame: an expression for it, what it holds, and where its days are."""

    name: str
    values: nw.Expr
    held: Held


def index_name(frame: Any) -> str | None:
    """What the index of a pandas frame is called as a column, where it holds times or was named;
    None for other frames."""
    index = getattr(frame, "index", None)
    if type(frame).__module__.partition(".")[0] != "pandas" or index is None or index.nlevels > 1:
        return None
    if index.name is not None:
        return str(index.name)
    return "index" if index.dtype.kind == "M" or hasattr(index.dtype, "tz") else None


def _by_index(frame: Any, name: str, keep: Callable[[Any], Any]) -> Any:
    """The rows of a pandas frame that are kept by its index, with that index."""
    held = frame.index.to_frame(index=False, name=name).assign(place=range(len(frame)))
    return frame.iloc[keep(held)["place"].to_numpy()]


def keep_frame(
    frame: FrameT,
    result: Resolution | Period | Bucket | str,
    column: str | None,
    *,
    tz: str | tzinfo | None = None,
    grain: str | Grain | None = None,
    rounding: str | None = None,
    until: str | None = None,
    lasting: str | None = None,
    **when: Any,
) -> FrameT:
    """The rows of a data frame whose date is in a resolution; see :func:`ulnager.keep`."""
    result = resolved(result, tz=tz, **when)
    named = index_name(frame)
    if column is None and named is None:
        raise SettingError("say which column of the frame holds the dates: column='sold_on'")
    column = column or named or ""
    if named == column and column not in frame.columns and until is None:  # type: ignore[attr-defined]
        options: dict[str, Any] = {"tz": tz, "grain": grain, "rounding": rounding}
        kept: FrameT = _by_index(
            frame, column, lambda held: keep_frame(held, result, column, **options)
        )
        return kept
    unit = grain_named(grain, calendar=result.calendar)
    if unit is not None:
        result = result._with_ranges(unit.rounded(result.ranges, rounding, str(result.period)))
    elif rounding is not None:
        raise FilterError("rounding is about a grain of more than a day; say that too: grain=")
    data = known_frame(frame)
    found = _column(data, column, tz)
    bounds = column_bounds(result, found.held)
    native: FrameT
    many = len(bounds) > MANY
    how = checked_lasting(until, lasting)
    end = None if until is None else _column(data, until, tz)
    if end is not None and not data.implementation.is_pyspark():
        ends = Ends(end.values, end.held, how)
        clause = expression_where(result, found.values, found.held, ends)
        native = data.filter(clause).to_native()
        return native
    if data.implementation.is_pyspark() or (many and data.implementation.is_duckdb()):
        # As text: through Python a local time would be taken in the driver's zone.
        last = None if end is None else Ends(exact_column(end.name), end.held, how)
        clause = rows_where(result, exact_column(column), found.held, last)
        target = "spark" if data.implementation.is_pyspark() else "duckdb"
        native = data.to_native().filter(sql_text(clause, target))
        return native
    try:
        rows = data.filter(_mask_of_many(found, result) if many else _mask(found.values, bounds))
    except (TypeError, ValueError) as error:
        raise FilterError(f"column {column!r} could not be compared with dates: {error}") from None
    native = rows.to_native()
    return native


@checked(
    column=Wanted((str,), "the name of a column"), anchor=Wanted((str,), "the name of a column")
)
def keep_each(
    source: FrameT,
    period: Period | str,
    column: str,
    *,
    anchor: str,
    running: bool = False,
    tz: str | tzinfo | None = None,
    calendar: Calendar | None = None,
    calendars: Mapping[str, Calendar] | None = None,
    defaults: Defaults | None = None,
) -> FrameT:
    """The rows whose date is in a period that is measured from each row's own anchor.

    ``anchor`` is the column of the anchors; their days are over, unless they are ``running``, as
    in :meth:`ulnager.Period.resolve_each`. Otherwise as :func:`keep`; instants in either column
    are taken to ``tz``. Rows without a date or without an anchor are left out.

    >>> import polars as pl
    >>> from datetime import date
    >>> import ulnager
    >>> seats = pl.DataFrame({
    ...     "booked_on": [date(2026, 4, 1), date(2026, 5, 1)],
    ...     "travels_on": [date(2026, 5, 20), date(2026, 5, 20)],
    ... })
    >>> late = ulnager.period("last 30 rolling days")
    >>> keep_each(seats, late, "booked_on", anchor="travels_on")["booked_on"].to_list()
    [datetime.date(2026, 5, 1)]

    Raises ResolveError for a period that may have several spans or is about hours, FilterError
    as :func:`keep` does, and for DuckDB and Spark where their SQL cannot follow the calendar.
    """
    period = as_period(period, calendar)
    data = known_frame(source)
    dated, measured = _column(data, column, tz), _column(data, anchor, tz)
    native: Any = data.to_native()
    kept: FrameT

    def mask(part: Any) -> Any:
        days, anchors = (_local_times(part, found) for found in (dated, measured))
        starts, stops = period.resolve_each(
            anchors, running, calendar, calendars=calendars, defaults=defaults
        )
        return _between(days, anchors, starts, stops)

    if isinstance(data, nw.DataFrame):
        inside = nw.new_series("inside", mask(data), nw.Boolean, backend=data.implementation)
        kept = data.filter(inside).to_native()
        return kept
    if data.implementation.is_polars():
        import polars as pl

        both = pl.struct(*dict.fromkeys((column, anchor)))
        kept = native.filter(
            both.map_batches(
                lambda rows: pl.Series(mask(nw.from_native(rows.struct.unnest()))),
                return_dtype=pl.Boolean,
            )
        )
        return kept
    if data.implementation.is_duckdb() or data.implementation.is_pyspark():
        target = "duckdb" if data.implementation.is_duckdb() else "spark"
        try:
            clause = where(
                as_period(period),
                exact_column(column),
                column_type=dated.held.column_type,
                tz=dated.held.zone or measured.held.zone,
                calendar=calendar,
                calendars=calendars,
                defaults=defaults,
                anchor=exact_column(anchor),
                anchor_type=measured.held.column_type,
                running=running,
            )
            text = sql_text(clause, target)
        except FilterError as error:
            raise FilterError(
                f"{target} works this out in SQL, and there {error}; or bring the frame into "
                "memory first, where any calendar will do"
            ) from None
        kept = native.filter(text)
        return kept
    raise FilterError(
        f"{type(source).__name__} is lazy in a way that knows no row's own anchor; compute it first"
    )


def known_frame(frame: Any) -> Any:
    """The frame as Narwhals has it; FilterError for what it does not know."""
    try:
        return nw.from_native(frame, pass_through=False)
    except TypeError:
        raise FilterError(
            f"{type(frame).__name__} is not a data frame that Narwhals knows; give a pandas or "
            "Polars frame, a PyArrow table, a DuckDB relation or a PySpark DataFrame"
        ) from None


def how_to_date(library: str, column: str) -> str:
    """How a column of texts becomes one of dates, to be put behind a message."""
    made = {
        "pandas": f"frame[{column!r}] = pandas.to_datetime(frame[{column!r}])",
        "polars": f"frame = frame.with_columns(polars.col({column!r}).str.to_date())",
    }.get(library)
    return "" if made is None else f": {made}"


def _column(data: Any, column: str, tz: str | tzinfo | None) -> _Column:
    """The column of that name, with the zone of its days if it holds instants."""
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
        return _Column(column, values, Held("date", zone))
    if not isinstance(dtype, nw.Datetime):
        how = how_to_date(str(data.implementation), column) if isinstance(dtype, nw.String) else ""
        raise FilterError(
            f"column {column!r} holds {dtype}, not dates; turn it into dates or timestamps "
            f"first{how}"
        )
    if dtype.time_zone is None:
        return _Column(column, values, Held("timestamp", zone))
    if data.implementation.is_polars() or data.implementation.is_pyarrow():
        values = values.dt.convert_time_zone("UTC")  # They compare instants of one zone only.
    return _Column(column, values, Held("timestamptz", zone or zone_named(dtype.time_zone)))


def _mask(values: nw.Expr, bounds: tuple[tuple[Any, Any], ...]) -> nw.Expr:
    """An expression that is true for the values inside one of the bounds."""
    # A null compares as false or as null, and a filter keeps neither.
    spans = []
    for start, stop in bounds:
        after = None if start is None else values >= start
        before = None if stop is None else values < stop
        if after is not None and before is not None:
            spans.append(after & before)
        else:
            spans.append(after if after is not None else before)
    if not spans:
        return values.is_null() & ~values.is_null()
    found = [~values.is_null() if span is None else span for span in spans]
    while len(found) > 1:
        # In pairs, so that no library has to go deep.
        pairs = zip_longest(found[::2], found[1::2])
        found = [one if two is None else one | two for one, two in pairs]
    return found[0]


def _mask_of_many(column: _Column, result: Resolution) -> nw.Expr:
    """Very many spans, which are mostly weekdays of longer ones."""
    weekly = weekly_bounds(result, column.held)
    if weekly is None:
        return _mask(column.values, column_bounds(result, column.held))
    local = column.values
    if column.held.type.is_instant:
        local = local.dt.convert_time_zone(str(column.held.zone))
    # Narwhals counts weekdays from 1, for Monday.
    mask = _mask(column.values, weekly.whole) & local.dt.weekday().is_in(
        [day + 1 for day in weekly.weekdays]
    )
    if weekly.less:
        mask &= ~_mask(column.values, weekly.less)
    return mask | _mask(column.values, weekly.more) if weekly.more else mask


def _local_times(part: Any, column: _Column) -> Any:
    """A column of a frame in memory as an array of ``datetime64`` in local time, NaT for nulls."""
    values = column.values
    if column.held.type.is_instant:
        values = values.dt.convert_time_zone(str(column.held.zone)).dt.replace_time_zone(None)
    try:
        found = part.select(values)[column.name].to_numpy()
    except (TypeError, ValueError) as error:
        raise FilterError(f"column {column.name!r} could not be taken for dates: {error}") from None
    return found.astype("datetime64[us]")


def is_time(data: Any, column: str) -> bool:
    """Whether a column of a frame holds times, and not dates."""
    return bool(data.collect_schema().get(column) == nw.Datetime)


def local_days(
    data: Any, column: str, tz: str | tzinfo | None, day_starts: timedelta = timedelta()
) -> list[date | None]:
    """The local dates of a column of a frame in memory, None for nulls; a day of times begins
    ``day_starts`` after midnight."""
    if data.collect_schema().get(column) == nw.Unknown:
        return [None] * len(data)  # Nothing but nulls.
    held = _column(data, column, tz)
    times = _local_times(data, held)
    if day_starts and held.held.column_type != "date":
        import numpy as np

        times = times - np.timedelta64(day_starts)
    found = times.astype("datetime64[D]")
    return [None if day is None else day for day in found.tolist()]


def _between(days: Any, anchors: Any, starts: Any, stops: Any) -> Any:
    """Where a day is between its start and its stop; NaT is an open side, if there is an anchor."""
    import numpy as np

    inside = ~np.isnat(days) & ~np.isnat(anchors)
    for edges, is_inside in ((starts, days >= starts), (stops, days < stops)):
        inside &= is_inside | np.isnat(edges)
    return inside

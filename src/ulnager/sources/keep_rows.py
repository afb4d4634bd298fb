"""The rows that a period keeps, of a data frame or of a source."""

from __future__ import annotations

from datetime import tzinfo
from pathlib import Path
from typing import Any, TypedDict, TypeVar, Unpack, overload

from ulnager.core.arguments import checked
from ulnager.core.errors import SettingError
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import Settings
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.grain import Grain
from ulnager.core.periods.resolution import Resolution
from ulnager.filters.frames import keep_frame
from ulnager.sources.kept import Kept
from ulnager.sources.opening import OfBook
from ulnager.sources.preview import preview
from ulnager.sources.source import Source

FrameT = TypeVar("FrameT")


class KeepOptions(TypedDict, total=False):
    """What may be told of a frame whose rows are kept."""

    tz: str | tzinfo | None
    grain: str | Grain | None
    rounding: str | None
    until: str | None
    lasting: str | None


@overload
def keep(
    source: Source | str | Path | OfBook,
    period: Resolution | Period | Bucket | str,
    column: str | None = ...,
    *,
    until: str | None = ...,
    lasting: str | None = ...,
    **when: Unpack[Settings],
) -> Kept: ...


@overload
def keep(
    source: FrameT,
    period: Resolution | Period | Bucket | str,
    column: str | None = ...,
    *,
    grain: str | Grain | None = ...,
    rounding: str | None = ...,
    until: str | None = ...,
    lasting: str | None = ...,
    **when: Unpack[Settings],
) -> FrameT: ...


@checked(options=Settings)
def keep(
    source: Any,
    period: Resolution | Period | Bucket | str,
    column: str | None = None,
    *,
    grain: str | Grain | None = None,
    rounding: str | None = None,
    until: str | None = None,
    lasting: str | None = None,
    **when: Unpack[Settings],
) -> object:
    """The rows of a data frame whose date is in a period, as a frame of the same sort.

    ``source`` is a pandas or Polars frame (lazy too), a PyArrow table, a DuckDB relation or a
    PySpark DataFrame. ``column`` holds dates, local timestamps, or instants (timestamps with a
    zone); without one it is the index of a pandas frame. The days of instants are taken in ``tz``;
    without it, in the column's own zone. Rows without a date are left out. A phrase or a period is
    resolved, with ``today=`` and its siblings as for :meth:`ulnager.Period.resolve`. ``grain`` is
    the unit that a row of a frame stands for, where that is more than a day, and ``rounding``
    as for :func:`ulnager.condition`. ``until`` is the column of the last day of rows that last,
    and ``lasting`` what these have to do, as for :func:`ulnager.where`. Of a source or a path
    the rows come as :class:`ulnager.Kept`, which reads or writes them.

    >>> import polars as pl
    >>> from datetime import date
    >>> sold = pl.DataFrame({"day": [date(2026, 4, 30), date(2026, 5, 1)]})
    >>> sold.pipe(keep, "month to date", "day", today="2026-05-20")["day"].to_list()
    [datetime.date(2026, 5, 1)]

    Raises FilterError when there is no such column or it holds no dates, SourceError as the
    source does.
    """
    if isinstance(source, (Source, str, Path, OfBook)):
        if grain is not None or rounding is not None:
            raise SettingError("a source knows its grain: open_source(…, grain='month')")
        held = preview(source, period, column, rows=0, until=until, lasting=lasting, **when)
        return held.kept_rows
    return keep_frame(
        source, period, column, grain=grain, rounding=rounding, until=until, lasting=lasting, **when
    )

"""What totals come out as: rows with their buckets, as plain values and as frames."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from sqlalchemy import func, select

from ulnager.core.errors import SettingError, UlnagerError
from ulnager.core.notebook_tables import ShowsItself, Table, table
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.resolution import Resolution
from ulnager.core.periods.spans import union
from ulnager.core.suggest import no_such
from ulnager.core.text import decimals_of, number_text
from ulnager.core.values import CopiesItself, Json
from ulnager.filters.columns import held_as
from ulnager.filters.frozen_condition import outside
from ulnager.numbers.cells import Windows
from ulnager.numbers.comparisons import Partner
from ulnager.numbers.daily_aggregates import AskedColumn, values_of_split
from ulnager.numbers.plan import Measures

MOST_SERIES: Final = 50
if TYPE_CHECKING:
    import pandas
    import polars
    import pyarrow

COLUMNS: Final = (
    "start",
    "end",
    "label",
    "days",
    "whole",
    "reasons",
    "split",
    "other",
    "value",
    "beside",
    "beside_start",
    "beside_end",
    "change",
    "relative",
    "share",
)


class TotalRow(NamedTuple):
    """A bucket with its value, the value beside it, and how much that is apart."""

    bucket: Bucket
    split: Any
    other: bool
    value: Any
    beside: Any
    beside_bucket: Partner | None
    change: Any
    relative: float | None
    share: float | None

    def to_dict(self) -> dict[str, Any]:
        """The row as plain values."""
        bucket, partner = self.bucket, self.beside_bucket
        held = (
            bucket.start,
            bucket.end,
            bucket.label,
            bucket.days,
            bucket.is_whole,
            list(bucket.reasons),
            self.split,
            self.other,
            self.value,
            self.beside,
            None if partner is None else partner.start,
            None if partner is None else partner.end,
            self.change,
            self.relative,
            self.share,
        )
        return dict(zip(COLUMNS, held, strict=True))


@dataclass(frozen=True)
class Totals(ShowsItself, CopiesItself):
    """The rows of :func:`totals` in order; ``notes`` say what has no partner.

    >>> import ulnager
    >>> from ulnager.demo import table
    >>> found = ulnager.totals(table("sailings"), "2026-03/2026-04", value="passengers", by="month")
    >>> [row.value for row in found.rows]
    [9079, 10934]
    """

    rows: tuple[TotalRow, ...]
    resolution: Resolution
    notes: tuple[str, ...] = ()
    _asked: AskedColumn | None = field(default=None, repr=False, compare=False)
    told_as: str | None = field(default=None, repr=False, compare=False)
    """What is told in place of the phrase, where viewers do not know that."""

    @cached_property
    def _outside(self) -> tuple[int, int, int]:
        """Rows before, after, and without a date."""
        asked = self._asked
        if asked is None:
            raise SettingError("these totals are a copy, which asks no data any more")
        value = asked.source.value(asked.column.name)
        kind = asked.column.column_type or "date"
        grain = asked.source.grain(asked.column, asked.tz, self.resolution.calendar)
        sides = outside(self.resolution, value, held_as(kind, asked.tz, "outward", grain))
        before, after = (_count(asked, [*asked.where, one]) for one in sides)
        return before, after, _count(asked, [*asked.where, value.is_(None)])

    def __getstate__(self) -> dict[str, object]:
        """Its numbers, and not what it would ask."""
        with contextlib.suppress(UlnagerError):
            _ = self._outside
        return {**self.__dict__, "_asked": None}

    @property
    def before(self) -> int:
        """How many rows lie before the period."""
        return self._outside[0]

    @property
    def after(self) -> int:
        """How many rows lie after the period."""
        return self._outside[1]

    @property
    def nulls(self) -> int:
        """How many rows have no date."""
        return self._outside[2]

    def _table(self) -> Table:
        has_split = any(row.split is not None or row.other for row in self.rows)
        has_beside = any(row.beside_bucket is not None for row in self.rows)
        head = [
            "unit",
            "start",
            "end",
            *["series"] * has_split,
            "value",
            *["beside", "change"] * has_beside,
            "because",
        ]
        rows = []
        decimals = decimals_of(one for row in self.rows for one in (row.value, row.beside))
        for row in self.rows:
            change = "" if row.relative is None else f"{row.relative:+.1%}"
            series = ["other" if row.other else row.split] * has_split
            rows.append(
                (
                    row.bucket.label,
                    row.bucket.start,
                    row.bucket.end,
                    *series,
                    number_text(row.value, decimals),
                    *[number_text(row.beside, decimals), change] * has_beside,
                    ", ".join(row.bucket.reasons),
                )
            )
        right = range(3 + has_split, len(head) - 1)
        return table(
            f"{self.resolution.period}: {self.resolution.label}", head, rows, right, self.notes
        )

    def to_dict(self) -> Json:
        """The totals as plain values, ready for JSON."""
        notes = [*(() if self.told_as else self.resolution.notes), *self.notes]
        return {
            "period": self.told_as or str(self.resolution.period),
            "label": self.resolution.label,
            "rows": [{key: _json(one) for key, one in row.to_dict().items()} for row in self.rows],
            "notes": notes,
        }

    def to_frame(
        self, library: str = "pandas"
    ) -> pandas.DataFrame | polars.DataFrame | pyarrow.Table:
        """The totals as a frame of ``pandas``, ``polars`` or ``pyarrow``, a row a bucket and split.

        In pandas, days are datetimes, so that ``resample`` and an index of dates work, and reasons
        are text.

        Raises SettingError for another library.
        """
        rows = [row.to_dict() for row in self.rows]
        columns = {name: [row[name] for row in rows] for name in COLUMNS}
        if library == "pandas":
            import pandas as pd

            for name, values in columns.items():
                if any(isinstance(one, (list, tuple)) for one in values):
                    columns[name] = ["; ".join(map(str, one or ())) for one in values]
                elif any(isinstance(one, date) for one in values):
                    columns[name] = pd.to_datetime(pd.Series(values), errors="coerce")
            return pd.DataFrame(columns)
        if library == "polars":
            import polars as pl

            return pl.DataFrame(columns, strict=False)
        if library == "pyarrow":
            import pyarrow as pa

            return pa.table(columns)
        raise SettingError(no_such("library", str(library), ["pandas", "polars", "pyarrow"]))

    def __repr__(self) -> str:
        period = self.told_as or self.resolution.period
        return f"<totals of {period}: {len(self.rows):,} row{'s' * (len(self.rows) != 1)}>"


def rows_of(
    buckets: Sequence[Any],
    partners: Sequence[Any],
    wanted: Windows,
    others: Windows,
    answers: Measures,
    how: str,
    top: int | None,
    split: str | tuple[str, ...] | None,
) -> Iterator[TotalRow]:
    """The rows of totals: for each bucket one of each series, with what stands beside it."""
    series = _series(answers, how, top, split, wanted)
    values = [answers.of(one.keys, wanted) for one in series]
    sides = [answers.of(one.keys, others) for one in series]
    for place, bucket in enumerate(buckets):
        partner = partners[place]
        whole = None
        if how in ("count", "sum"):
            whole = sum(one[place] for one in values if one[place] is not None)
        for number, one in enumerate(series):
            value = values[number][place]
            side = None if partner is None else sides[number][place]
            change = relative = None
            if value is not None and side is not None:
                change = value - side
                relative = float(change / side) if side else None
            share = float(value / whole) if whole and value is not None else None
            yield TotalRow(
                bucket, one.name, one.is_other, value, side, partner, change, relative, share
            )


class _Series(NamedTuple):
    """The values of the split that are one series, its name, and whether it is all the rest."""

    keys: list[Any]
    name: Any
    is_other: bool = False


def _series(
    answers: Measures,
    how: str,
    top: int | None,
    split: str | tuple[str, ...] | None,
    wanted: Windows,
) -> list[_Series]:
    if split is None:
        return [_Series([None], None)]
    every = union(one for window in wanted for one in window)
    sizes = {key: answers.of([key], [every])[0] or 0 for key in answers.splits()}
    # Those that have nothing in the period were asked for beside it only.
    ordered = sorted(sizes, key=lambda key: (-sizes[key], key is None, str(key)))
    if top is None:
        if len(ordered) > MOST_SERIES:
            told = split if isinstance(split, str) else " and ".join(split)
            raise SettingError(
                f"{told} has {len(ordered):,} values; at most {MOST_SERIES} are split; say how "
                "many of the largest: top=5"
            )
        return [_Series([key], values_of_split(key, split)) for key in ordered]
    found = [_Series([key], values_of_split(key, split)) for key in ordered[:top]]
    return [*found, _Series(ordered[top:], None, True)] if ordered[top:] else found


def _count(asked: AskedColumn, clauses: list[Any]) -> int:
    ((rows,),) = asked.source.run(
        select(func.count()).select_from(asked.source.rows).where(*clauses)
    )
    return int(rows)


def _json(value: Any) -> Any:
    if isinstance(value, date):
        return value.isoformat()
    return float(value) if isinstance(value, Decimal) else value

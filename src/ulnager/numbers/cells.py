"""Cells: what each day holds of a source, as arrays, and the measures of any dates put together.

Dates are put together by slices of the days that have rows, whatever calendar they come from, so a
bucket, a window and what stands beside either are all the same question.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ulnager.core.periods.spans import Range

Array = NDArray[Any]
Windows = Sequence[Sequence[Range]]
"""For each bucket or window the ranges of its days, by their numbers; no side is open."""

_SAFE: Final = 2**62
"""Whole numbers whose sum may be more than this are added as Python adds them."""


class Valued(NamedTuple):
    """What each day holds of a column; an aggregate that nobody asked for is None."""

    values: Array | None = None
    total: Array | None = None
    low: Array | None = None
    high: Array | None = None
    nans: Array | None = None
    """How many values are no number (NaN), which are counted as missing."""


class Cells(NamedTuple):
    """The days with rows, in order, their rows, and by column what the column holds on each."""

    days: NDArray[np.int64]
    rows: NDArray[np.int64]
    valued: Mapping[str, Valued]

    def nans(self, value: str, windows: Windows) -> int:
        """How many values of a column are no number in some windows."""
        held = self.valued.get(value)
        if held is None or held.nans is None or not len(self.days):
            return 0
        return sum(int(one or 0) for one in self._sums(held.nans, windows))

    def measures(self, how: str, value: str | None, windows: Windows) -> list[Any]:
        """A measure of each window: 0 for counts and sums of nothing, None for the others."""
        if not len(self.days):
            return [0 if how in ("count", "sum") else None] * len(windows)
        found = Valued() if value is None else self.valued[value]
        if how == "count":
            of = self.rows if value is None else found.values
            return self._sums(of, windows)
        if how == "sum":
            return self._sums(found.total, windows)
        if how == "mean":
            totals, counts = self._sums(found.total, windows), self._sums(found.values, windows)
            return [_mean(total, count) for total, count in zip(totals, counts, strict=True)]
        column, least = (found.low, np.minimum) if how == "min" else (found.high, np.maximum)
        assert column is not None
        there = np.array([one is not None for one in column], dtype=bool)
        kept = _typed(list(column[there]))
        return _reduced(self.days[there], kept, windows, least, min if how == "min" else max, None)

    def _sums(self, column: Array | None, windows: Windows) -> list[Any]:
        assert column is not None
        return _reduced(self.days, column, windows, np.add, sum, 0)

    def days_with_rows(self, windows: Windows) -> list[int]:
        """How many days of each window have rows."""
        if not len(self.days):
            return [0] * len(windows)
        return self._sums(np.ones(len(self.days), dtype=np.int64), windows)


def _mean(total: Any, count: int) -> Any:
    if not count:
        return None
    return float(total / count) if isinstance(total, Decimal) else total / count


def _reduced(
    days: Array,
    column: Array,
    windows: Windows,
    joins: np.ufunc,
    together: Callable[[Any], Any],
    nothing: Any,
) -> list[Any]:
    """The values of each window put together; ``nothing`` where there are none."""
    sizes = [len(window) for window in windows]
    flat = np.array([edges for window in windows for edges in window], dtype=np.int64)
    if not len(flat) or not len(column):
        return [nothing] * len(windows)
    low, high = np.searchsorted(days, flat[:, 0]), np.searchsorted(days, flat[:, 1])
    # Every other slice lies between two windows, and is left out.
    pairs = np.column_stack([low, high]).ravel()
    parts = joins.reduceat(np.append(column, column[-1:]), pairs)[::2].tolist()
    held = (low < high).tolist()
    if all(size == 1 for size in sizes):
        return [part if is_held else nothing for part, is_held in zip(parts, held, strict=True)]
    found, place = [], 0
    for size in sizes:
        some = [parts[n] for n in range(place, place + size) if held[n]]
        found.append(together(some) if some else nothing)
        place += size
    return found


def cells_from(
    days: Sequence[int], rows: Sequence[int], valued: Mapping[str, Mapping[str, Sequence[Any]]]
) -> Cells:
    """Cells of columns of equal length, put in the order of their days."""
    order = np.argsort(np.array(days, dtype=np.int64), kind="stable")
    return Cells(
        np.array(days, dtype=np.int64)[order],
        np.array(rows, dtype=np.int64)[order],
        {
            name: Valued(**{key: _column(key, one)[order] for key, one in found.items()})
            for name, found in valued.items()
        },
    )


def _column(key: str, values: Sequence[Any]) -> Array:
    if key in ("low", "high"):
        return _objects(values)
    return _typed([0 if one is None else one for one in values])


def _typed(values: list[Any]) -> Array:
    """Whole and floating numbers as NumPy has them where their sum is exact, else as they are."""
    kinds = set(map(type, values))
    if kinds <= {int} and sum(map(abs, values)) < _SAFE:
        return np.array(values, dtype=np.int64)
    if kinds == {float}:
        return np.array(values, dtype=np.float64)
    return _objects(values)


def _objects(values: Sequence[Any]) -> Array:
    found = np.empty(len(values), dtype=object)
    found[:] = list(values)
    return found


def joined(parts: Sequence[Cells]) -> Cells:
    """The cells of several splits as one; none of none."""
    if len(parts) == 1:
        return parts[0]
    if not parts:
        nothing = np.array([], dtype=np.int64)
        return Cells(nothing, nothing, {})
    days, inverse = np.unique(np.concatenate([part.days for part in parts]), return_inverse=True)
    order = np.argsort(inverse, kind="stable")
    edges = np.searchsorted(inverse[order], np.arange(len(days)))

    def summed(columns: list[Array]) -> Array:
        every = np.concatenate(columns)[order]
        return np.add.reduceat(every, edges) if len(days) else every

    def extreme(columns: list[Array], which: Callable[[Any], Any]) -> Array:
        every = np.concatenate(columns)[order].tolist()
        stops = [*edges.tolist()[1:], len(every)]
        return _objects(
            [
                which([one for one in every[start:stop] if one is not None] or [None])
                for start, stop in zip(edges.tolist(), stops, strict=True)
            ]
        )

    valued: dict[str, Valued] = {}
    for name, first in parts[0].valued.items():
        held = {
            key: [getattr(part.valued[name], key) for part in parts]
            for key in Valued._fields
            if getattr(first, key) is not None
        }
        put: dict[str, Callable[[list[Array]], Array]] = {
            "values": summed,
            "total": summed,
            "nans": summed,
            "low": lambda columns: extreme(columns, min),
            "high": lambda columns: extreme(columns, max),
        }
        valued[name] = Valued(**{key: put[key](columns) for key, columns in held.items()})
    return Cells(days.astype(np.int64), summed([part.rows for part in parts]), valued)

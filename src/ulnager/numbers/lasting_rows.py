"""How many rows were open: totals of rows that last, from the day they begin to the day they end.

A row counts in every unit that it overlaps, so that totals of days, weeks and months are no sums
of one another.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, Final

import numpy as np
from sqlalchemy import func, select

from ulnager.core.calendars.zones import LAST_DAY
from ulnager.core.errors import SettingError
from ulnager.core.messages import Message
from ulnager.numbers.cells import Windows
from ulnager.numbers.daily_aggregates import AskedColumn, asked_of, day_number
from ulnager.numbers.plan import Plan
from ulnager.numbers.totals_rows import Totals

HOWS: Final = ("count", "sum")


class LastingRows:
    """The measures of windows over rows that last; only counts of pairs of days travel."""

    def __init__(self, asked: AskedColumn, until: str, value: str | None, how: str) -> None:
        if how not in HOWS:
            raise SettingError(f"{how} of rows that last cannot be told; take count or sum")
        source = asked.source
        ends = asked_of(source, until, asked.tz, None, None, None).day
        wanted: Any = func.count() if value is None else func.count(source.value(value))
        if how == "sum":
            wanted = func.sum(source.value(value or ""))
        split = asked.split_by.label("ulnager_split")
        columns = [asked.day.label("since"), ends.label("until"), split]
        query = select(*columns, wanted).select_from(source.rows).where(*asked.where)
        by = columns if asked.split is not None else columns[:2]
        rows: dict[Any, list[tuple[int, int, Any]]] = {}
        for start, end, name, count in source.run(query.group_by(*by)):
            if start is not None and count is not None:
                last = LAST_DAY if end is None else day_number(end)
                rows.setdefault(name, []).append((day_number(start), last, count))
        self._rows = {
            name: (
                np.array([one[0] for one in some], dtype=np.int64),
                np.array([one[1] for one in some], dtype=np.int64),
                np.array([one[2] for one in some], dtype=object),
            )
            for name, some in rows.items()
        }
        self._how, self._is_split = how, asked.split is not None

    def splits(self) -> list[Any]:
        """The values of the split, in no order."""
        return list(self._rows)

    def of(self, keys: Sequence[Any], windows: Windows) -> list[Any]:
        """The measure of each window: a row that overlaps several of its spans counts once."""
        found = []
        names = [key for key in keys if key in self._rows] if self._is_split else list(self._rows)
        for window in windows:
            held = [self._in(name, window) for name in names]
            some = [one for one in held if one is not None]
            found.append(sum(some[1:], some[0]) if some else 0 if self._how == "count" else None)
        return found

    def _in(self, name: Any, window: Sequence[tuple[int | None, int | None]]) -> Any:
        starts, ends, values = self._rows[name]
        inside = np.zeros(len(starts), dtype=bool)
        for first, stop in window:
            is_there = np.ones(len(starts), dtype=bool)
            if stop is not None:
                is_there &= starts < stop
            if first is not None:
                is_there &= ends >= first
            inside |= is_there
        return values[inside].sum() if inside.any() else None

    def days_with_rows(self, keys: Sequence[Any], windows: Windows) -> list[int]:
        """Not of rows that last: SettingError."""
        raise SettingError("days with rows are not counted of rows that last")


def lasting_totals(plan: Plan, until: str) -> Totals:
    """The totals of a plan over rows that last until a column's day; SettingError for times."""
    if plan.gather is not None:
        raise SettingError("rows that last are told by the day and longer units, not by hours")
    found: Totals = plan.finish(LastingRows(plan.asked, until, *plan.measure))
    if len({row.bucket.start for row in found.rows}) < 2:
        return found
    key = "a row counts in each unit that it overlaps, so that these do not add up"
    return replace(found, notes=(*found.notes, Message(key, code="overlapping")))

"""Plans: what a measure needs of a source, and what becomes of the answer.

A total and a running measure say first which days they need, and are finished when these are there;
so several of them can be answered by one question.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple, Protocol

from sqlalchemy import ColumnElement, case, select

from ulnager.core.periods.spans import Range, intersection, union
from ulnager.numbers.cells import Cells, Windows, joined
from ulnager.numbers.daily_aggregates import (
    FROM_DAYS,
    AskedColumn,
    Gathered,
    Measure,
    exact_measure,
    gathered,
)

_AT_ONCE = 200
"""So many windows are told apart in one question."""

_FEW = 4
"""So many ranges of days are tried one after the other."""

Ranges = tuple[Range, ...]


class Measures(Protocol):
    """The measures of some windows, for some values of a split together."""

    def splits(self) -> list[Any]:
        """The values of the split, in no order."""

    def of(self, keys: Sequence[Any], windows: Windows) -> list[Any]:
        """The measure of each window; for all rows where nothing is split."""

    def days_with_rows(self, keys: Sequence[Any], windows: Windows) -> list[int]:
        """How many days of each window have rows."""


class Plan(NamedTuple):
    """What is asked, of which windows, and what is made of the answers."""

    asked: AskedColumn
    measure: Measure
    windows: Sequence[Ranges]
    finish: Callable[[Measures], Any]
    gather: Callable[[], Gathered] | None = None
    """A question of its own, where days do not do: of hours and minutes."""

    @property
    def ranges(self) -> Ranges:
        """All days that are needed."""
        return union(one for window in self.windows for one in window)

    def answered(self, held: Gathered | None = None) -> Any:
        """What comes out, of days that were gathered already, or of a question of its own."""
        value, how = self.measure
        if how in FROM_DAYS:
            if self.gather is not None:
                held = self.gather()
            held = held or gathered(self.asked, [self.measure], self.ranges)
            return self.finish(FromDays(held.cells, value, how, self.asked.split is not None))
        return self.finish(FromSource(self.asked, [self.measure], self.windows).each()[0])


class FromDays:
    """Answers of what each day holds."""

    def __init__(
        self, cells: Mapping[Any, Cells], value: str | None, how: str, is_split: bool
    ) -> None:
        self.cells, self.value, self.how, self.is_split = cells, value, how, is_split

    def _of(self, keys: Sequence[Any]) -> Cells:
        return joined([self.cells[key] for key in (keys if self.is_split else self.cells)])

    def splits(self) -> list[Any]:
        return list(self.cells)

    def of(self, keys: Sequence[Any], windows: Windows) -> list[Any]:
        return self._of(keys).measures(self.how, self.value, windows)

    def days_with_rows(self, keys: Sequence[Any], windows: Windows) -> list[int]:
        return self._of(keys).days_with_rows(windows)

    def nans(self, windows: Windows) -> int:
        """How many values of the windows are no number, and are counted as missing."""
        if self.value is None:
            return 0
        return sum(one.nans(self.value, windows) for one in self.cells.values())


class FromSource:
    """Answers that do not come together from days, such as medians: each window is asked for.

    Windows that lie apart are asked for together, and all measures of them at once.
    """

    def __init__(self, asked: AskedColumn, measures: Sequence[Measure], windows: Windows) -> None:
        self.asked, self.measures = asked, measures
        self.known: dict[Ranges, list[dict[Any, Any]]] = {}
        self._ask(windows)

    def each(self) -> list[Measures]:
        """The answers for each measure."""
        return [_Exactly(self, place, how) for place, (_, how) in enumerate(self.measures)]

    def _ask(self, windows: Windows) -> None:
        wanted = [tuple(window) for window in windows if window]
        left = [one for one in dict.fromkeys(wanted) if one not in self.known]
        while left:
            batch: list[Ranges] = []
            covered: Ranges = ()
            later = []
            for window in left:
                if len(batch) < _AT_ONCE and not intersection(covered, window):
                    batch.append(window)
                    covered = union([*covered, *window])
                else:
                    later.append(window)
            self._ask_for(batch)
            left = later

    def _ask_for(self, windows: list[Ranges]) -> None:
        asked, source = self.asked, self.asked.source
        split = asked.split_by.label("split")
        columns = [exact_measure(source, how, value) for value, how in self.measures]
        # Ranges stand as they are in WHERE, and once more to tell the windows apart.
        pieces = sorted(
            ((one, place) for place, window in enumerate(windows) for one in window),
            key=lambda piece: (piece[0][0] is not None, piece[0][0]),
        )
        number = self._place(pieces).label("place")
        every = asked.kept([one for window in windows for one in window])
        if len(windows) == 1:
            query = select(split, *columns).select_from(source.rows).where(*every)
            query = query if asked.split is None else query.group_by(split)
            found = [(0, *row) for row in source.run(query)]
        else:
            query = select(number, split, *columns).select_from(source.rows).where(*every)
            by = [number] if asked.split is None else [number, split]
            found = source.run(query.group_by(*by))
        for window in windows:
            self.known[window] = [{} for _ in self.measures]
        for place, key, *values in found:
            for known, value in zip(self.known[windows[int(place)]], values, strict=True):
                known[key] = value

    def _place(self, pieces: Sequence[tuple[Range, int]]) -> ColumnElement[Any]:
        """The number of the window that a day lies in, found by halves."""
        asked, source = self.asked, self.asked.source
        if len(pieces) <= _FEW:
            return case(
                *((source.days_in(asked.column, asked.tz, [one]), place) for one, place in pieces),
                else_=-1,
            )
        middle = len(pieces) // 2
        first = (pieces[0][0][0], pieces[middle - 1][0][1])
        return case(
            (source.days_in(asked.column, asked.tz, [first]), self._place(pieces[:middle])),
            else_=self._place(pieces[middle:]),
        )

    def answer(self, place: int, how: str, keys: Sequence[Any], windows: Windows) -> list[Any]:
        """One measure of each window."""
        self._ask(windows)
        nothing = 0 if how == "distinct" else None
        found = []
        for window in windows:
            known = self.known[tuple(window)][place].get(keys[0]) if window else None
            found.append(nothing if known is None else known)
        return found

    def rows_on(self, keys: Sequence[Any], windows: Windows) -> list[int]:
        """How many days of each window have rows."""
        held = gathered(self.asked, [], union(one for window in windows for one in window))
        return FromDays(held.cells, None, "count", self.asked.split is not None).days_with_rows(
            keys, windows
        )


class _Exactly(NamedTuple):
    source: FromSource
    place: int
    how: str

    def splits(self) -> list[Any]:
        answers = self.source.known.values()
        return list(dict.fromkeys(key for one in answers for key in one[self.place]))

    def of(self, keys: Sequence[Any], windows: Windows) -> list[Any]:
        return self.source.answer(self.place, self.how, keys, windows)

    def days_with_rows(self, keys: Sequence[Any], windows: Windows) -> list[int]:
        return self.source.rows_on(keys, windows)

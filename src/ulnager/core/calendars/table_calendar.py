"""Calendars read from a table: units that start on the days that the table lists.

Each unit of the table follows its own list of starts; every other unit is that of another
calendar, the base. Outside the table's days there are no units, and asking is an error.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from datetime import date, timedelta
from itertools import pairwise
from typing import TYPE_CHECKING, Any, NamedTuple

from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars import unit_labels as labels
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.messages import OFF_TABLE, Message
from ulnager.core.units import UNIT_NAMES, Unit, own_unit
from ulnager.core.values import Json

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


class TableRow(NamedTuple):
    """One unit of a table: its sort, its first day, and its last day and label if given."""

    unit: str
    start: date
    end: date | None = None
    label: str | None = None


class _Listed(NamedTuple):
    """The units of one sort: their starts with the stop of the last one, and their labels."""

    edges: tuple[int, ...]
    labels: tuple[str | None, ...]
    on_firsts: bool
    """Whether all but the first, which may be cut, start on the first of a month."""


class TableCalendar(Calendar):
    """Units from rows of ``(unit, start, end, label)``, other units from ``base``.

    Where rows have no ``end``, each unit ends where the next one starts, and the last row of
    a unit only says where the one before it ends. Days moved by such a unit keep their
    distance from its start, up to its last day.

    >>> terms = TableCalendar([
    ...     TableRow("term", date(2025, 9, 8), date(2026, 1, 11), "Autumn 2025"),
    ...     TableRow("term", date(2026, 1, 12), date(2026, 6, 30), "Spring 2026"),
    ... ])
    >>> terms.label(date(2026, 1, 12), terms.own_units[0])
    'Spring 2026'

    Raises SettingError, naming the row (from 1 on), for gaps, overlaps, disorder, labels that
    occur twice, and units of a single row without an end.
    """

    _FIELDS = ("rows", "base")
    kind = "table"

    rows: tuple[TableRow, ...]
    base: Calendar
    _tables: dict[Unit, _Listed]

    @checked(
        rows=Wanted((Iterable,), "rows of unit, start, end and label"),
        base=Wanted((Calendar,), "a calendar"),
    )
    def __init__(self, rows: Iterable[Iterable[Any]], base: Calendar = GREGORIAN) -> None:
        try:
            found = tuple(_stripped(TableRow(*row)) for row in rows)
        except TypeError:
            raise SettingError(
                "each row of a table calendar is a unit, its start, and if need be end and label: "
                "('term', '2026-01-12')"
            ) from None
        self._put(
            rows=found,
            base=base,
            business=base.business,
            cycles=base.cycles,
            _tables=_checked(found),
        )
        self._check_labels()

    @property
    def _has_periods(self) -> bool:
        return self.base._has_periods

    @property
    def _names_months(self) -> bool:
        listed = self._tables.get(Unit.MONTH)
        return self.base._names_months if listed is None else listed.on_firsts

    @property
    def _is_fiscal(self) -> bool:
        return self.base._is_fiscal

    @property
    def own_units(self) -> tuple[Unit, ...]:
        listed = (unit for unit in self._tables if unit.name not in UNIT_NAMES)
        return (*listed, *self.base.own_units)

    def _lists(self, unit: Unit) -> bool:
        """Whether the rows list that unit; others are the base's."""
        return unit in self._tables

    def _some_day(self, unit: Unit) -> int:
        table = self._tables.get(unit)
        if table is None:
            return self.base._some_day(unit)
        return table.edges[(len(table.edges) - 1) // 2]  # The first one may be cut.

    def _unit_number(self, day: int, unit: Unit) -> int:
        table = self._tables.get(unit)
        if table is None:
            return self.base._unit_number(day, unit)
        # The day after the last one starts a unit that is not listed, but that ends the last one.
        if not table.edges[0] <= day <= table.edges[-1]:
            raise self._outside(unit, table)
        return bisect_right(table.edges, day) - 1

    def _listed(self, unit: Unit, start: int, stop: int) -> tuple[int, int]:
        table = self._tables.get(unit)
        if table is None:
            return self.base._listed(unit, start, stop)
        begins, ends = max(start, table.edges[0]), min(stop, table.edges[-1])
        if begins >= ends:
            raise self._outside(unit, table)
        return begins, ends

    def _lists_day(self, day: Any, unit: Unit) -> Any:
        table = self._tables.get(unit)
        return table is None or (table.edges[0] <= day) & (day < table.edges[-1])

    def _start(self, number: int, unit: Unit, table: _Listed) -> int:
        if not 0 <= number < len(table.edges):
            raise self._outside(unit, table)
        return table.edges[number]

    def _outside(self, unit: Unit, table: _Listed) -> ResolveError:
        first, last = date_of(table.edges[0]), date_of(table.edges[-1] - 1)
        told = (
            f"the table lists each {unit} from {first} to {last} only; "
            "add rows to it, or choose another anchor"
        )
        return ResolveError(Message(told, code=OFF_TABLE))

    def _unit_start(self, day: int, unit: Unit) -> int:
        table = self._tables.get(unit)
        if table is None:
            return self.base._unit_start(day, unit)
        return self._start(self._unit_number(day, unit), unit, table)

    def _move_start(self, start: int, unit: Unit, count: int) -> int:
        table = self._tables.get(unit)
        if table is None:
            return self.base._move_start(start, unit, count)
        if start == table.edges[-1]:
            return self._start(len(table.edges) - 1 + count, unit, table)
        return self._start(self._unit_number(start, unit) + count, unit, table)

    def _move_day(self, day: int, unit: Unit, count: int) -> int:
        table = self._tables.get(unit)
        if table is None:
            return self.base._move_day(day, unit, count)
        number = self._unit_number(day, unit)
        there = self._start(number + count, unit, table)
        stop = self._start(number + count + 1, unit, table)
        return min(there + day - table.edges[number], stop - 1)

    def _keeps(self, aligned: Unit, moved_by: Unit) -> Unit | None:
        if aligned in self._tables or moved_by in self._tables:
            return super()._keeps(aligned, moved_by)
        return self.base._keeps(aligned, moved_by)

    def _varies(self, unit: Unit, smaller: Unit) -> bool:
        listed = unit in self._tables or smaller in self._tables
        return not listed and self.base._varies(unit, smaller)

    def _made_of(self, unit: Unit) -> tuple[Unit, int]:
        return (unit, 1) if unit in self._tables else self.base._made_of(unit)

    def _fixed_days(self, unit: Unit) -> int:
        return 0 if unit in self._tables else self.base._fixed_days(unit)

    def _place_step(self, unit: Unit) -> int:
        return 1 if unit in self._tables else self.base._place_step(unit)

    def _unit_starts(self, unit: Unit, first: int, last: int) -> NDArray[np.int64]:
        table = self._tables.get(unit)
        if table is None:
            return self.base._unit_starts(unit, first, last)
        import numpy as np

        self._start(first, unit, table)
        self._start(last, unit, table)
        return np.array(table.edges[first : last + 1], dtype=np.int64)

    def _year_name(self, day: int) -> int:
        return self.base._year_name(day)

    def _label(self, day: int, unit: Unit, *, short: bool = False) -> str:
        """The label in the table, or the base's for its units."""
        table = self._tables.get(unit)
        if table is None:
            return self.base._label(day, unit, short=short)
        if not self._lists_day(day, unit):
            raise self._outside(unit, table)
        return table.labels[self._unit_number(day, unit)] or super()._label(day, unit, short=short)

    def _labelled(self, text: str) -> tuple[int, int] | None:
        wanted = text.strip().casefold()
        for table in self._tables.values():
            for place, label in enumerate(table.labels):
                if label is not None and label.casefold() == wanted:
                    return table.edges[place], table.edges[place + 1]
        return super()._labelled(text) or self.base._labelled(text)

    def _check_labels(self) -> None:
        """SettingError for a label that means something else as well."""
        rows: dict[str, int] = {}
        for number, row in enumerate(self.rows, 1):
            if not row.label:
                continue
            if '"' in row.label and "'" in row.label:
                raise SettingError(f"row {number}: {row.label!r} has both sorts of quotes; use one")
            wanted = row.label.casefold()
            if wanted in rows:
                raise SettingError(
                    f"row {number}: the label {row.label!r} is that of row {rows[wanted]} too"
                )
            rows[wanted] = number
            other = labels.unit_labelled(self, row.label)
            if other is not None and other[0] != row.start.toordinal():
                raise SettingError(
                    f"row {number}: {row.label!r} is what this calendar calls the {other[1]} from "
                    f"{date_of(other[0])}; choose another label"
                )

    def describe(self) -> Json:
        return {
            "kind": self.kind,
            "units": {
                unit.name: [str(date_of(table.edges[0])), str(date_of(table.edges[-1] - 1))]
                for unit, table in self._tables.items()
            },
            "base": self.base.describe(),
        }

    def __str__(self) -> str:
        return f"table of {', '.join(unit.plural for unit in self._tables)}; {self.base}"


def _stripped(row: TableRow) -> TableRow:
    return row._replace(label=row.label.strip() or None) if isinstance(row.label, str) else row


def _checked(rows: tuple[TableRow, ...]) -> dict[Unit, _Listed]:
    """The units that the rows list; SettingError with the row that is wrong."""
    by_unit: dict[str, list[tuple[int, TableRow]]] = {}
    for number, row in enumerate(rows, 1):
        if not isinstance(row.start, date):
            raise SettingError(f"row {number}: the start is {row.start!r}; give a date")
        by_unit.setdefault(str(row.unit).strip().lower(), []).append((number, row))
    if not by_unit:
        raise SettingError("the table has no rows; list each unit with its start")
    return {
        UNIT_NAMES.get(name) or own_unit(name): _listed(name, listed)
        for name, listed in by_unit.items()
    }


def _listed(name: str, rows: list[tuple[int, TableRow]]) -> _Listed:
    for (number, row), (after, following) in pairwise(rows):
        if following.start <= row.start:
            raise SettingError(
                f"row {after}: this {name} starts on {following.start}, not after the one in row "
                f"{number} on {row.start}; put the rows in order"
            )
        day_before = following.start - timedelta(days=1)
        if row.end is not None and row.end != day_before:
            what = "a gap after" if row.end < day_before else "an overlap with"
            raise SettingError(
                f"row {after}: this {name} starts on {following.start}, which leaves {what} row "
                f"{number}, which ends on {row.end}"
            )
    for number, row in rows:
        if row.end is not None and row.end < row.start:
            raise SettingError(f"row {number}: this {name} ends on {row.end}, before it starts")
    number, last = rows[-1]
    edges = [row.start.toordinal() for _, row in rows]
    if last.end is not None:
        edges.append(last.end.toordinal() + 1)
    elif len(rows) == 1:
        raise SettingError(f"row {number}: the only {name} has no end; add one, or a next row")
    on_firsts = all(row.start.day == 1 for _, row in rows[1:])
    return _Listed(tuple(edges), tuple(row.label for _, row in rows[: len(edges) - 1]), on_firsts)

"""The rows that a period keeps of a source, as a table of their own."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import tzinfo
from typing import Any

from sqlalchemy import ColumnElement, select

from ulnager.core.periods.resolution import InstantResolution, ResolutionBase
from ulnager.core.values import CopiesItself
from ulnager.filters.columns import held_as
from ulnager.filters.frozen_condition import frozen_where, rows_where
from ulnager.filters.lasting import Ends
from ulnager.sources.source import Column, Relation


def ends_in(
    source: Relation, until: str, tz: str | tzinfo | None, lasting: str = "overlap"
) -> Ends:
    """The column of the last day of rows that last, as a source holds it."""
    last = source.column(until)
    return Ends(source.value(last.name), held_as(last.column_type or "date", tz), lasting)


def rows_in(
    source: Relation,
    column: Column,
    tz: str | tzinfo | None,
    result: ResolutionBase,
    until: str | None = None,
) -> ColumnElement[bool]:
    """That a column lies in the dates of a resolution, or in its times; that a row overlaps them,
    with the column of its last day. FilterError for the times of a column of dates."""
    if until is not None:
        held = held_as(column.column_type or "date", tz)
        return rows_where(result, source.value(column.name), held, ends_in(source, until, tz))
    if not isinstance(result, InstantResolution):
        return source.days_in(column, tz, result.ranges)
    return frozen_where(
        result, source.value(column.name), held_as(column.column_type or "date", tz)
    )


@dataclass(frozen=True)
class Kept(CopiesItself):
    """The rows of a source that meet a condition, in the source's own order.

    They are read when they are asked for: ``rows()`` brings them here, ``write(target)`` puts them
    into a CSV or Parquet file or a new table of a database. A pickled one holds them.
    """

    source: Relation | None
    condition: ColumnElement[bool] | None
    held: tuple[tuple[str, ...], list[tuple[Any, ...]]] | None = None

    @property
    def columns(self) -> tuple[str, ...]:
        """The names of the columns."""
        if self.held is not None:
            return self.held[0]
        return tuple(column.name for column in self._asked.columns)

    def rows(self) -> list[tuple[Any, ...]]:
        """The rows, each a tuple in the order of the columns."""
        return self.held[1] if self.held is not None else self._asked.run(self._statement())

    @property
    def _asked(self) -> Relation:
        assert self.source is not None
        return self.source

    def __reduce__(self) -> tuple[Any, ...]:
        return Kept, (None, None, (self.columns, self.rows()))

    def write(
        self,
        target: str,
        *,
        name: str = "kept_rows",
        password: str | None = None,
        replace: bool = False,
        for_spreadsheets: bool = False,
    ) -> int:
        """Write the rows to a .csv or .parquet file, or to the table ``name`` of a database.

        How many were written. What is there already is kept, and a SourceError, unless it is to
        ``replace``. ``for_spreadsheets`` puts an apostrophe before texts of a .csv file that a
        spreadsheet would run as formulas.
        """
        from ulnager.sources.written_tables import (
            check_spreadsheets,
            new_file,
            write_rows,
            write_table,
        )

        target = str(target)
        check_spreadsheets(target, for_spreadsheets)
        if "://" in target:
            return write_rows(
                self.columns, self.rows(), target, name=name, password=password, replace=replace
            )
        copied = getattr(self.source, "copied", None)
        if copied is not None:
            with new_file(target, replace) as part:
                return copied(  # type: ignore[no-any-return]
                    self._statement(), part, for_spreadsheets=for_spreadsheets
                )
        rows = self.rows()
        values = [list(column) for column in zip(*rows, strict=True)] or [[] for _ in self.columns]
        held = dict(zip(self.columns, values, strict=True))
        return write_table(held, target, replace=replace, for_spreadsheets=for_spreadsheets)

    def _statement(self) -> Any:
        source, condition = self._asked, self.condition
        assert condition is not None
        columns = [source.value(column.name) for column in source.columns]
        return select(*columns).select_from(source.rows).where(condition)

"""The first rows that a chart keeps, in an order, with their count; and all of them as CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any, Final

from sqlalchemy import ColumnElement, func, select

from ulnager.core.errors import SettingError, SourceError
from ulnager.core.suggest import no_such
from ulnager.core.values import CopiesItself, Json
from ulnager.sources.source import Relation
from ulnager.sources.writing import as_text

MOST_WRITTEN: Final = 1_000_000
_AT_ONCE: Final = 2_000
_WAYS: Final = ("ascending", "descending")


@dataclass(frozen=True)
class ShownRows(CopiesItself):
    """The first rows of a period, in the columns that are named, and how many there are in all."""

    columns: tuple[str, ...]
    rows: tuple[tuple[Any, ...], ...]
    count: int

    def to_dict(self) -> Json:
        """The rows as plain values, ready for JSON."""
        return {
            "columns": list(self.columns),
            "rows": [list(map(_plain, row)) for row in self.rows],
            "count": self.count,
        }

    def __repr__(self) -> str:
        return f"<{len(self.rows):,} of {self.count:,} rows>"


def shown_rows(
    source: Relation,
    kept: Sequence[ColumnElement[bool]],
    columns: Sequence[str],
    order: Sequence[str],
    limit: int,
) -> ShownRows:
    """The first rows that meet all conditions, in an order such as ``fares descending``.

    Raises SourceError for a column that is not there.
    """
    rows = _ordered(source, kept, columns, order, limit)
    ((count,),) = source.run(select(func.count()).select_from(source.rows).where(*kept))
    return ShownRows(tuple(columns), tuple(rows), int(count))


def csv_of(
    source: Relation,
    kept: Sequence[ColumnElement[bool]],
    columns: Sequence[str],
    order: Sequence[str],
) -> Iterator[bytes]:
    """All rows that meet the conditions as pieces of a CSV file, texts that a spreadsheet would run
    with an apostrophe before them.

    Raises SettingError for more than a million, before anything is written.
    """
    rows = _ordered(source, kept, columns, order, MOST_WRITTEN + 1)
    if len(rows) > MOST_WRITTEN:
        raise SettingError(f"more than {MOST_WRITTEN:,} rows; choose fewer days")
    return _pieces(columns, rows)


def _pieces(columns: Sequence[str], rows: Sequence[tuple[Any, ...]]) -> Iterator[bytes]:
    for start in range(0, max(1, len(rows)), _AT_ONCE):
        text = io.StringIO()
        writer = csv.writer(text)
        if not start:
            writer.writerow(map(as_text, columns))
        for row in rows[start : start + _AT_ONCE]:
            writer.writerow([as_text(one) if isinstance(one, str) else _plain(one) for one in row])
        yield text.getvalue().encode()


def _ordered(
    source: Relation,
    kept: Sequence[ColumnElement[bool]],
    columns: Sequence[str],
    order: Sequence[str],
    limit: int,
) -> list[tuple[Any, ...]]:
    there = {column.name for column in source.columns}
    named = [*columns, *(way_of(one)[0] for one in order)]
    for name in named:
        if name not in there:
            raise SourceError(f"{source.name}: {no_such('column', name, sorted(there))}")
    by = []
    for one in order:
        name, is_down = way_of(one)
        by.append(source.rows.c[name].desc() if is_down else source.rows.c[name].asc())
    # What is equal in the order stands in the order of its columns, so that it is always the same.
    by += [source.rows.c[name].asc() for name in columns]
    shown = [source.value(name) for name in columns]
    query = select(*shown).select_from(source.rows).where(*kept).order_by(*by).limit(limit)
    return source.run(query)


def way_of(text: str) -> tuple[str, bool]:
    """A column and whether it goes down, of ``fares descending``."""
    name, _, way = text.strip().rpartition(" ")
    return (name.strip(), way == "descending") if name and way in _WAYS else (text.strip(), False)


def _plain(value: Any) -> Any:
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, Decimal):
        return float(value)
    is_plain = value is None or isinstance(value, (str, int, float, bool))
    return value if is_plain else str(value)

"""CSV and Parquet files, read through DuckDB.

A source is opened read-only, under the name ``data`` inside; nothing that runs here can
change it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import tzinfo
from pathlib import Path
from typing import Any, Final

import duckdb

from ulnager.core.definitions import Extent
from ulnager.core.errors import SourceError
from ulnager.core.suggest import no_such
from ulnager.core.zones import zone_named

_READERS: Final = {
    ".csv": "read_csv",
    ".tsv": "read_csv",
    ".txt": "read_csv",
    ".csv.gz": "read_csv",
    ".parquet": "read_parquet",
    ".pq": "read_parquet",
}
_COLUMN_TYPES: Final = {
    "DATE": "date",
    "TIMESTAMP": "timestamp",
    "TIMESTAMP_S": "timestamp",
    "TIMESTAMP_MS": "timestamp",
    "TIMESTAMP_NS": "timestamp",
    "TIMESTAMP WITH TIME ZONE": "timestamptz",
}


@dataclass(frozen=True)
class Column:
    """A column of a source: its name, the engine's type, and what Ulnager makes of it.

    ``column_type`` is ``date``, ``timestamp`` or ``timestamptz``, or None for other columns.
    """

    name: str
    engine_type: str
    column_type: str | None


class FileSource:
    """A CSV or Parquet file (or several, with ``*`` in the name) to look into.

    ``columns`` holds its columns in order. Raises SourceError when it cannot be read.
    """

    def __init__(self, path: str | Path) -> None:
        self.name = str(path)
        reader = _reader_for(self.name)
        self._connection = duckdb.connect()
        self._connection.execute("SET TimeZone = 'UTC'")
        try:
            relation = getattr(self._connection, reader)(self.name)
            relation.create_view("data")
            self.columns = tuple(
                Column(name, str(kind), _COLUMN_TYPES.get(str(kind)))
                for name, kind in zip(relation.columns, relation.types, strict=True)
            )
        except duckdb.Error as error:
            raise SourceError(f"{self.name} cannot be read: {_first_line(error)}") from None

    @property
    def date_columns(self) -> tuple[Column, ...]:
        """The columns that hold dates or timestamps."""
        return tuple(column for column in self.columns if column.column_type)

    def column(self, name: str | None) -> Column:
        """The date column of that name, or the only one there is when no name is given.

        Raises SourceError for a column that is not there or holds no dates, naming those
        that do.
        """
        dates = [column.name for column in self.date_columns]
        if name is None:
            if len(dates) == 1:
                return self.date_columns[0]
            held = ", ".join(f"{column.name} {column.engine_type}" for column in self.columns)
            found = f"there are {len(dates)}: {', '.join(dates)}" if dates else f"none of {held}"
            raise SourceError(f"{self.name}: say which date column is meant; {found}")
        for column in self.columns:
            if column.name == name:
                if column.column_type is None:
                    raise SourceError(self._no_dates(column, dates))
                return column
        names = [column.name for column in self.columns]
        raise SourceError(f"{self.name}: {no_such('column', name, names)}")

    def extent(self, name: str | None = None, tz: str | tzinfo | None = None) -> Extent:
        """The first and last date of a column; instants are taken to the zone ``tz``.

        Raises SourceError when the column holds no date at all.
        """
        column = self.column(name)
        value = local_value(column, tz)
        ((first, last, rows),) = self.query(
            f"SELECT min({value})::DATE, max({value})::DATE, count(*) FROM data"
        )
        if first is None:
            what = "has no rows" if not rows else f"has {rows:,} rows and no date in any of them"
            raise SourceError(f"{self.name}: column {column.name!r} {what}")
        return Extent(first, last)

    def query(self, sql: str, parameters: Sequence[Any] = ()) -> list[tuple[Any, ...]]:
        """The rows of a query over the view ``data``; SourceError when the engine refuses."""
        try:
            rows: list[tuple[Any, ...]] = self._connection.execute(sql, list(parameters)).fetchall()
        except duckdb.Error as error:
            raise SourceError(f"{self.name} cannot be read: {_first_line(error)}") from None
        return rows

    def _no_dates(self, column: Column, dates: Sequence[str]) -> str:
        name = quoted(column.name)
        sample = self.query(f"SELECT {name} FROM data WHERE {name} IS NOT NULL LIMIT 1")
        such = f", such as {str(sample[0][0])[:40]!r}" if sample else ""
        others = f"columns with dates are: {', '.join(dates)}" if dates else "no column holds dates"
        return (
            f"{self.name}: column {column.name!r} holds {column.engine_type}{such}, "
            f"not dates; {others}"
        )


def open_source(path: str | Path) -> FileSource:
    """A CSV or Parquet file, opened for reading.

    >>> from ulnager.demo import table
    >>> open_source(table("sailings")).extent("sailed_on").last
    datetime.date(2026, 5, 17)

    Raises SourceError for a file that is missing, empty, of another sort, or damaged.
    """
    return FileSource(path)


def local_value(column: Column, tz: str | tzinfo | None) -> str:
    """The SQL for a column's local date or time. SourceError for instants without a zone."""
    name = quoted(column.name)
    if column.column_type != "timestamptz":
        return name
    if tz is None:
        raise SourceError(
            f"column {column.name!r} holds instants, and their days depend on the time zone; "
            "give it as tz or --tz, such as 'Europe/London' or 'UTC'"
        )
    return f"timezone('{zone_named(tz)}', {name})"


def quoted(name: str) -> str:
    """A name as a quoted SQL identifier."""
    return '"' + name.replace('"', '""') + '"'


def _reader_for(name: str) -> str:
    path = Path(name)
    suffix = "".join(path.suffixes[-2:]) if path.suffix == ".gz" else path.suffix
    reader = _READERS.get(suffix.lower())
    if path.is_dir():
        raise SourceError(f"{name} is a folder; name a file in it, or all with {name}/*.parquet")
    if "*" not in name:
        if not path.exists():
            near = _near_file(path)
            hint = f"; did you mean {near}?" if near else ""
            raise SourceError(f"there is no file {name}{hint}")
        if path.stat().st_size == 0:
            raise SourceError(f"{name} is empty: it has no header and no rows")
    if reader is None:
        raise SourceError(
            f"{name}: files are read by their ending; known are {', '.join(_READERS)}"
        )
    return reader


def _near_file(path: Path) -> str | None:
    from ulnager.core.suggest import nearest

    if not path.parent.is_dir():
        return None
    near = nearest(path.name, (other.name for other in path.parent.iterdir() if other.is_file()))
    return str(path.parent / near) if near else None


def _first_line(error: Exception) -> str:
    """What the engine says, without its own headings and advice."""
    text = str(error).strip().split("\n")[0]
    return text.split(": ", 1)[-1] if "Error: " in text else text

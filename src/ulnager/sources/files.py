"""CSV and Parquet files, read through DuckDB.

A source is opened read-only, under the name ``data`` inside; nothing that runs here can
change it.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any, Final

import duckdb
import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.filters.sql import sql_text
from ulnager.sources.base import Column, Source

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


class FileSource(Source):
    """A CSV or Parquet file (or several, with ``*`` in the name) to look into.

    ``columns`` holds its columns in order. Raises SourceError when it cannot be read.
    """

    dialect_name = "duckdb"

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
        self.rows = sa.table(
            "data", *(sa.column(sa.quoted_name(c.name, quote=True)) for c in self.columns)
        )

    def run(self, statement: sa.Executable) -> list[tuple[Any, ...]]:
        assert isinstance(statement, sa.ClauseElement)
        return self.query(sql_text(statement, "duckdb"))

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        """The rows of a query over the view ``data``; SourceError when the engine refuses."""
        try:
            rows: list[tuple[Any, ...]] = self._connection.execute(sql).fetchall()
        except duckdb.Error as error:
            raise SourceError(f"{self.name} cannot be read: {_first_line(error)}") from None
        return rows


def open_source(source: str | Path, table: str | None = None) -> Source:
    """A CSV or Parquet file, or a table of a database, opened for reading.

    ``source`` is a path, or an SQLAlchemy URL with the ``table``: its name, or a ``SELECT``.

    >>> from ulnager.demo import table
    >>> open_source(table("sailings")).extent("sailed_on").last
    datetime.date(2026, 5, 17)

    Raises SourceError for what is missing, empty, of another sort, or cannot be reached.
    """
    if "://" in str(source):
        if table is None:
            raise SourceError("a database needs a table: its name, or a SELECT that stands for one")
        from ulnager.sources.databases import TableSource

        return TableSource(str(source), table)
    return FileSource(source)


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

"""The embedded engine, DuckDB, behind locked doors: it reads files and its own databases.

A connection may open the files that were named and nothing else, its settings cannot be changed
any more, and each thread has a cursor of its own.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any, Final, Self, TypeAlias

import duckdb
import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.core.messages import NO_SUCH, Message
from ulnager.core.text import visible
from ulnager.filters.sql_text import sql_text
from ulnager.sources.duckdb_text import first_line, quoted, quoted_name, text
from ulnager.sources.guard import limits_now, own_folder
from ulnager.sources.queries import check_lengths, checked_query
from ulnager.sources.source import Column, Relation, asked, told_asked, too_long
from ulnager.sources.writing import as_text, as_text_sql

Rows: TypeAlias = list[tuple[Any, ...]]
_SETTINGS: Final = {
    # It would fetch them over the network, and keep them in the home folder.
    "autoinstall_known_extensions": "false",
    "autoload_known_extensions": "false",
}


def started(path: str = ":memory:") -> duckdb.DuckDBPyConnection:
    """A connection to an engine of its own, or to a database that is written to."""
    return duckdb.connect(path, config=dict(_SETTINGS))


def pass_on(error: Exception) -> None:
    """Raise KeyboardInterrupt where the engine found that somebody pressed Ctrl-C."""
    if isinstance(error, duckdb.InterruptException) or str(error) == "Query interrupted":
        raise KeyboardInterrupt from None


_COLUMN_TYPES: Final = {
    "DATE": "date",
    "TIMESTAMP": "timestamp",
    "TIMESTAMP_S": "timestamp",
    "TIMESTAMP_MS": "timestamp",
    "TIMESTAMP_NS": "timestamp",
    "TIMESTAMP WITH TIME ZONE": "timestamptz",
    "TIMESTAMPTZ_NS": "timestamptz",
}

# What the engine, and what makes values of Python out of its own, may raise.
_OF_ENGINE: Final = (duckdb.Error, RuntimeError, TypeError, ValueError, OverflowError, MemoryError)
_BATCH: Final = 10_000
_MOST_LOOKED_AT: Final = 50
_OTHER_FORMS: Final = "['%d/%m/%Y', '%m/%d/%Y', '%d.%m.%Y', '%Y/%m/%d', '%d-%m-%Y', '%d %b %Y']"
_WITH_NAME: Final = r"\s*(\d{1,2}\.?\s+)?\p{L}{3,}\.?\s+\d{4}\s*"
"""A month by its name, and a year."""


class _Timestamptz(sa.types.UserDefinedType[Any]):
    cache_ok = True

    def get_col_spec(self, **_: Any) -> str:
        return "TIMESTAMPTZ"


class EmbeddedSource(Relation):
    """The base of the sources that DuckDB reads.

    ``timeout`` is in seconds; None for no limit.
    """

    dialect_name = "duckdb"
    rows_sql = "FROM data"
    """A SELECT of all rows."""
    tables: tuple[str, ...] = ()
    """The tables that a query may speak of."""
    answers: Callable[[str, Callable[[str], Rows]], Rows] | None = None
    """Where what it answered is kept, if somebody does."""
    _begins = ""

    def __init__(self, name: str, timeout: float | None = None) -> None:
        self.name = name
        self.timeout = timeout
        self._own = threading.local()

    def connect(self, database: str | None = None) -> None:
        """Open an engine of the source's own, with its clock in UTC; a database for reading."""
        # What is opened by its path would be shared with all others in this process.
        try:
            self._connection = started()
            self._connection.execute("SET GLOBAL TimeZone = 'UTC'")
            if database is not None:
                self._connection.execute(
                    f"ATTACH {text(database)} AS store (READ_ONLY, TYPE duckdb)"
                )
                self._begins = "USE store"
        except (duckdb.Error, RuntimeError) as error:
            raise self.unreadable(error) from None

    def lock(self, files: Iterable[str] = ()) -> None:
        """From here on only these files can be opened, and no setting changed."""
        allowed = ", ".join(text(file) for file in files)
        folder = f"{own_folder()}/{id(self):x}"
        for setting in (
            f"allowed_paths = [{allowed}]",
            f"temp_directory = {text(folder)}",
            f"memory_limit = {text(f'{limits_now().memory}B')}",
            "python_enable_replacements = false",
            "enable_external_access = false",
            "lock_configuration = true",
        ):
            self._connection.execute(f"SET {setting}")

    def run(self, statement: sa.Executable) -> list[tuple[Any, ...]]:
        assert isinstance(statement, sa.ClauseElement)
        sql = sql_text(statement, "duckdb")
        return self.fetched(sql) if self.answers is None else self.answers(sql, self.fetched)

    def again(self) -> Self:
        found = super().again()
        found._own = threading.local()  # One that is left to itself keeps its own cursor.
        return found

    def query(self, sql: str) -> list[tuple[Any, ...]]:
        """The rows of a query over the source's tables.

        Raises SourceError for anything but one SELECT that only reads, and when the engine
        refuses it.
        """
        return self.fetched(checked_query(sql, "duckdb", self.tables))

    def fetched(self, sql: str) -> list[tuple[Any, ...]]:
        """The rows of one statement that was written here, or checked."""
        told_asked(self.name, sql)
        if len(found := duckdb.extract_statements(sql)) != 1 or (
            found[0].type != duckdb.StatementType.SELECT
        ):
            raise SourceError(f"{self.name}: only one SELECT at a time is sent to the engine")
        cursor = self.cursor()

        def late() -> SourceError:
            self._own = threading.local()  # The engine is still at it; the next gets another.
            return SourceError(too_long(self.name, self.timeout))

        try:
            return asked(
                lambda: cursor.execute(sql).fetchall(), cursor.interrupt, self.timeout, late
            )
        except duckdb.InterruptException:
            raise SourceError(too_long(self.name, self.timeout)) from None
        except _OF_ENGINE as error:
            raise self.unreadable(error) from None

    def copied(
        self, statement: sa.Select[Any], target: Path, *, for_spreadsheets: bool = False
    ) -> int:
        """Writes the rows of a select into a new CSV or Parquet file; how many they were.

        They are read behind the locked doors, and written by another engine, which knows nothing
        but these rows.
        """
        query = sql_text(statement, "duckdb")
        form = "FORMAT csv, HEADER" if target.suffix.lower() == ".csv" else "FORMAT parquet"
        columns = self.described(query)
        types = ", ".join(f"{quoted(c.name)} {c.engine_type}" for c in columns)
        written = "kept"
        if for_spreadsheets:
            shown = (
                f"{as_text_sql(quoted(c.name)) if c.engine_type == 'VARCHAR' else quoted(c.name)} "
                f"AS {quoted(as_text(c.name))}"
                for c in columns
            )
            written = f"(SELECT {', '.join(shown)} FROM kept)"
        try:
            with started() as writer:
                writer.execute("SET TimeZone = 'UTC'")
                writer.execute(f"CREATE TABLE kept ({types})")
                try:
                    found = self.cursor().sql(query)
                    # What it is called has changed once; older ones know the other name only.
                    batches = getattr(found, "to_arrow_reader", None) or found.fetch_arrow_reader
                    writer.register("batches", batches(_BATCH))
                    writer.execute("INSERT INTO kept SELECT * FROM batches")
                except (ImportError, AttributeError, duckdb.InvalidInputException):
                    # Without PyArrow, row by row.
                    signs = ", ".join("?" * len(self.columns))
                    read = self.cursor().execute(query)
                    while rows := read.fetchmany(_BATCH):
                        writer.executemany(f"INSERT INTO kept VALUES ({signs})", rows)
                writer.execute(f"COPY {written} TO {text(str(target))} ({form})")
                return int(writer.execute("SELECT count(*) FROM kept").fetchall()[0][0])
        except (duckdb.Error, RuntimeError) as error:
            raise self.unreadable(error) from None

    def cursor(self) -> Any:
        """The cursor of this thread: two in one would get each other's rows."""
        found = getattr(self._own, "cursor", None)
        if found is None:
            found = self._own.cursor = self._connection.cursor()
            if self._begins:
                found.execute(self._begins)
        return found

    def nearly_dates(self) -> str:
        """Names the columns of text that are dates but for some values, with the first of these."""
        found = []
        for column in [c for c in self.columns if c.engine_type == "VARCHAR"][:_MOST_LOOKED_AT]:
            name = quoted(column.name)
            as_date = (
                f"coalesce(TRY_CAST({name} AS TIMESTAMP), try_strptime({name}, {_OTHER_FORMS}))"
            )
            ((dates, values, named),) = self.fetched(
                f"SELECT count({as_date}), count({name}), count(*) FILTER ({name} SIMILAR TO "
                f"{text(_WITH_NAME)}) FROM ({self.rows_sql}) WHERE {name} <> ''"
            )
            if dates * 2 > values:
                other = self.fetched(
                    f"SELECT {name} FROM ({self.rows_sql}) "
                    f"WHERE {name} <> '' AND {as_date} IS NULL LIMIT 1"
                )
                but = (
                    f", but {str(other[0][0])[:40]!r} is none (a SELECT as --table that has "
                    "try_strptime(…, '%Y-%m-%d')::DATE makes nulls of such values)"
                    if other
                    else ""
                )
                but = but or self.how_to_date(column.name)
                found.append(f"; {column.name!r} holds dates in {dates:,} rows{but}")
            elif named * 2 > values:
                found.append(
                    f"; {column.name!r} has months by their names, of which English ones are read "
                    "only: write them as numbers, 2026-03 or 03/2026"
                )
        return "".join(found) or super().nearly_dates()

    def how_to_date(self, name: str) -> str:
        """How a column of texts that are all dates becomes one of dates."""
        return f"; give a SELECT with {quoted(name)}::DATE as --table (table=)"

    def value(self, name: str) -> sa.ColumnElement[Any]:
        column = super().value(name)
        if any(one.name == name and one.engine_type == "TIMESTAMPTZ_NS" for one in self.columns):
            # Few functions of the engine know this type.
            return sa.cast(column, _Timestamptz())
        return column

    def described(self, sql: str) -> tuple[Column, ...]:
        """The columns of a SELECT, without its rows."""
        try:
            described = self.cursor().execute(f"DESCRIBE {sql}").fetchall()
        except (duckdb.Error, RuntimeError, TypeError, ValueError) as error:
            raise self.unreadable(error) from None
        return tuple(Column(row[0], row[1], _COLUMN_TYPES.get(row[1])) for row in described)

    def queried(self, text: str, tables: Iterable[str] | None = None) -> tuple[sa.FromClause, str]:
        """A query as a table to select from, and its checked text; it may name ``tables`` only."""
        query = checked_query(text, "duckdb", tables)
        columns: list[Any] = [sa.column(quoted_name(c.name)) for c in self.described(query)]
        rows = sa.text(query.replace(":", "\\:")).columns(*columns).subquery("data")
        return rows, query

    def unreadable(self, error: Exception) -> SourceError:
        """What the engine said, as an error of ours; who interrupts it is not told that."""
        pass_on(error)
        return SourceError(f"{self.name} cannot be read: {first_line(error)}")


class EmbeddedTable(EmbeddedSource):
    """A table, a view or a query of a DuckDB database file, opened for reading only."""

    def __init__(self, path: str, name: str, table: str, timeout: float | None) -> None:
        super().__init__(name, timeout)
        self.connect(path)
        self.lock()
        known = self.fetched(
            "SELECT table_schema, table_name FROM information_schema.tables "
            "WHERE table_catalog = 'store'"
        )
        self._check_views(table)
        self.tables = tuple(known_table for _, known_table in known)
        self.rows, self.rows_sql = self._found(table, known)
        self.columns = self.described(self.rows_sql)

    def _check_views(self, table: str) -> None:
        """SourceError for a view behind a table or a query that makes huge texts, itself or by
        other views."""
        views = dict(
            self.fetched(
                "SELECT lower(view_name), sql FROM duckdb_views() "
                "WHERE database_name = 'store' AND NOT internal"
            )
        )
        waiting = [table]
        while waiting:
            said = waiting.pop().lower()
            for name in [one for one in views if one in said]:
                sql = views.pop(name)
                check_lengths(sql, f"{self.name}: the view {visible(name)}")
                waiting.append(sql)

    def _found(self, table: str, known: Sequence[tuple[Any, ...]]) -> tuple[sa.FromClause, str]:
        from ulnager.core.suggest import no_such
        from ulnager.sources.queries import looks_like_query

        if looks_like_query(table):
            return self.queried(table)
        schema, _, own = table.rpartition(".")
        if (schema or "main", own) not in {(row[0], row[1]) for row in known}:
            names = [one if of == "main" else f"{of}.{one}" for of, one in known]
            raise SourceError(
                Message("{0}: {1}", self.name, no_such("table", table, names), code=NO_SUCH)
            )
        place = f"{quoted(schema or 'main')}.{quoted(own)}"
        columns: list[Any] = [
            sa.column(quoted_name(c.name)) for c in self.described(f"FROM {place}")
        ]
        return sa.table(quoted_name(own), *columns, schema=quoted_name(schema or "main")), (
            f"FROM {place}"
        )

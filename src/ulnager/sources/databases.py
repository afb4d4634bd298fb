"""Tables and queries of a database, through SQLAlchemy. Reading only."""

from __future__ import annotations

import re
from datetime import date, datetime
from typing import Any, Final

import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.core.suggest import no_such
from ulnager.sources.base import Column, Source

# What makes a connection refuse to change anything, by dialect.
_READ_ONLY: Final = {
    "sqlite": "PRAGMA query_only = ON",
    "postgresql": "SET SESSION CHARACTERISTICS AS TRANSACTION READ ONLY",
    "mysql": "SET SESSION TRANSACTION READ ONLY",
    "mariadb": "SET SESSION TRANSACTION READ ONLY",
}


class TableSource(Source):
    """A table of a database, or a query that stands for one.

    ``url`` is an SQLAlchemy URL; ``table`` is a name, with its schema before a dot if need be,
    or a ``SELECT``. The connection is read-only where the database can be told so, and the
    password in the URL appears in no message. Raises SourceError when it cannot be read.
    """

    def __init__(self, url: str, table: str) -> None:
        try:
            parsed = sa.engine.make_url(url)
        except sa.exc.ArgumentError:
            raise SourceError("the database's URL cannot be read; see SQLAlchemy's URLs") from None
        self.name = f"{parsed.render_as_string(hide_password=True)}, {table}"
        try:
            self._connection = sa.create_engine(parsed).connect()
        except (sa.exc.SQLAlchemyError, ImportError) as error:
            raise self._unreadable(error) from None
        self.dialect_name = self._connection.dialect.name
        read_only = _READ_ONLY.get(self.dialect_name)
        if read_only is not None:
            self._connection.exec_driver_sql(read_only)
            self._connection.commit()
        is_query = table.lstrip("( \n\t").lower().startswith(("select ", "select\n", "with "))
        self.rows = self._query_rows(table) if is_query else self._table_rows(table)
        self.columns = tuple(
            Column(column.name, str(column.type), _column_type(column.type))
            for column in self.rows.columns
        )

    def run(self, statement: sa.Executable) -> list[tuple[Any, ...]]:
        try:
            found = [tuple(row) for row in self._connection.execute(statement)]
        except (sa.exc.SQLAlchemyError, ValueError) as error:
            self._connection.rollback()
            raise self._unreadable(error) from None
        self._connection.rollback()
        return found

    def _table_rows(self, name: str) -> sa.FromClause:
        schema, _, table = name.rpartition(".")
        try:
            return sa.Table(
                table, sa.MetaData(), schema=schema or None, autoload_with=self._connection
            )
        except sa.exc.NoSuchTableError:
            inspector = sa.inspect(self._connection)
            known = [*inspector.get_table_names(schema or None), *inspector.get_view_names()]
            raise SourceError(f"{self.name}: {no_such('table', name, known)}") from None
        except sa.exc.SQLAlchemyError as error:
            raise self._unreadable(error) from None

    def _query_rows(self, query: str) -> sa.FromClause:
        """A query under a name, its columns typed by what its first rows hold."""
        try:
            found = self._connection.exec_driver_sql(query)
            names, sample = list(found.keys()), found.fetchmany(200)
            self._connection.rollback()
        except sa.exc.SQLAlchemyError as error:
            raise self._unreadable(error) from None
        columns = [
            sa.column(name, _type_of([row[n] for row in sample if row[n] is not None]))
            for n, name in enumerate(names)
        ]
        return sa.text(query.rstrip("; \n").replace(":", "\\:")).columns(*columns).subquery("data")

    def _unreadable(self, error: Exception) -> SourceError:
        reason = str(getattr(error, "orig", None) or error).strip().splitlines() or [
            type(error).__name__
        ]
        return SourceError(f"{self.name} cannot be read: {reason[0]}")


def _column_type(kind: Any) -> str | None:
    if isinstance(kind, sa.DateTime):
        return "timestamptz" if kind.timezone else "timestamp"
    return "date" if isinstance(kind, sa.Date) else None


# SQLite has text where others have dates.
_DATE: Final = re.compile(r"\d{4}-\d\d-\d\d")
_TIMESTAMP: Final = re.compile(r"\d{4}-\d\d-\d\d[ T]\d\d:\d\d(:\d\d(\.\d{1,6})?)?")


def _type_of(values: list[Any]) -> Any:
    """The type of a query's column by its first values."""
    value = next(iter(values), None)
    if isinstance(value, datetime):
        return sa.DateTime(timezone=value.tzinfo is not None)
    if isinstance(value, date):
        return sa.Date()
    for pattern, kind in ((_DATE, sa.Date()), (_TIMESTAMP, sa.DateTime())):
        if values and all(isinstance(one, str) and pattern.fullmatch(one) for one in values):
            return kind
    return sa.types.NullType()

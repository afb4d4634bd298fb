"""Tables and queries asked through an engine or a connection of the caller's own.

Only SELECTs are sent; that nothing can be changed by them is the caller's promise. What they gave
stays as it was: no setting, no lock and no transaction is left.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.filters.engines import ENGINES
from ulnager.sources.database_source import OF_DRIVERS, TableSource
from ulnager.sources.source import named_table

_SAVEPOINTS: Final = ("postgresql", "mysql", "mariadb", "sqlite", "mssql", "oracle")


def is_bind(source: object) -> bool:
    """Whether it is an engine or a connection of SQLAlchemy."""
    return isinstance(source, sa.Engine | sa.Connection)


class ConnectedTable(TableSource):
    """A table or a query behind an engine or a connection of SQLAlchemy.

    It is asked in the caller's thread, without a time limit of ours. Raises SourceError for an
    engine that there are no words for, and for what cannot be read.
    """

    def __init__(self, bind: sa.Engine | sa.Connection, table: str) -> None:
        name = bind.dialect.name
        if name not in ENGINES:
            raise SourceError(
                f"nothing is known of the engine {name!r}; those that can be asked are: "
                f"{', '.join(ENGINES)}"
            )
        self._bind = bind
        self.timeout = None
        self.dialect_name = name
        self.name = named_table(name, table)
        self._look_at(table)

    def _with(self, ask: Callable[[sa.Connection], Any]) -> Any:
        try:
            if isinstance(self._bind, sa.Engine):
                with self._bind.connect() as connection:
                    return ask(connection)
            if not self._bind.in_transaction():
                with self._bind.begin() as begun:
                    try:
                        return ask(self._bind)
                    finally:
                        begun.rollback()
            if self.dialect_name not in _SAVEPOINTS:
                return ask(self._bind)
            # What fails would end the caller's own transaction.
            with self._bind.begin_nested():
                return ask(self._bind)
        except (sa.exc.SQLAlchemyError, *OF_DRIVERS) as error:
            raise self._unreadable(error) from None

    def _table_rows(self, name: str) -> sa.FromClause:
        if self.dialect_name != "duckdb":
            return super()._table_rows(name)
        # Its dialect asks for tables of PostgreSQL that are not there.
        quote = self._bind.dialect.identifier_preparer.quote_identifier
        return self._described(f"SELECT * FROM {'.'.join(map(quote, name.split('.')))}")

    def _hidden(self, text: str) -> str:
        return text

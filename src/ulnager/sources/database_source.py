"""Tables and queries of a database, through SQLAlchemy. Reading only.

Three walls stand before a database, each on its own: a query is parsed and must be one SELECT, it
is sent in a way that takes one statement only, and every connection is read-only.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from datetime import date, datetime, tzinfo
from decimal import Decimal
from pathlib import Path
from typing import Any, Final

import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.core.messages import NO_SUCH, Message
from ulnager.core.suggest import no_such
from ulnager.core.text import visible
from ulnager.filters.engines import engine_named
from ulnager.sources.queries import checked_query, looks_like_query
from ulnager.sources.servers import SERVERS
from ulnager.sources.source import GRACE, Column, Relation, asked, named_table, told_asked, too_long
from ulnager.sources.sqlite_files import (
    Opener,
    StoredText,
    check_file,
    check_utc,
    column_of_forms,
    form_query,
)
from ulnager.sources.urls import Address

_LOOKED_AT: Final = 200
"""So many first values tell the type of a SQLite column that says none."""

# What drivers let through when a setting of the URL is of the wrong sort, or a value out of range.
OF_DRIVERS: Final = (
    ArithmeticError,
    AttributeError,
    ImportError,
    LookupError,
    OSError,
    RuntimeError,
    TypeError,
    ValueError,
)


class _Held:
    """The connection that is asked at the moment, and whether it was told to stop."""

    connection: Any = None
    is_stopped = False


class TableSource(Relation):
    """A table of a database, or a query that stands for one.

    ``table`` is a name, with its schema before a dot if need be, or a ``SELECT``. No statement may
    take longer than ``timeout`` seconds. The password of the address appears in no message. Raises
    SourceError when it cannot be read.
    """

    def __init__(
        self, address: Address, table: str, timeout: float | None, within: Path | None = None
    ) -> None:
        self._address = address
        self._within = within
        self.timeout = timeout
        self.dialect_name = address.driver.engine
        self.name = named_table(address.name, table)
        self._server = SERVERS[self.dialect_name]
        self._opener: Opener | None = None
        try:
            self._engine = self._made_engine()
        except (sa.exc.SQLAlchemyError, *OF_DRIVERS) as error:
            raise self._unreadable(error) from None
        self._look_at(table)

    def _look_at(self, table: str) -> None:
        """The rows and the columns of a table or a query."""
        self._forms: dict[str, tuple[str, sa.ColumnElement[Any]]] = {}
        is_query = looks_like_query(table)
        self.rows = self._query_rows(table) if is_query else self._table_rows(table)
        if self.dialect_name == "sqlite" and not is_query:
            self.rows = self._with_dates_of_text(self.rows)
        self.columns = tuple(
            Column(column.name, str(column.type), _column_type(column.type))
            for column in self.rows.columns
        )

    def _made_engine(self) -> sa.Engine:
        pool: dict[str, Any] = {
            "poolclass": sa.pool.QueuePool,
            "pool_size": 4,
            "max_overflow": 60,
            "pool_pre_ping": True,
            "hide_parameters": True,
        }
        if self.dialect_name == "sqlite":
            path = check_file(self._address.url.database, self._address.name, self._within)
            self._opener = Opener(path, self.timeout)
            # What SQLAlchemy would do to a file of its own is left out: this one opens itself.
            return sa.create_engine("sqlite://", creator=self._opener, **pool)
        arguments = self._server.connect(self.timeout)
        # What the URL says goes before.
        arguments = {k: v for k, v in arguments.items() if k not in self._address.url.query}
        engine = sa.create_engine(self._address.url, connect_args=arguments, **pool)
        sa.event.listen(
            engine, "connect", lambda raw, _: self._server.opened(raw, self.timeout), insert=True
        )
        return engine

    def run(self, statement: sa.Executable) -> list[tuple[Any, ...]]:
        told_asked(self.name, statement)

        def rows(connection: sa.Connection) -> list[tuple[Any, ...]]:
            return [tuple(row) for row in connection.execute(statement)]

        found: list[tuple[Any, ...]] = self._with(rows)
        return found

    def _with(self, ask: Callable[[sa.Connection], Any]) -> Any:
        """Asks by a connection of its own, once more where it was cut; nothing is left open.

        Connecting, sending and reading have the time of the question together, and what an engine
        needs to stop.
        """
        held = _Held()

        def work() -> Any:
            return self._asked(ask, held)

        def stop() -> None:
            held.is_stopped = True
            if held.connection is not None:
                self._server.stopped(held.connection)

        def late() -> SourceError:
            return SourceError(too_long(self.name, self.timeout))

        return asked(work, stop, None if self.timeout is None else self.timeout + GRACE, late)

    def _asked(self, ask: Callable[[sa.Connection], Any], held: _Held) -> Any:
        for is_last in (False, True):
            try:
                # A connection that goes back is rolled back, whatever happened.
                with self._engine.connect() as connection:
                    held.connection = connection.connection.dbapi_connection
                    try:
                        if self._opener is not None:
                            self._opener.start_clock(held.connection)
                        self._server.begun(connection, self.timeout)
                        return ask(connection)
                    finally:
                        # From here on it may be somebody else's, who must not be stopped.
                        held.connection = None
                        if held.is_stopped:
                            connection.invalidate()
            except sa.exc.DBAPIError as error:
                if held.is_stopped or self._server.is_late(error):
                    raise SourceError(too_long(self.name, self.timeout)) from None
                if not error.connection_invalidated or is_last:
                    raise self._unreadable(error) from None
            except MemoryError:
                raise SourceError(
                    f"{self.name}: a statement takes more memory than it may; ask for less"
                ) from None
            except (sa.exc.SQLAlchemyError, *OF_DRIVERS) as error:
                raise self._unreadable(error) from None
        raise AssertionError

    def _table_rows(self, name: str) -> sa.FromClause:
        schema, _, table = name.rpartition(".")

        def found(connection: sa.Connection) -> sa.Table:
            try:
                return sa.Table(
                    sa.quoted_name(table, quote=True),
                    sa.MetaData(),
                    schema=sa.quoted_name(schema, quote=True) if schema else None,
                    autoload_with=connection,
                    resolve_fks=False,
                )
            except sa.exc.NoSuchTableError:
                inspector = sa.inspect(connection)
                known = inspector.get_table_names(schema or None)
                known += inspector.get_view_names(schema or None)
                raise SourceError(
                    Message(
                        "{0}: {1}", self.name, no_such("table", visible(name), known), code=NO_SUCH
                    )
                ) from None

        made: sa.Table = self._with(found)
        names = [column.name for column in made.columns]
        if self.dialect_name in ("mysql", "mariadb") and any("`" in name for name in names):
            # Such names come doubled from SQLAlchemy's reading of what MySQL says of a table.
            told = sa.text(
                "SELECT column_name FROM information_schema.columns WHERE table_name = :t AND "
                "table_schema = coalesce(:s, database()) ORDER BY ordinal_position"
            )
            names = [row[0] for row in self.run(told.bindparams(t=table, s=schema or None))]
        # Quoted all of them, since no list of an engine's words is whole.
        columns = [
            sa.column(sa.quoted_name(own, quote=True), column.type)
            for own, column in zip(names, made.columns, strict=True)
        ]
        return sa.table(made.name, *columns, schema=made.schema)

    def _query_rows(self, query: str) -> sa.FromClause:
        """A query under a name, with the types that the engine gives its columns."""
        return self._described(checked_query(query, self.dialect_name))

    def _described(self, query: str) -> sa.FromClause:
        """A query with the types of its columns."""
        sent = query.replace(":", "\\:")
        untyped = sa.text(sent).columns().subquery("data")
        # A SQLite column has no type but what it holds.
        tells = _codes_of(self.dialect_name)
        rows = 0 if tells else _LOOKED_AT
        probe = sa.select(sa.text("*")).select_from(untyped).limit(rows)

        def described(connection: sa.Connection) -> tuple[list[str], list[Any]]:
            found = connection.execute(probe)
            names, described_as = list(found.keys()), found.cursor.description
            if not tells:
                held = list(zip(*found.fetchall(), strict=True)) or [()] * len(names)
                return names, [_type_of([v for v in values if v is not None]) for values in held]
            return names, [_type_of_code(tells, one[1]) for one in described_as]

        names, types = self._with(described)
        columns = [
            sa.column(sa.quoted_name(name, quote=True), kind)
            for name, kind in zip(names, types, strict=True)
        ]
        return sa.text(sent).columns(*columns).subquery("data")

    # SQLite's dates are text in any of several forms.

    def _with_dates_of_text(self, rows: sa.FromClause) -> sa.FromClause:
        """A table whose columns of text are dates where their first values are."""
        held = [column for column in rows.columns if _is_text(column.type)]
        if not held:
            return rows
        raw = [sa.type_coerce(column, sa.String()) for column in held]
        first = self.run(sa.select(*raw).select_from(rows).limit(_LOOKED_AT))
        values = list(zip(*first, strict=True)) or [()] * len(held)
        found = {
            column.name: _type_of([value for value in of_one if value is not None])
            for column, of_one in zip(held, values, strict=True)
        }
        dates = {name: kind for name, kind in found.items() if _column_type(kind)}
        if not dates:
            return rows
        columns = [
            sa.column(sa.quoted_name(c.name, quote=True), dates.get(c.name, c.type))
            for c in rows.columns
        ]
        return sa.table(sa.quoted_name(rows.name, quote=True), *columns, schema=rows.schema)  # type: ignore[attr-defined]

    def column(self, name: str | None) -> Column:
        found = super().column(name)
        if not engine_named(self.dialect_name).stores_text or found.held.key:
            return found
        if found.name not in self._forms:
            raw = sa.type_coerce(self.rows.c[found.name], sa.String())
            try:
                self._forms[found.name] = column_of_forms(
                    found.name, raw, self.run(form_query(raw, self.rows))
                )
            except SourceError as error:
                raise SourceError(f"{self.name}: {error}") from None
        return found._replace(column_type=self._forms[found.name][0])

    def value(self, name: str) -> sa.ColumnElement[Any]:
        if name in self._forms:
            return self._forms[name][1]
        found = self.rows.c[name]
        is_stored = (
            engine_named(self.dialect_name).stores_text and _column_type(found.type) is not None
        )
        return sa.type_coerce(found, StoredText()) if is_stored else found

    def local(self, column: Column, tz: str | tzinfo | None) -> sa.ColumnElement[Any]:
        if (
            engine_named(self.dialect_name).stores_text
            and column.held.is_instant
            and tz is not None
        ):
            check_utc(column.name, tz)
            return self.value(column.name)
        return super().local(column, tz)

    def _unreadable(self, error: Exception) -> SourceError:
        said = getattr(error, "orig", None) or error
        if len(said.args) == 2 and isinstance(said.args[1], str):
            said = said.args[1]  # What PyMySQL says stands after its number.
        lines = str(said).strip().splitlines()
        reason = lines[0] if lines else type(error).__name__
        if isinstance(error, AttributeError | LookupError | TypeError):
            reason = f"the driver does not take what the URL says ({reason})"
        return SourceError(f"{self.name} cannot be read: {self._hidden(reason)}")

    def _hidden(self, text: str) -> str:
        """A text without the password."""
        return self._address.hidden(text)


def _column_type(kind: Any) -> str | None:
    kind = getattr(kind, "data_type", kind)  # A domain of PostgreSQL stands for another type.
    if isinstance(kind, sa.DateTime):
        return "timestamptz" if kind.timezone else "timestamp"
    return "date" if isinstance(kind, sa.Date) else None


# What the drivers call the types of a query's columns: PostgreSQL's numbers of its types, and those
# of the protocol of MySQL.
_CODES: Final[dict[str, dict[int, Any]]] = {
    "postgresql": {
        1082: sa.Date(),
        1114: sa.DateTime(),
        1184: sa.DateTime(timezone=True),
        16: sa.Boolean(),
        1700: sa.Numeric(),
        **dict.fromkeys((20, 21, 23), sa.BigInteger()),
        **dict.fromkeys((700, 701), sa.Float()),
    },
    "mysql": {
        7: sa.DateTime(),
        10: sa.Date(),
        12: sa.DateTime(),
        14: sa.Date(),
        **dict.fromkeys((0, 246), sa.Numeric()),
        **dict.fromkeys((1, 2, 3, 8, 9), sa.BigInteger()),
        **dict.fromkeys((4, 5), sa.Float()),
    },
}
_DATE: Final = re.compile(r"\d{4}-\d\d-\d\d")
_TIMESTAMP: Final = re.compile(
    r"\d{4}-\d\d-\d\d([ T]\d\d:\d\d(:\d\d(\.\d{1,6})?)?(Z|[+-]\d\d:\d\d)?)?"
)


_PLAIN: Final[tuple[tuple[type, Any], ...]] = (
    (bool, sa.Boolean()),
    (int, sa.BigInteger()),
    (float, sa.Float()),
)


def _is_text(kind: Any) -> bool:
    return isinstance(kind, (sa.String, sa.types.NullType))


def _codes_of(dialect: str) -> Mapping[int, Any]:
    """What the numbers are of a driver's types; none where values have to be looked at."""
    return _CODES.get("mysql" if dialect == "mariadb" else dialect, {})


def _type_of_code(known: Mapping[int, Any], code: Any) -> Any:
    return known.get(code, sa.types.NullType())


def _type_of(values: list[Any]) -> Any:
    """The type of a query's column by its first values."""
    if any(isinstance(value, datetime) and value.tzinfo is not None for value in values):
        return sa.DateTime(timezone=True)
    if any(isinstance(value, datetime) for value in values):
        return sa.DateTime()
    if any(isinstance(value, date) for value in values):
        return sa.Date()
    for sort, plain in _PLAIN:
        if values and all(isinstance(value, sort) for value in values):
            return plain
    if values and all(isinstance(value, int | float | Decimal) for value in values):
        return sa.Numeric()
    texts = [value for value in values if value != ""]
    for pattern, kind in ((_DATE, sa.Date()), (_TIMESTAMP, sa.DateTime())):
        if texts and all(isinstance(one, str) and pattern.fullmatch(one) for one in texts):
            return kind
    return sa.types.NullType()

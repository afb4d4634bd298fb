"""Tables of columnar engines within the process, DataFusion and ClickHouse (chdb), as sources.

What is asked is one query of the engine's own SQL; only the answer is brought here.
"""

from __future__ import annotations

import re
from typing import Any, Final

import sqlalchemy as sa

from ulnager.core.errors import SourceError
from ulnager.core.suggest import no_such
from ulnager.core.text import visible
from ulnager.filters.sql_text import dialect_named, sql_text
from ulnager.sources.duckdb_text import quoted_name
from ulnager.sources.queries import looks_like_query
from ulnager.sources.source import Column, Relation, named_table, told_asked


def columnar_kind(session: object) -> str:
    """The engine of a session, ``datafusion`` or ``clickhouse``; empty for what is none."""
    kind = type(session)
    if kind.__module__.startswith("datafusion") and kind.__name__ == "SessionContext":
        return "datafusion"
    if kind.__module__.startswith("chdb") and kind.__name__ == "Session":
        return "clickhouse"
    return ""


class ColumnarSource(Relation):
    """A table or a query of a session of DataFusion or of chdb.

    Raises SourceError for a table that is not there, and for what cannot be read.
    """

    def __init__(self, session: Any, table: str) -> None:
        self.session = session
        self.dialect_name = columnar_kind(session)
        self.name = named_table(self.dialect_name, table)
        if looks_like_query(table):
            # In brackets it can be one query only, and no command.
            sent = table.strip().rstrip(";")
            self.columns = self._described(table, f"({sent})")
            untyped = sa.text(sent.replace(":", "\\:"))
            self.rows: sa.FromClause = untyped.columns(*self._named()).subquery("data")
        else:
            quote = dialect_named(self.dialect_name).identifier_preparer.quote_identifier
            self.columns = self._described(table, ".".join(map(quote, table.split("."))))
            *schema, own = (quoted_name(part) for part in table.split("."))
            place = quoted_name(".".join(schema)) if schema else None
            self.rows = sa.table(own, *self._named(), schema=place)

    def _named(self) -> list[Any]:
        return [sa.column(quoted_name(one.name)) for one in self.columns]

    def run(self, statement: sa.Executable) -> list[tuple[Any, ...]]:
        assert isinstance(statement, sa.ClauseElement)
        text = sql_text(statement, self.dialect_name)
        told_asked(self.name, text)
        found = self._asked(text)
        columns = [one.to_pylist() for one in found.columns]
        return list(zip(*columns, strict=True)) if columns else []

    def _described(self, table: str, place: str) -> tuple[Column, ...]:
        """The columns of a table or a query, as it stands after FROM."""
        try:
            found = self._asked(f"SELECT * FROM {place} AS data LIMIT 0")
        except SourceError:
            known = self._tables()
            if looks_like_query(table) or table in known:
                raise
            raise SourceError(f"{self.name}: {no_such('table', visible(table), known)}") from None
        if self.dialect_name == "datafusion":
            types = [(field.name, str(field.type)) for field in found.schema]
        else:
            told = self._asked(f"DESCRIBE (SELECT * FROM {place} AS data)")
            types = list(zip(*(told.column(n).to_pylist() for n in (0, 1)), strict=True))
        return tuple(Column(name, kind, _column_type(kind)) for name, kind in types)

    def _tables(self) -> list[str]:
        if self.dialect_name == "datafusion":
            return sorted(self.session.catalog().schema().names())
        return [str(one) for one in self._asked("SHOW TABLES").column(0).to_pylist()]

    def _asked(self, text: str) -> Any:
        try:
            import pyarrow as pa
        except ImportError:
            raise SourceError(
                'a session as a source needs PyArrow: pip install "ulnager[frames]"'
            ) from None
        try:
            if self.dialect_name == "datafusion":
                frame = self.session.sql(text)
                return pa.Table.from_batches(frame.collect(), schema=frame.schema())
            told = self.session.query(text, "ArrowStream").bytes()
            if not told:
                return pa.table({})
            return pa.ipc.open_stream(told).read_all()
        except Exception as error:  # Neither has a class of its own for what it cannot do.
            said = (str(error).strip().splitlines() or [type(error).__name__])[0]
            raise SourceError(f"{self.name} cannot be read: {said[:300]}") from None


_TYPES: Final = (
    (r"(Nullable\()?(date32(\[day\])?|date|Date|Date32)\)?", "date"),
    (r"timestamp\[\w+, tz=.*\]|(Nullable\()?DateTime(64)?\((\d+, ?)?'.*'\)\)?", "timestamptz"),
    (r"timestamp\[\w+\]|(Nullable\()?DateTime(64\(\d+\))?\)?", "timestamp"),
)


def _column_type(kind: str) -> str | None:
    return next((held for form, held in _TYPES if re.fullmatch(form, kind)), None)

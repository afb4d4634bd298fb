"""Standard SQL, as DuckDB and PostgreSQL understand it; no engine, so nothing live."""

from __future__ import annotations

from sqlalchemy.engine.default import DefaultDialect

from ulnager.filters.engines.engine import Engine


class Ansi(DefaultDialect):
    """Standard SQL."""

    name = "ansi"
    supports_native_boolean = True


def dialect_called(name: str) -> type[DefaultDialect]:
    """Standard SQL under the name of an engine that understands it."""
    return type(name, (Ansi,), {"name": name})


ANSI = Engine(name="ansi", dialect=lambda: Ansi)

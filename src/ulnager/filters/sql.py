"""Resolutions to SQL conditions, built with SQLAlchemy.

The column stands alone on its side, so that an index or a partition can be used.
Names are always quoted; values are bound, or written as literals on request.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, tzinfo
from typing import Any, Final

from sqlalchemy import (
    BindParameter,
    ClauseElement,
    ColumnElement,
    Date,
    DateTime,
    Dialect,
    Integer,
    String,
    and_,
    bindparam,
    column,
    literal_column,
    or_,
    quoted_name,
)
from sqlalchemy.dialects import mysql, postgresql, sqlite
from sqlalchemy.engine.default import DefaultDialect
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.types import TypeDecorator, TypeEngine

from ulnager.core.errors import FilterError
from ulnager.core.resolution import Resolution
from ulnager.core.zones import zone_named
from ulnager.filters.columns import column_bounds
from ulnager.language.period import Period


class _Ansi(DefaultDialect):
    """Standard SQL as DuckDB, PostgreSQL and Spark understand it."""

    name = "ansi"
    supports_native_boolean = True


class _DuckDB(_Ansi):
    name = "duckdb"


DIALECTS: Final[dict[str, type[DefaultDialect]]] = {
    "ansi": _Ansi,
    "duckdb": _DuckDB,
    "postgresql": postgresql.dialect,
    "mysql": mysql.dialect,
    "mariadb": mysql.dialect,
    "sqlite": sqlite.dialect,
}


class _Literal(TypeDecorator[Any]):
    """A value that is written as the standard's typed literal where the engine has it."""

    impl: TypeEngine[Any] | type[TypeEngine[Any]] = Date
    cache_ok = True
    word = "DATE"

    def literal_processor(self, dialect: Dialect) -> Callable[[Any], str]:
        word = "" if dialect.name == "sqlite" else f"{self.word} "
        return lambda value: f"{word}'{self.text(value, dialect)}'"

    def text(self, value: Any, dialect: Dialect) -> str:
        return str(value)


class _Day(_Literal):
    cache_ok = True


class _Timestamp(_Literal):
    impl = DateTime
    cache_ok = True
    word = "TIMESTAMP"

    def text(self, value: datetime, dialect: Dialect) -> str:
        return value.isoformat(sep=" ")


class _Instant(_Literal):
    impl = DateTime(timezone=True)
    cache_ok = True
    word = "TIMESTAMPTZ"

    def text(self, value: datetime, dialect: Dialect) -> str:
        utc = value.astimezone(UTC)
        # Neither engine keeps an offset: their instants are UTC without one.
        if dialect.name in ("sqlite", "mysql"):
            return utc.replace(tzinfo=None).isoformat(sep=" ")
        return utc.isoformat(sep=" ")


# Not every engine knows the word false; all of them know this.
_NOTHING: Final[ColumnElement[bool]] = literal_column("1") == literal_column("0")
_VALUE_TYPES: Final[dict[str, type[TypeEngine[Any]]]] = {
    "date": _Day,
    "timestamp": _Timestamp,
    "timestamptz": _Instant,
    "iso-text": String,
}


@dataclass(frozen=True)
class Condition:
    """A condition as text, with the values of its parameters in ``parameters``.

    ``parameters`` is empty when the values stand in the text as literals.
    """

    text: str
    parameters: dict[str, Any] = field(default_factory=dict)

    def __str__(self) -> str:
        return self.text


def where(
    result: Resolution | Period,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
) -> ColumnElement[bool]:
    """A SQLAlchemy condition that keeps the rows of a resolution, or of a period as of today.

    The dates of a resolution are frozen. A period stays live: the engine works its dates out
    (see :func:`ulnager.live_where`, which has more options). ``on`` is a column's name or a
    SQLAlchemy column. Rows without a date are never kept:
    ``all dates`` keeps every row that has one. Raises FilterError as
    :func:`ulnager.filters.columns.column_bounds` does.

    >>> import ulnager
    >>> print(where(ulnager.period("until 2026-03-31").resolve(), "sailed_on"))
    "sailed_on" < :stop_1
    """
    if isinstance(result, Period):
        from ulnager.filters.live import live_where

        return live_where(result, named_column(on), column_type=column_type, tz=tz)
    target, bounds = named_column(on), _bounds(result, column_type, tz)
    spans = []
    for start, stop in bounds:
        sides = []
        if start is not None:
            sides.append(target >= start)
        if stop is not None:
            sides.append(target < stop)
        spans.append(and_(*sides) if sides else target.is_not(None))
    return or_(*spans) if spans else _NOTHING


def outside(
    result: Resolution,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
) -> tuple[ColumnElement[bool], ColumnElement[bool]]:
    """Conditions for the rows before the first span and for those after the last one."""
    target, bounds = named_column(on), _bounds(result, column_type, tz)
    start, stop = (bounds[0][0], bounds[-1][1]) if bounds else (None, None)
    before = _NOTHING if start is None else target < start
    return before, _NOTHING if stop is None else target >= stop


def named_column(on: str | ColumnElement[Any]) -> ColumnElement[Any]:
    """The column itself, or one of that name, which is always quoted."""
    if not isinstance(on, (str, ColumnElement)):
        raise FilterError(f"{on!r} is no column; give its name, or a SQLAlchemy column")
    if isinstance(on, str) and not on:
        raise FilterError("the column has no name; give the name of a date column")
    return column(quoted_name(on, quote=True)) if isinstance(on, str) else on


def _bounds(
    result: Resolution, column_type: str, tz: str | tzinfo | None
) -> list[tuple[BindParameter[Any] | None, BindParameter[Any] | None]]:
    """The bounds as parameters of the column's type; None at an open side."""
    bounds = column_bounds(result, column_type, None if tz is None else zone_named(tz))
    value_type = _VALUE_TYPES.get(column_type, Integer)()

    def bound(side: str, value: Any) -> BindParameter[Any] | None:
        return None if value is None else bindparam(side, value, value_type, unique=True)

    return [(bound("start", start), bound("stop", stop)) for start, stop in bounds]


def condition(
    result: Resolution,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    target: str = "ansi",
    literal: bool = False,
) -> Condition:
    """The condition as text for a target, values bound or written as literals.

    >>> import ulnager
    >>> march = ulnager.period("2026-03").resolve()
    >>> print(condition(march, "sailed_on", literal=True))
    "sailed_on" >= DATE '2026-03-01' AND "sailed_on" < DATE '2026-04-01'

    ``target`` is a key of ``DIALECTS``. Raises FilterError for a target, a column type or a
    zone that cannot be used.
    """
    if target not in DIALECTS:
        raise FilterError(f"there is no target {target!r}; choose {', '.join(DIALECTS)}")
    made = compiled(
        where(result, on, column_type=column_type, tz=tz),
        DIALECTS[target](paramstyle="named"),
        literal=literal,
    )
    # In brackets, or an AND put before it would bind to the first span only.
    return replace(made, text=f"({made.text})") if len(result.spans) > 1 else made


def compiled(clause: ClauseElement, dialect: Dialect, *, literal: bool) -> Condition:
    """A clause as text in a dialect."""
    text = clause.compile(
        dialect=dialect, compile_kwargs={"literal_binds": True} if literal else {}
    )
    assert isinstance(text, SQLCompiler)
    return Condition(str(text), {} if literal else dict(text.params))

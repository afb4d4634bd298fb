"""Resolutions to SQL conditions, built with SQLAlchemy.

The column stands alone on its side, so that an index or a partition can be used.
Names are always quoted; values are bound, or written as literals on request.
"""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, time, tzinfo
from typing import Any, ClassVar, Final

from sqlalchemy import (
    BigInteger,
    BindParameter,
    Boolean,
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
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import IdentifierPreparer, SQLCompiler
from sqlalchemy.sql.functions import FunctionElement
from sqlalchemy.types import TypeDecorator, TypeEngine

from ulnager.core.errors import FilterError
from ulnager.core.resolution import Resolution
from ulnager.core.zones import zone_named
from ulnager.filters.columns import Bounds, column_bounds
from ulnager.language.period import Period


class _Ansi(DefaultDialect):
    """Standard SQL as DuckDB and PostgreSQL understand it."""

    name = "ansi"
    supports_native_boolean = True


class _DuckDB(_Ansi):
    name = "duckdb"


class _BackticksPreparer(IdentifierPreparer):
    def __init__(self, dialect: Dialect) -> None:
        super().__init__(dialect, initial_quote="`", escape_quote="`")


class _SparkCompiler(SQLCompiler):
    def visit_bindparam(self, bindparam: Any, *args: Any, **options: Any) -> str:
        """Parameters hold times as text: Spark would take one of Python's for its driver's zone."""
        text: str = super().visit_bindparam(bindparam, *args, **options)  # type: ignore[no-untyped-call]
        word = bindparam.type.words.get("spark") if isinstance(bindparam.type, _Literal) else None
        return f"CAST({text} AS {word})" if word and text.startswith(":") else text


class _Spark(_Ansi):
    name = "spark"
    statement_compiler = _SparkCompiler
    preparer: type[IdentifierPreparer] = _BackticksPreparer


DIALECTS: Final[dict[str, type[DefaultDialect]]] = {
    "ansi": _Ansi,
    "duckdb": _DuckDB,
    "postgresql": postgresql.dialect,
    "mysql": mysql.dialect,
    "mariadb": mysql.dialect,
    "sqlite": sqlite.dialect,
    "spark": _Spark,
}


@functools.cache
def dialect_named(target: str) -> DefaultDialect:
    """The dialect of a target, for text; FilterError when there is none of that name."""
    if target not in DIALECTS:
        raise FilterError(f"there is no target {target!r}; choose {', '.join(DIALECTS)}")
    return DIALECTS[target](paramstyle="named")


class _Literal(TypeDecorator[Any]):
    """A value that is written as the standard's typed literal where the engine has it.

    ``words`` holds what comes before it in a dialect, ``word`` in all others.
    """

    impl: TypeEngine[Any] | type[TypeEngine[Any]] = Date
    cache_ok = True
    word = "DATE"
    words: ClassVar[dict[str, str]] = {"sqlite": ""}

    def literal_processor(self, dialect: Dialect) -> Callable[[Any], str]:
        word = self.words.get(dialect.name, self.word)
        return lambda value: f"{word} '{self.text(value, dialect)}'".lstrip()

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        # SQLite has text; what SQLAlchemy would make of a timestamp, with its microseconds
        # always, comes after the same moment without them.
        impl = String() if dialect.name == "sqlite" else self.impl_instance
        return dialect.type_descriptor(impl)

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        return self.text(value, dialect) if dialect.name == "sqlite" and value else value

    def text(self, value: Any, dialect: Dialect) -> str:
        return _stored(value) if dialect.name == "sqlite" else str(value)


def _stored(value: date) -> str:
    """A moment as it is compared with text: a midnight is its date, which comes before every time
    of that day, in whatever form, and is the same as the date where only dates are stored."""
    if isinstance(value, datetime) and value.time() == time():
        return str(value.date())
    return str(value)


class _Day(_Literal):
    cache_ok = True


class _Timestamp(_Literal):
    impl = DateTime
    cache_ok = True
    word = "TIMESTAMP"
    words: ClassVar[dict[str, str]] = {"sqlite": "", "spark": "TIMESTAMP_NTZ"}


# Neither engine keeps an offset: their instants are UTC without one.
_WITHOUT_OFFSET: Final = ("sqlite", "mysql", "mariadb")


class _Instant(_Literal):
    impl = DateTime(timezone=True)
    cache_ok = True
    word = "TIMESTAMPTZ"
    words: ClassVar[dict[str, str]] = {
        "sqlite": "", "mysql": "TIMESTAMP", "mariadb": "TIMESTAMP", "spark": "TIMESTAMP_LTZ"
    }  # fmt: skip

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        if dialect.name == "mysql" or dialect.name == "mariadb":
            return value and value.astimezone(UTC).replace(tzinfo=None)
        return super().process_bind_param(value, dialect)

    def text(self, value: datetime, dialect: Dialect) -> str:
        utc = value.astimezone(UTC)
        if dialect.name not in _WITHOUT_OFFSET:
            return str(utc)
        return super().text(utc.replace(tzinfo=None), dialect)


_MANY: Final = 200
"""How many spans are expressions of SQLAlchemy; more are written as they are."""

# Not every engine knows the word false; all of them know this.
_NOTHING: Final[ColumnElement[bool]] = literal_column("1") == literal_column("0")
_VALUE_TYPES: Final[dict[str, type[TypeEngine[Any]]]] = {
    "date": _Day,
    "timestamp": _Timestamp,
    "timestamptz": _Instant,
    "epoch-seconds": BigInteger,
    "epoch-milliseconds": BigInteger,
    "iso-text": String,
}


@functools.cache
def _value_type(column_type: str) -> TypeEngine[Any]:
    """One instance for all, since a dialect works out anew what to do with each."""
    return _VALUE_TYPES.get(column_type, Integer)()


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
    rounding: str | None = None,
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

        return live_where(
            result, named_column(on), column_type=column_type, tz=tz, rounding=rounding
        )
    target = named_column(on)
    if len(result.spans) > _MANY:
        return ManySpans(
            target, _raw_bounds(result, column_type, tz, rounding), _value_type(column_type)
        )
    bounds = _bounds(result, column_type, tz, rounding)
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
    result: Resolution,
    column_type: str,
    tz: str | tzinfo | None,
    rounding: str | None = None,
) -> list[tuple[BindParameter[Any] | None, BindParameter[Any] | None]]:
    """The bounds as parameters of the column's type; None at an open side."""
    bounds = _raw_bounds(result, column_type, tz, rounding)
    value_type = _value_type(column_type)

    def bound(side: str, value: Any) -> BindParameter[Any] | None:
        return None if value is None else bindparam(side, value, value_type, unique=True)

    return [(bound("start", start), bound("stop", stop)) for start, stop in bounds]


def _raw_bounds(
    result: Resolution, column_type: str, tz: str | tzinfo | None, rounding: str | None
) -> Bounds:
    zone = None if tz is None else zone_named(tz)
    return column_bounds(result, column_type, zone, rounding)


class ManySpans(FunctionElement[bool]):
    """A condition of very many spans, in brackets; built of expressions it would take seconds."""

    inherit_cache = False
    type = Boolean()

    def __init__(self, on: ColumnElement[Any], bounds: Bounds, held: TypeEngine[Any]) -> None:
        super().__init__(on)
        self.bounds = bounds
        self.held = held


@compiles(ManySpans)
def _many_spans(element: ManySpans, compiler: SQLCompiler, **options: Any) -> str:
    (target,) = element.clauses
    name = compiler.process(target, **options)
    written = _writer(element.held, compiler, options)
    spans = []
    for start, stop in element.bounds:
        sides = [] if start is None else [f"{name} >= {written('start', start)}"]
        if stop is not None:
            sides.append(f"{name} < {written('stop', stop)}")
        spans.append(" AND ".join(sides))
    return f"({' OR '.join(spans)})"


def _writer(
    held: TypeEngine[Any], compiler: SQLCompiler, options: dict[str, Any]
) -> Callable[[str, Any], str]:
    """Writes a bound as a literal, or as a parameter of the statement."""
    if options.get("literal_binds"):
        literal = held.dialect_impl(compiler.dialect).literal_processor(compiler.dialect)
        assert literal is not None
        return lambda side, value: literal(value)

    def bound(side: str, value: Any) -> str:
        made: str = compiler.process(bindparam(side, value, held, unique=True), **options)
        return made

    return bound


def condition(
    result: Resolution,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    rounding: str | None = None,
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
    clause = where(result, on, column_type=column_type, tz=tz, rounding=rounding)
    made = compiled(clause, dialect_named(target), literal=literal)
    # In brackets, or an AND put before it would bind to the first span only.
    return replace(made, text=f"({made.text})") if 1 < len(result.spans) <= _MANY else made


def sql_text(clause: ClauseElement, target: str) -> str:
    """A condition of :func:`where` or :func:`ulnager.live_where` as text, its values as literals.

    >>> import ulnager
    >>> print(sql_text(ulnager.live_where(ulnager.period("this year"), "sailed_on"), "spark"))
    `sailed_on` >= trunc(current_date(), 'year') AND
    `sailed_on` < add_months(trunc(current_date(), 'year'), 12)

    ``target`` is an engine as for :func:`condition`; any other clause of SQLAlchemy will do, too.
    Raises FilterError for a target there is not, or for what it cannot work out.
    """
    return compiled(clause, dialect_named(target), literal=True).text


def compiled(clause: ClauseElement, dialect: Dialect, *, literal: bool) -> Condition:
    """A clause as text in a dialect."""
    text = clause.compile(
        dialect=dialect, compile_kwargs={"literal_binds": True} if literal else {}
    )
    assert isinstance(text, SQLCompiler)
    parameters = {} if literal else dict(text.params)
    if dialect.name == "spark":
        parameters = {
            name: str(value) if isinstance(value, datetime) else value
            for name, value in parameters.items()
        }
    return Condition(str(text), parameters)

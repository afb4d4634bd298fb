"""Values and primitives as the engine that compiles a statement writes them."""

from __future__ import annotations

import functools
from collections.abc import Callable
from datetime import UTC
from typing import Any, Final

from sqlalchemy import (
    BigInteger,
    Boolean,
    ColumnElement,
    Date,
    DateTime,
    Dialect,
    Integer,
    String,
    bindparam,
    literal_column,
)
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import FunctionElement
from sqlalchemy.types import TypeDecorator, TypeEngine

from ulnager.filters.columns import COLUMN_TYPES
from ulnager.filters.engines import engine_named, engine_of
from ulnager.filters.engines.engine import Engine, day_of_time, filled, is_marked, local_day


class Literal(TypeDecorator[Any]):
    """A date or a time that is written as an engine has it; ``form`` is its name there."""

    impl: TypeEngine[Any] | type[TypeEngine[Any]] = Date
    cache_ok = True
    form = "literal"

    def literal_processor(self, dialect: Dialect) -> Callable[[Any], str]:
        engine = engine_of(dialect.name)
        return lambda value: engine.quoted(self.in_utc(value), self.form)

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        # What SQLAlchemy would make of a timestamp as text, with its microseconds always, comes
        # after the same moment without them.
        impl = String() if engine_of(dialect.name).stores_text else self.impl_instance
        return dialect.type_descriptor(impl)

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        engine = engine_of(dialect.name)
        if engine.stores_text and value:
            return engine.stored(self.in_utc(value))
        return self.in_utc(value) if engine.utc_parameters and value else value

    def in_utc(self, value: Any) -> Any:
        """An instant as UTC without an offset; all else as it is."""
        return value


class _Day(Literal):
    cache_ok = True


class _Timestamp(Literal):
    impl = DateTime
    cache_ok = True
    form = "time"


class _Instant(Literal):
    impl = DateTime(timezone=True)
    cache_ok = True
    form = "instant"

    def in_utc(self, value: Any) -> Any:
        return value.astimezone(UTC).replace(tzinfo=None)


_VALUE_TYPES: Final[dict[str, type[TypeEngine[Any]]]] = {
    "literal": _Day,
    "time": _Timestamp,
    "instant": _Instant,
    "whole": Integer,
    "text": String,
}


@functools.cache
def value_type(column_type: str) -> TypeEngine[Any]:
    """One instance for all, since a dialect works out anew what to do with each."""
    held = COLUMN_TYPES[column_type]
    return BigInteger() if held.is_instant and not held.is_dated else _VALUE_TYPES[held.form]()


class Test(FunctionElement[bool]):
    """A condition in brackets; its opposite is a condition, too, on engines without truths."""

    inherit_cache = False
    type = Boolean()

    def __init_subclass__(cls, **options: Any) -> None:
        super().__init_subclass__(**options)
        cls.inherit_cache = False  # SQLAlchemy asks each class, and warns of one without.

    def self_group(self, against: Any = None) -> Any:
        return self  # It is in brackets, and a truth in a condition.

    def _negate(self) -> Any:
        return _Opposite(self)


class _Opposite(Test):
    def _negate(self) -> Any:
        return next(iter(self.clauses))


@compiles(_Opposite)
def _opposite(element: _Opposite, compiler: SQLCompiler, **options: Any) -> str:
    return f"NOT {compiler.process(next(iter(element.clauses)), **options)}"


class Primitive(FunctionElement[Any]):
    """A primitive of the engine that compiles it, on one expression, with values of its own."""

    inherit_cache = True

    def __init__(
        self, primitive: str, on: ColumnElement[Any], kind: TypeEngine[Any], **values: Any
    ) -> None:
        # What is written differs by these, which a cache of statements has to know.
        super().__init__(on, literal_column(repr((primitive, repr(kind), values))))
        self.type = kind
        self.primitive = primitive
        self.said = values


@compiles(Primitive)
def _primitive(element: Primitive, compiler: SQLCompiler, **options: Any) -> str:
    engine = _engine(compiler)
    text = compiler.process(next(iter(element.clauses)), **options)
    marked = is_marked(compiler.dialect)
    return filled(engine, element.primitive, marked=marked, x=text, **element.said)


class DayOf(FunctionElement[Any]):
    """The date of what a column holds, in a zone; days begin so many minutes after midnight."""

    inherit_cache = True
    type = Date()

    def __init__(
        self, on: ColumnElement[Any], column_type: str, zone: str | None = None, minutes: int = 0
    ) -> None:
        super().__init__(on, literal_column(repr((column_type, zone, minutes))))
        self.said = column_type, zone, minutes


def _engine(compiler: SQLCompiler) -> Engine:
    """The engine that is written for; ``str(statement)``, which is for people, is DuckDB's."""
    name = compiler.dialect.name
    return engine_named("duckdb" if name == "default" else name)


@compiles(DayOf)
def _day_of(element: DayOf, compiler: SQLCompiler, **options: Any) -> str:
    engine = _engine(compiler)
    text = compiler.process(next(iter(element.clauses)), **options)
    return day_of(engine, text, *element.said, marked=is_marked(compiler.dialect))


def day_of(
    engine: Engine,
    value: str,
    column_type: str,
    zone: str | None = None,
    minutes: int = 0,
    *,
    marked: bool = False,
) -> str:
    """The date of a value of a column, as SQL; each engine's null for what is no key.

    ``marked`` says that parameters are marked with a percent sign, of which two stand for one.
    """
    held = COLUMN_TYPES[column_type]
    if held.key:
        return filled(engine, held.key, marked=marked, x=f"({value})")
    if held.is_moment:
        return local_day(engine, value, zone, minutes)
    return day_of_time(engine, value, minutes) if held.has_time else value


def day_parameter(name: str) -> ColumnElement[Any]:
    """A bound parameter for a date, told to engines that would not know of a null what it is."""
    return Primitive("parameter", bindparam(name, type_=Date), Date())

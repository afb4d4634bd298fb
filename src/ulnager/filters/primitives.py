"""A primitive of whichever engine writes it, as an expression of SQLAlchemy on columns."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ColumnElement, Date, bindparam, literal_column
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import FunctionElement
from sqlalchemy.types import TypeEngine

from ulnager.filters.columns import COLUMN_TYPES
from ulnager.filters.engines import engine_named
from ulnager.filters.engines.engine import Engine, day_of_time, filled, local_day


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
    is_marked = compiler.dialect.paramstyle in ("format", "pyformat")
    return filled(engine, element.primitive, is_marked=is_marked, x=text, **element.said)


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
    is_marked = compiler.dialect.paramstyle in ("format", "pyformat")
    return day_of(engine, text, *element.said, is_marked=is_marked)


def day_of(
    engine: Engine,
    value: str,
    column_type: str,
    zone: str | None = None,
    minutes: int = 0,
    *,
    is_marked: bool = False,
) -> str:
    """The date of a value of a column, as SQL; each engine's null for what is no key.

    ``is_marked`` says that parameters are marked with a percent sign, of which two stand for one.
    """
    held = COLUMN_TYPES[column_type]
    if held.key:
        return filled(engine, held.key, is_marked=is_marked, x=f"({value})")
    if held.is_moment:
        return local_day(engine, value, zone, minutes)
    return day_of_time(engine, value, minutes) if held.has_time else value


def day_parameter(name: str) -> ColumnElement[Any]:
    """A bound parameter for a date, told to engines that would not know of a null what it is."""
    return Primitive("parameter", bindparam(name, type_=Date), Date())

"""Conditions with frozen dates: the bounds of each span, bound or written out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from sqlalchemy import BindParameter, Boolean, ColumnElement, and_, bindparam, literal_column, or_
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import FunctionElement
from sqlalchemy.types import TypeEngine

from ulnager.core.periods.resolution import Resolution
from ulnager.filters.columns import Bounds, Held, column_bounds
from ulnager.filters.sql import named_column
from ulnager.filters.sqltypes import value_type

MANY: Final = 200
"""How many spans are expressions of SQLAlchemy; more are written as they are."""

# Not every engine knows the word false; all of them know this.
_NOTHING: Final[ColumnElement[bool]] = literal_column("1") == literal_column("0")


def frozen_where(
    result: Resolution, on: str | ColumnElement[Any], held: Held
) -> ColumnElement[bool]:
    """A condition that keeps the rows of a resolution; see :func:`ulnager.where`."""
    target = named_column(on)
    if len(result.spans) > MANY:
        return ManySpans(target, column_bounds(result, held), value_type(held.column_type))
    spans = []
    for start, stop in _parameters(result, held):
        sides = []
        if start is not None:
            sides.append(target >= start)
        if stop is not None:
            sides.append(target < stop)
        spans.append(and_(*sides) if sides else target.is_not(None))
    return or_(*spans) if spans else _NOTHING


def outside(
    result: Resolution, on: str | ColumnElement[Any], held: Held
) -> tuple[ColumnElement[bool], ColumnElement[bool]]:
    """Conditions for the rows before the first span and for those after the last one."""
    target, bounds = named_column(on), _parameters(result, held)
    start, stop = (bounds[0][0], bounds[-1][1]) if bounds else (None, None)
    before = _NOTHING if start is None else target < start
    return before, _NOTHING if stop is None else target >= stop


def _parameters(
    result: Resolution, held: Held
) -> list[tuple[BindParameter[Any] | None, BindParameter[Any] | None]]:
    """The bounds as parameters of the column's type; None at an open side."""
    kind = value_type(held.column_type)

    def bound(side: str, value: Any) -> BindParameter[Any] | None:
        return None if value is None else bindparam(side, value, kind, unique=True)

    return [
        (bound("start", start), bound("stop", stop)) for start, stop in column_bounds(result, held)
    ]


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

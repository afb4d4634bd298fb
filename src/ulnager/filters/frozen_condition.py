"""Conditions with frozen dates: the bounds of each span, bound or written out."""

from __future__ import annotations

from collections.abc import Callable
from itertools import zip_longest
from typing import Any, Final, NamedTuple

from sqlalchemy import BindParameter, ColumnElement, and_, bindparam, literal_column, or_
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.types import TypeEngine

from ulnager.core.calendars.zones import zone_name
from ulnager.core.periods.resolution import ResolutionBase
from ulnager.filters.columns import Bounds, Held, column_bounds
from ulnager.filters.engines import ENGINES
from ulnager.filters.engines.engine import HIDDEN, filled, marked
from ulnager.filters.lasting import Ends, lasting_where
from ulnager.filters.primitives import Test, day_of, value_type
from ulnager.filters.sql_text import named_column

MANY: Final = 200
"""How many spans are expressions of SQLAlchemy; more are written as they are."""

# Not every engine knows the word false; all of them know this.
_NOTHING: Final[ColumnElement[bool]] = literal_column("1") == literal_column("0")


def frozen_where(
    result: ResolutionBase, on: str | ColumnElement[Any], held: Held
) -> ColumnElement[bool]:
    """A condition that keeps the rows of a resolution; see :func:`ulnager.where`."""
    target = named_column(on)
    if len(result.spans) > MANY:
        bounds = column_bounds(result, held)
        # Rounded inward there may be nothing left of any of them.
        return ManySpans(target, bounds, held, weekly_bounds(result, held)) if bounds else _NOTHING
    spans = []
    for start, stop in _parameters(result, held):
        sides = []
        if start is not None:
            sides.append(target >= start)
        if stop is not None:
            sides.append(target < stop)
        spans.append(and_(*sides) if sides else target.is_not(None))
    return or_(*spans) if spans else _NOTHING


def rows_where(
    result: ResolutionBase, on: str | ColumnElement[Any], held: Held, ends: Ends | None = None
) -> ColumnElement[bool]:
    """A condition that keeps the rows of a resolution, those that last among them."""
    if ends is None:
        return frozen_where(result, on, held)
    end = named_column(ends.column)
    found: ColumnElement[bool] = lasting_where(
        result,
        (named_column(on), held),
        ends._replace(column=end),
        frozen_where,
        lambda: end.is_(None),
    )
    return found


def outside(
    result: ResolutionBase, on: str | ColumnElement[Any], held: Held
) -> tuple[ColumnElement[bool], ColumnElement[bool]]:
    """Conditions for the rows before the first span and for those after the last one."""
    target, bounds = named_column(on), _parameters(result, held)
    start, stop = (bounds[0][0], bounds[-1][1]) if bounds else (None, None)
    before = _NOTHING if start is None else target < start
    return before, _NOTHING if stop is None else target >= stop


def _parameters(
    result: ResolutionBase, held: Held
) -> list[tuple[BindParameter[Any] | None, BindParameter[Any] | None]]:
    """The bounds as parameters of the column's type; None at an open side."""
    kind = value_type(held.column_type)

    def bound(side: str, value: Any) -> BindParameter[Any] | None:
        return None if value is None else bindparam(side, value, kind, unique=True)

    return [
        (bound("start", start), bound("stop", stop)) for start, stop in column_bounds(result, held)
    ]


class WeeklyBounds(NamedTuple):
    """Bounds of longer spans, the weekdays that count, and bounds of days less and more."""

    whole: Bounds
    weekdays: tuple[int, ...]
    less: Bounds
    more: Bounds


def weekly_bounds(result: ResolutionBase, held: Held) -> WeeklyBounds | None:
    """The bounds of a period that is cut by weekdays, when they are fewer that way."""
    is_by_day = held.type.is_dated and held.stands_for is None
    found = result.weekly() if is_by_day else None
    if found is None:
        return None
    whole, less, more = (
        column_bounds(result._with_ranges(ranges), held) if ranges else ()
        for ranges in (found.whole, found.less, found.more)
    )
    return WeeklyBounds(whole, found.weekdays, less, more)


class ManySpans(Test):
    """A condition of very many spans, in brackets; built of expressions it would take seconds.

    Where the spans are weekdays of longer ones, engines are asked for the weekday.
    """

    def __init__(
        self, on: ColumnElement[Any], bounds: Bounds, held: Held, weekly: WeeklyBounds | None
    ) -> None:
        super().__init__(on)
        self.bounds = bounds
        self.held = held
        self.weekly = weekly


@compiles(ManySpans)
def _many_spans(element: ManySpans, compiler: SQLCompiler, **options: Any) -> str:
    (target,) = element.clauses
    name = compiler.process(target, **options)
    written = _writer(value_type(element.held.column_type), compiler, options)

    def spans(bounds: Bounds) -> str:
        texts = []
        for start, stop in bounds:
            sides = [] if start is None else [f"{name} >= {written('start', start)}"]
            if stop is not None:
                sides.append(f"{name} < {written('stop', stop)}")
            texts.append(" AND ".join(sides))
        return _balanced(texts)

    weekly = element.weekly
    hidden = name.replace("%", HIDDEN)
    day = None if weekly is None else _weekday(hidden, element.held, compiler.dialect.name)
    day = marked(day, compiler.dialect)
    if weekly is None or day is None:
        return spans(element.bounds)
    found = f"{spans(weekly.whole)} AND {day} IN ({', '.join(map(str, weekly.weekdays))})"
    if weekly.less:
        found = f"{found} AND NOT {spans(weekly.less)}"
    return f"({found} OR {spans(weekly.more)})" if weekly.more else f"({found})"


def _balanced(texts: list[str]) -> str:
    """Alternatives in brackets of two, so that no engine has to go deep."""
    while len(texts) > 1:
        pairs = zip_longest(texts[::2], texts[1::2])
        texts = [one if two is None else f"({one} OR {two})" for one, two in pairs]
    return texts[0] if texts[0].startswith("((") else f"({texts[0]})"


def _weekday(name: str, held: Held, dialect: str) -> str | None:
    """The weekday of a column, 0 for Monday, as SQL; None where an engine cannot tell it."""
    engine = ENGINES.get(dialect)
    if engine is None:
        return None
    has_zone = engine.has_zones and getattr(held.zone, "key", None) is not None
    if held.type.is_instant and not has_zone:
        return None
    zone = zone_name(held.zone or "UTC") if has_zone else None
    return filled(engine, "weekday", x=day_of(engine, name, held.column_type, zone))


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

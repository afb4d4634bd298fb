"""Live conditions of joined and cut periods: each part by itself, and how they go together."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any, NamedTuple

from sqlalchemy import Boolean, ColumnElement, and_, not_, or_
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import FunctionElement

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import FilterError, ResolveError
from ulnager.core.periods.clock import Calendars
from ulnager.core.periods.day_sorts import DAY_SETS, DaySet
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.period_tree import Joined, Part, Tree
from ulnager.core.suggest import no_such
from ulnager.filters.columns import COLUMN_TYPES
from ulnager.filters.engines import engine_named
from ulnager.filters.engines.engine import filled
from ulnager.filters.primitives import day_of
from ulnager.filters.sql_arithmetic import literal_day


class DayColumn(NamedTuple):
    """A column whose days are told apart: what it holds, where, and from which minute on."""

    column: ColumnElement[Any]
    column_type: str
    zone: str | None
    minutes: int


def joined_clause(
    tree: Tree,
    part: Callable[[Definition], ColumnElement[bool]],
    days: DayColumn,
    calendars: Calendars,
) -> ColumnElement[bool]:
    """The condition of a tree of parts; ``part`` writes that of one span."""

    def clause(tree: Tree) -> ColumnElement[bool]:
        if isinstance(tree, Part):
            return part(tree.definition)
        if isinstance(tree, Joined):
            one, two = clause(tree.one), clause(tree.two)
            if tree.how == "plus":
                return or_(one, two)
            return and_(one, not_(two) if tree.how == "except" else two)
        business = _calendar(calendars, tree.calendar)
        test = IsSuchDay(days, tree.days, business)
        return and_(clause(tree.one), test if tree.is_only else not_(test))

    return clause(tree)


def _calendar(calendars: Calendars, name: str | None) -> Calendar:
    if name is None:
        return calendars.chosen
    if name not in calendars.named:
        raise ResolveError(no_such("calendar", name, calendars.named))
    return calendars.named[name]


class IsSuchDay(FunctionElement[bool]):
    """Whether a column's day is one of some sorts of days."""

    inherit_cache = False
    type = Boolean()

    def __init__(self, days: DayColumn, sorts: DaySet, calendar: Calendar) -> None:
        super().__init__(days.column)
        if not COLUMN_TYPES[days.column_type].is_dated:
            raise FilterError(
                f"the {sorts} of a column of {days.column_type} cannot be told apart in SQL; "
                "filter a column of dates or timestamps, or with frozen dates"
            )
        self.days = days
        self.sorts = [DAY_SETS[name](calendar.business) for name in dict.fromkeys(sorts.names)]


@compiles(IsSuchDay)
def _is_such_day(element: IsSuchDay, compiler: SQLCompiler, **options: Any) -> str:
    (column,) = element.clauses
    held, engine = element.days, engine_named(compiler.dialect.name)
    text = compiler.process(column, **options)
    day = day_of(engine, text, held.column_type, held.zone, held.minutes)

    def among(dates: tuple[date, ...]) -> str:
        listed = ", ".join(str(literal_day(engine, found.toordinal())) for found in dates)
        return f"{day} IN ({listed})"

    tests = []
    for sort in element.sorts:
        test = ""
        if sort.weekdays:
            numbers = ", ".join(map(str, sorted(sort.weekdays)))
            test = f"{filled(engine, 'weekday', x=day)} IN ({numbers})"
            if sort.less:
                test = f"{test} AND NOT {among(sort.less)}"
        if sort.more:
            test = f"({test}) OR {among(sort.more)}" if test else among(sort.more)
        # No such day at all, which a null is not either.
        tests.append(test or f"{day} <> {day}")
    return f"({' OR '.join(f'({test})' for test in tests) if len(tests) > 1 else tests[0]})"

"""What a live condition cannot be, and how the parts of one that is joined or cut go together."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any, Final, NamedTuple

from sqlalchemy import ColumnElement, and_, not_, or_
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.table_calendar import TableCalendar
from ulnager.core.errors import FilterError, ResolveError
from ulnager.core.periods.clock import Calendars
from ulnager.core.periods.day_sorts import DAY_SETS, DaySet
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.names import NamedUnit
from ulnager.core.periods.period_tree import Joined, Part, Tree
from ulnager.core.periods.rule import Kind
from ulnager.core.periods.shifting import aligned
from ulnager.core.suggest import no_such
from ulnager.core.units import Unit
from ulnager.filters.columns import COLUMN_TYPES
from ulnager.filters.engines import engine_named
from ulnager.filters.engines.engine import HIDDEN, filled, marked
from ulnager.filters.primitives import Test, day_of
from ulnager.filters.sql_values import literal_day


def check_definition(definition: Definition, calendar: Calendar) -> None:
    """FilterError for what SQL could not tell to be wrong."""
    for part in definition.walk():
        if part.unit is Unit.WEEK and NamedUnit(Unit.WEEK, 53) in part.args:
            raise FilterError(
                f"'{part}' does not come every year, so SQL would look at many of them; say the "
                "year, 'week 53 of 2026', or filter with frozen dates"
            )
        checked = _CHECKED.get(part.rule.looks_for)
        if checked is not None and not checked(part, calendar):
            raise FilterError(
                f"'{part}' may not be there, which SQL cannot say; filter with frozen dates"
            )
        inside = part.edge_of
        if inside is not None and inside.may_be_empty:
            raise FilterError(
                f"'{inside}' may be empty and has no start and no end then, which SQL cannot "
                "say; filter with frozen dates"
            )


def check_one_span(definition: Definition) -> None:
    """ResolveError where something is measured from what may be several spans."""
    for part in definition.walk():
        if part.rule.kind is Kind.RANGES and part.rule.find_one is None:
            raise part.several()


def check_data(definition: Definition, place: tuple[str, str] | None) -> None:
    """FilterError where the data's dates are spoken of, and nobody says which these are, or no
    statement finds them."""
    if any(part.rule.takes_profile for part in definition.walk()):
        raise FilterError(
            "the latest whole day takes a profile of the data, which a condition cannot make; "
            "measure from latest, or filter with frozen dates"
        )
    if place is None and any(part.rule.asks == "data" for part in definition.walk()):
        raise FilterError(
            "the phrase speaks of the data's dates; say which table and column hold them: "
            "latest=('trips', 'day'), --latest-in trips.day"
        )


def check_time(
    column_type: str, zone: str | None, each_running: bool, today: date | None, now: Any
) -> None:
    """FilterError where hours, minutes and seconds have no live condition."""
    if not COLUMN_TYPES[column_type].is_moment or zone is None:
        raise FilterError(
            "hours, minutes and seconds are live for a column of instants (timestamptz) with its "
            "tz only; freeze the dates for others"
        )
    if each_running:
        raise FilterError("the day of a row has no moment to count hours from; leave running out")
    if today is not None and now is None:
        raise FilterError("a fixed today has no moment to count hours from; give now as well")


_LEAST_DAYS: Final = {1: 28, 3: 89, 6: 181, 12: 365}
_MOST_DAYS: Final = {1: 31, 3: 92, 6: 184, 12: 366}


def _whole_unit(inside: Definition, calendar: Calendar) -> Unit | None:
    """The unit that a phrase always is, whole; None where it may be anything else."""
    inside = inside.core
    unit, other, to_date = aligned(Basis(calendar, 0, True), inside)
    is_one = inside.rule.kind is Kind.SPAN and unit is not None and unit == other and not to_date
    return unit if is_one else None


def _unit_is_there(span: Definition, calendar: Calendar) -> bool:
    """Whether ``2nd month of PHRASE`` can be counted on."""
    ordinal, unit, inside = span.args
    if inside.core.rule.is_written:
        return True
    outer, number = _whole_unit(inside, calendar), max(ordinal.number, 1)
    if outer is None:
        return False
    if outer.months and unit.months and outer.months % unit.months == 0:
        return bool(number <= outer.months // unit.months)
    least = _LEAST_DAYS.get(outer.months) or calendar._fixed_days(outer)
    most = _MOST_DAYS.get(unit.months) or calendar._fixed_days(unit)
    return bool(most and number * most <= least)


def _name_is_there(span: Definition, calendar: Calendar) -> bool:
    """Whether ``march of PHRASE`` can be counted on: a year has all of them."""
    inside = span.args[1]
    return inside.core.rule.is_written or _whole_unit(inside, calendar) is Unit.YEAR


def _is_there(point: Definition, calendar: Calendar) -> bool:
    """Whether ``3rd friday of PHRASE`` and its like can be counted on."""
    ordinal, name, inside = point.args
    if inside.core.rule.is_written:
        return True  # Its days are known now, and checked where they are counted.
    unit = _whole_unit(inside, calendar)
    if unit is None:
        return False
    if isinstance(calendar, TableCalendar) and calendar._lists(unit):
        days = 1
    else:
        days = 28 if unit.months else calendar._fixed_days(unit) or 1
    if name.weekday is not None:
        days //= 7
    elif name.unit is Unit.BUSINESS_DAY:
        days = calendar.business._fewest_in(days)
    return bool(days >= max(ordinal.number, 1))


_CHECKED: Final[dict[str, Callable[[Definition, Calendar], bool]]] = {
    "day": _is_there,
    "unit": _unit_is_there,
    "name": _name_is_there,
}


def check_sorted(tree: Tree) -> None:
    """FilterError for sorts of days in a period without an end, which frozen dates have none of,
    either, unless another period cuts it; and for what may have been empty before it was moved."""
    _open_side(tree, is_cut=False)


def _open_side(tree: Tree, *, is_cut: bool) -> bool:
    """Whether a part of a tree is open on a side."""
    if isinstance(tree, Part):
        return any(tree.definition.open_sides)
    if isinstance(tree, Joined):
        if tree.of_moved is not None:
            raise FilterError(
                f"what '{tree.of_moved}' moves may be empty, and stays so, which SQL cannot say; "
                "filter with frozen dates"
            )
        other = _open_side(tree.two, is_cut=False)
        is_within = tree.how == "within"
        one = _open_side(tree.one, is_cut=is_cut or (is_within and not other))
        return (
            one and other if is_within else one if tree.how.startswith("except") else one or other
        )
    found = _open_side(tree.one, is_cut=is_cut)
    if found and not is_cut:
        raise FilterError(
            f"a period without an end on one side has no end of {tree.days}, either; cut it first, "
            "for example with 'within data'"
        )
    return found


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
        business = calendar_of(calendars, tree.calendar)
        test = IsSuchDay(days, tree.days, business)
        return and_(clause(tree.one), test if tree.is_only else not_(test))

    return clause(tree)


def calendar_of(calendars: Calendars, name: str | None) -> Calendar:
    if name is None:
        return calendars.chosen
    if name not in calendars.named:
        raise ResolveError(no_such("calendar", name, calendars.named))
    return calendars.named[name]


class IsSuchDay(Test):
    """Whether a column's day is one of some sorts of days."""

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
    text = compiler.process(column, **options).replace("%", HIDDEN)
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
    found = f"({' OR '.join(f'({test})' for test in tests) if len(tests) > 1 else tests[0]})"
    return str(marked(found, compiler.dialect))

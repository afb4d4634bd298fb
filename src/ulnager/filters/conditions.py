"""Conditions for people: a resolution frozen, or a period live, as SQLAlchemy or as text."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import tzinfo
from typing import Any, Final, NamedTuple, TypedDict, Unpack

from sqlalchemy import ClauseElement, ColumnElement

from ulnager.core.arguments import Wanted, checked, shown
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import FilterError
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.period import PeriodBase
from ulnager.core.language.phrase import as_period, period_or_open, resolved
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.definitions import Basis
from ulnager.core.periods.explain import readings_notes
from ulnager.core.periods.grain import Grain, grain_named
from ulnager.core.periods.resolution import ResolutionBase
from ulnager.filters.columns import Held, held_as
from ulnager.filters.engines import TARGETS
from ulnager.filters.expressions import django_q, expression_where, is_expression
from ulnager.filters.frozen_condition import rows_where
from ulnager.filters.lasting import Ends, ends_of
from ulnager.filters.live_condition import ConditionOptions, Live
from ulnager.filters.open_slots_sql import open_where
from ulnager.filters.sql_text import Condition, compiled, dialect_named
from ulnager.filters.standards import STANDARDS


class FrozenOptions(TypedDict, total=False):
    """What a condition with fixed dates may be told of its column, and how it is written."""

    column_type: str
    tz: str | tzinfo | None
    rounding: str | None
    grain: str | Grain | None
    target: str
    literal: bool
    paramstyle: str | None


ANY_COLUMN: Final = Wanted((object,), "the name of a column, or a SQLAlchemy column")
WITHOUT_CLOCK: Final = (*STANDARDS, "django")
"""The targets that are no engines: nothing is live there."""
_OF_COLUMN: Final = ("column_type", "tz", "rounding", "grain")
_OF_ROWS: Final = (*_OF_COLUMN, "until", "until_type", "lasting")


@checked(options=ConditionOptions, column=ANY_COLUMN, until=ANY_COLUMN)
def where(
    period: ResolutionBase | PeriodBase | Bucket | str,
    column: str | ColumnElement[Any],
    **options: Unpack[ConditionOptions],
) -> ColumnElement[bool]:
    """A SQLAlchemy condition that keeps the rows of a period.

    The dates of a resolution are frozen. A period or a phrase stays live: the engine works its
    dates out, and the condition moves with its clock. ``column`` is a column's name, a SQLAlchemy
    column, or an attribute of a mapped class (of an alias, too). Of an expression of Narwhals,
    Polars, Ibis or PySpark a resolution's condition is such an expression. Rows without a date are
    never kept: ``all dates`` keeps every row that has one.

    ``column_type`` is what the column holds: ``date`` (unless said otherwise), ``timestamp``,
    ``timestamptz``, ``yyyymmdd``, …; ``tz`` the zone that days of instants are taken in, and where
    today is. ``grain`` is the unit that a row stands for, where that is more than a day: ``month``
    for one row a month, and ``rounding`` what becomes of a unit that a period cuts: ``inward`` or
    ``outward``.

    Rows that last have their first day in ``column`` and their last one in ``until``, null for one
    that is still open. Those that overlap the period are kept; with ``lasting="inside"`` those that
    lie in it, with ``"begin"`` those that begin in it. ``until_type`` is what that column holds,
    where it is not as the other.

    The others are for what is live. ``latest`` is the table (with its schema before a dot if need
    be) and the column whose dates answer for ``latest`` and ``earliest``; ``latest_type`` is what
    that column holds: ``date``, ``timestamp`` or ``timestamptz``. ``open_ended`` are dates in it
    that stand for none, such as 9999-12-31. ``today`` fixes the clock, to try another day, and
    ``now``, an aware datetime, its instant. A new day begins at ``day_starts``, a full hour, for
    the clock and for timestamps and instants alike; dates are the days that they say.

    With ``anchor``, a column, every row is measured from its own date there; that day is over,
    unless it is ``running``. ``anchor_type`` is as for ``latest``.

    ``date_table`` is the name of a table that ``ulnager calendar --to`` wrote from ``calendar``;
    calendars of weeks and tables, own units and business days take it. It has to hold every day
    that is asked for: where one is missing, no row is kept.

    ``offset_table`` is the name of one that ``ulnager calendar --offsets`` wrote, in which engines
    without zones of their own (SQLite, MySQL, MariaDB, DataFusion, ClickHouse) find how far the
    clocks of ``tz`` are from UTC. What lies outside of it keeps no row.

    The slots of a phrase that has some, ``last {n} days``, become bound parameters of their names;
    a value beyond its bounds, and null, keep no row. ``parameters`` are other SQL for them.

    >>> import ulnager
    >>> print(where(ulnager.period("until 2026-03-31").resolve(), "sailed_on"))
    "sailed_on" < :stop_1

    Raises FilterError for what no engine can work out, for options that are about what is live
    beside a resolution, and when it is compiled for what that engine cannot; ResolveError for a
    period that may have several spans.
    """
    if isinstance(period, Bucket):
        period = resolved(period)
    if isinstance(period, ResolutionBase):
        told = _of_rows(period, options)
        if is_expression(column):
            return expression_where(period, column, *told)  # type: ignore[no-any-return]
        return rows_where(period, column, *told)
    if is_expression(column):
        raise FilterError(
            f"an expression of {type(column).__module__.partition('.')[0]} knows no clock, so "
            "nothing can be live there; resolve the period first: period.resolve(today=…)"
        )
    said = period_or_open(period, options.get("calendar")) if isinstance(period, str) else period
    live = Live.of(options)
    if isinstance(said, OpenPeriod):
        return open_where(live, said, column)
    return live.where(as_period(said).definition, column)


class _OfRows(NamedTuple):
    """What a column holds, and of rows that last the column of their end and how they count."""

    held: Held
    ends: Ends | None


def _of_rows(result: ResolutionBase, options: Mapping[str, Any]) -> _OfRows:
    """What a condition with fixed dates is told; FilterError for what is of live ones."""
    for name, given in options.items():
        if name not in _OF_ROWS and given is not None:
            raise FilterError(
                f"'{result.period}' is resolved already, so {name} would do nothing; give the "
                "period for a condition that is live, or leave it out"
            )
    held: dict[str, Any] = {name: options[name] for name in _OF_COLUMN if name in options}
    held["grain"] = grain_named(options.get("grain"), calendar=result.calendar)
    begins = held_as(**held)
    until, until_type, lasting, tz = (
        options.get(name) for name in ("until", "until_type", "lasting", "tz")
    )
    return _OfRows(begins, ends_of(until, until_type, lasting, tz, begins))


def live_notes(period: PeriodBase, defaults: Defaults | None = None) -> tuple[str, ...]:
    """How an ambiguous phrase is read where it is live, and how else it could be."""
    basis = Basis(GREGORIAN, 0, True)
    basis.defaults, basis.decided = defaults or basis.defaults, defaults is not None
    return tuple(readings_notes(period.definition, basis, dated=False))


@checked(options=ConditionOptions, column=ANY_COLUMN, until=ANY_COLUMN)
def condition(
    period: ResolutionBase | PeriodBase | Bucket | str | ClauseElement,
    column: str | ColumnElement[Any] | None = None,
    *,
    target: str = "ansi",
    literal: bool = False,
    paramstyle: str | None = None,
    **options: Unpack[ConditionOptions],
) -> Condition:
    """The condition as text for a target, values bound or written as literals.

    A resolution is frozen; a period or a phrase is live, for a target that knows its clock; the
    ``options`` are those of :func:`where`. Any clause of SQLAlchemy, as :func:`where`,
    :func:`ulnager.age` and ``picker.where`` give it, is written as text without a column.

    >>> import ulnager
    >>> march = ulnager.period("2026-03").resolve()
    >>> print(condition(march, "sailed_on", literal=True))
    "sailed_on" >= DATE '2026-03-01' AND "sailed_on" < DATE '2026-04-01'
    >>> found = condition(march, "sailed_on", target="duckdb", paramstyle="dollar")
    >>> found.text, [str(one) for one in found.parameters]
    ('"sailed_on" >= $1 AND "sailed_on" < $2', ['2026-03-01', '2026-04-01'])

    ``target`` is an engine, ``ansi``, or an open standard: ``odata``, ``cql2`` or ``cql2-json``;
    for ``django`` it is a ``Q`` instead of a text, and ``column`` the name of a field.
    ``paramstyle`` says how the driver marks parameters: as PEP 249 has it ``named`` (the usual
    one, ``:name``), ``pyformat``, ``qmark``, ``format`` or ``numeric``, or ``dollar`` (``$1``);
    ``parameters`` are a mapping for the first two and a list for the others.

    Raises FilterError for a target, a style, a column type or a zone that cannot be used.
    """
    if isinstance(period, ClauseElement):
        if column is not None or options:
            raise FilterError("this is a condition already, which has its column and its options")
        return compiled(period, dialect_named(target, paramstyle), literal=literal)
    if column is None:
        raise FilterError("of which column? Give its name: column='sold_on'")
    if target in WITHOUT_CLOCK:
        if not isinstance(period, ResolutionBase | Bucket):
            raise FilterError(
                f"{target} has no clock, so nothing can be live there; resolve the period first: "
                "period.resolve(today=…)"
            )
        if paramstyle is not None:
            raise FilterError(f"{target} has no parameters of that kind; leave paramstyle out")
        result = resolved(period)
        told = _of_rows(result, options)
        if target == "django":
            return django_q(result, column, *told)  # type: ignore[no-any-return]
        if told.ends is not None:
            raise FilterError(f"until is not written for {target}; name an engine")
        if not isinstance(column, str):
            raise FilterError(f"{shown(column)} is no name of a column, which {target} wants")
        return Condition(STANDARDS[target](result, column, told.held))
    if target not in TARGETS:
        raise FilterError(
            f"there is no target {target!r}; choose {', '.join((*TARGETS, *WITHOUT_CLOCK))}"
        )
    clause = where(period, column, **options)
    return compiled(clause, dialect_named(target, paramstyle), literal=literal)

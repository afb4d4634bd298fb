"""Conditions for people: a resolution frozen, or a period live, as SQLAlchemy or as text."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime, tzinfo
from typing import Any

from sqlalchemy import ColumnElement

from ulnager.core.arguments import checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import as_period, resolved
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.definitions import Basis
from ulnager.core.periods.explain import readings_notes
from ulnager.core.periods.grain import Grain, grain_named
from ulnager.core.periods.resolution import Resolution
from ulnager.filters.columns import held_as
from ulnager.filters.frozen_condition import frozen_where
from ulnager.filters.live_condition import Live
from ulnager.filters.open_slots_sql import open_where
from ulnager.filters.sql_text import Condition, compiled, dialect_named, named_column


@checked()
def live_where(
    period: Period | str,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    calendar: Calendar | None = None,
    calendars: Mapping[str, Calendar] | None = None,
    defaults: Defaults | None = None,
    latest: object = None,
    latest_type: str | None = None,
    open_ended: Sequence[date | str] = (),
    today: date | None = None,
    now: datetime | str | None = None,
    anchor: str | ColumnElement[Any] | None = None,
    anchor_type: str = "date",
    running: bool = False,
    date_table: str | None = None,
    rounding: str | None = None,
    grain: str | Grain | None = None,
    day_starts: str = "00:00",
    parameters: Mapping[str, ColumnElement[Any]] | None = None,
) -> ColumnElement[bool]:
    """A condition that moves with the engine's clock, for any SQLAlchemy ``select``.

    ``column_type``, ``tz``, ``rounding`` and ``grain`` are those of :func:`ulnager.condition`;
    ``tz`` also says where today is. ``latest`` is the table (with its schema before a dot if need
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

    The slots of a phrase that has some, ``last {n} days``, become bound parameters of their names;
    a value beyond its bounds, and null, keep no row. ``parameters`` are other SQL for them.

    Raises FilterError for what no engine can work out, and when it is compiled for what that one
    cannot; ResolveError for a period that may have several spans.
    """
    period = as_period(period, calendar)
    live = Live(
        column_type=column_type,
        tz=tz,
        calendar=calendar,
        calendars=calendars,
        defaults=defaults,
        latest=latest,
        latest_type=latest_type,
        open_ended=open_ended,
        today=today,
        now=now,
        anchor=anchor,
        anchor_type=anchor_type,
        running=running,
        date_table=date_table,
        rounding=rounding,
        grain=grain,
        day_starts=day_starts,
        parameters=parameters,
    )
    if isinstance(period, OpenPeriod):
        return open_where(live, period, on)
    return live.where(period.definition, on)


def live_notes(period: Period, defaults: Defaults | None = None) -> tuple[str, ...]:
    """How an ambiguous phrase is read where it is live, and how else it could be."""
    basis = Basis(GREGORIAN, 0, True)
    basis.defaults, basis.decided = defaults or basis.defaults, defaults is not None
    return tuple(readings_notes(period.definition, basis, dated=False))


@checked()
def where(
    result: Resolution | Period | Bucket | str,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    rounding: str | None = None,
    grain: str | Grain | None = None,
) -> ColumnElement[bool]:
    """A SQLAlchemy condition that keeps the rows of a resolution, or of a period as of today.

    The dates of a resolution are frozen. A period or a phrase stays live: the engine works its
    dates out (see :func:`ulnager.live_where`, which has more options). ``on`` is a column's name
    or a SQLAlchemy column. Rows without a date are never kept:
    ``all dates`` keeps every row that has one. ``grain`` is the unit that a row stands for, where
    that is more than a day: ``month`` for one row a month. Raises FilterError as
    :func:`ulnager.filters.columns.column_bounds` does.

    >>> import ulnager
    >>> print(where(ulnager.period("until 2026-03-31").resolve(), "sailed_on"))
    "sailed_on" < :stop_1
    """
    if isinstance(result, Bucket):
        result = resolved(result)
    if not isinstance(result, Resolution):
        return live_where(
            as_period(result),
            named_column(on),
            column_type=column_type,
            tz=tz,
            rounding=rounding,
            grain=grain,
        )
    grain = grain_named(grain, calendar=result.calendar)
    return frozen_where(result, on, held_as(column_type, tz, rounding, grain))


@checked()
def condition(
    result: Resolution | Period | Bucket | str,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    rounding: str | None = None,
    grain: str | Grain | None = None,
    target: str = "ansi",
    literal: bool = False,
) -> Condition:
    """The condition as text for a target, values bound or written as literals.

    A resolution is frozen; a period or a phrase is live, for a target that knows its clock.

    >>> import ulnager
    >>> march = ulnager.period("2026-03").resolve()
    >>> print(condition(march, "sailed_on", literal=True))
    "sailed_on" >= DATE '2026-03-01' AND "sailed_on" < DATE '2026-04-01'

    ``target`` is an engine, or ``ansi``. Raises FilterError for a target, a column type or a zone
    that cannot be used.
    """
    clause = where(result, on, column_type=column_type, tz=tz, rounding=rounding, grain=grain)
    return compiled(clause, dialect_named(target), literal=literal)

"""Conditions for people: a resolution frozen, or a period live, as SQLAlchemy or as text."""

from __future__ import annotations

from datetime import tzinfo
from typing import Any

from sqlalchemy import ColumnElement

from ulnager.core.arguments import checked
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import as_period, resolved
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.grain import Grain, grain_named
from ulnager.core.periods.resolution import Resolution
from ulnager.filters.columns import held_as
from ulnager.filters.frozen_condition import frozen_where
from ulnager.filters.live import live_where
from ulnager.filters.sql_text import Condition, compiled, dialect_named, named_column


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
            as_period(result), named_column(on), column_type=column_type, tz=tz, rounding=rounding,
            grain=grain,
        )  # fmt: skip
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

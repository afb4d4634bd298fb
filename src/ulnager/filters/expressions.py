"""Frozen conditions in other libraries' own words: expressions that compare, and Django's ``Q``.

Whatever has ``>=``, ``<``, ``&`` and ``|`` and says where it is null can be compared: expressions
of Narwhals, Polars, Ibis and PySpark. Nothing of these libraries is imported here.
"""

from __future__ import annotations

import functools
import operator
from datetime import date
from typing import Any, Final

from ulnager.core.errors import FilterError
from ulnager.core.periods.resolution import ResolutionBase
from ulnager.filters.columns import Held, column_bounds
from ulnager.filters.lasting import Ends, lasting_where

_IS_NULL: Final = ("is_null", "isnull", "isNull")
"""What libraries call the question whether there is no value."""


def is_expression(column: object) -> bool:
    """Whether a column is an expression of a library that compares.

    >>> import narwhals as nw
    >>> is_expression(nw.col("day")), is_expression("day")
    (True, False)
    """
    is_one = not isinstance(column, type) and any(hasattr(column, name) for name in _IS_NULL)
    return is_one and hasattr(column, "__ge__") and not hasattr(column, "columns")


def expression_where(
    result: ResolutionBase, column: Any, held: Held, ends: Ends | None = None
) -> Any:
    """The condition of a resolution as an expression of the column's own library.

    >>> import ulnager, polars as pl
    >>> march = ulnager.period("2026-03").resolve()
    >>> frame = pl.DataFrame({"day": [date(2026, 3, 31), date(2026, 4, 1), None]})
    >>> frame.filter(ulnager.where(march, pl.col("day")))["day"].to_list()
    [datetime.date(2026, 3, 31)]
    """
    if ends is not None:
        return lasting_where(
            result, (column, held), ends, expression_where, lambda: _is_null(ends.column)
        )
    if held.type.is_instant and type(column).__module__.partition(".")[0] == "polars":
        column = column.dt.convert_time_zone("UTC")  # It compares instants of one zone only.
    spans = []
    for start, stop in column_bounds(result, held):
        sides = []
        if start is not None:
            sides.append(column >= start)
        if stop is not None:
            sides.append(column < stop)
        if not sides:
            sides.append(~_is_null(column))
        spans.append(functools.reduce(operator.and_, sides))
    if not spans:
        return (column < date.min) & (column >= date.min)
    return functools.reduce(operator.or_, spans)


def _is_null(column: Any) -> Any:
    return getattr(column, next(name for name in _IS_NULL if hasattr(column, name)))()


def django_q(result: ResolutionBase, field: object, held: Held, ends: Ends | None = None) -> Any:
    """A ``Q`` of Django that keeps the rows of a resolution; ``field`` is a name, or a path with
    ``__``.

    Raises FilterError for what is no name of a field.
    """
    from django.db.models import Q

    for name in (field, *(() if ends is None else (ends.column,))):
        if not isinstance(name, str) or not name.isidentifier():
            raise FilterError(
                f"{name!r} is no field of Django; give its name, or a path: trip__day"
            )
    if ends is not None:
        return lasting_where(
            result, (field, held), ends, django_q, lambda: Q(**{f"{ends.column}__isnull": True})
        )
    spans = []
    for start, stop in column_bounds(result, held):
        sides = {"gte": start, "lt": stop}
        bounds = {f"{field}__{side}": one for side, one in sides.items() if one is not None}
        spans.append(Q(**(bounds or {f"{field}__isnull": False})))
    return functools.reduce(operator.or_, spans) if spans else Q(pk__in=[])

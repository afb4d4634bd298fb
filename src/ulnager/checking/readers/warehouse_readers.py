"""How the dialects are read of Snowflake, BigQuery, Redshift and Trino."""

from __future__ import annotations

from typing import Any

from sqlglot import exp

from ulnager.checking.readers.dialect_reader import Reader
from ulnager.checking.readers.rewriting import (
    from_sunday,
    is_temporal,
    iso_weeks,
    months_to_the_last,
    moved_by_days,
    piece,
    unit_of,
    unquoted,
    week_from,
)


def _of_snowflake(node: Any) -> Any:
    if isinstance(node, exp.Anonymous) and node.name.lower() == "to_timestamp_tz":
        if is_temporal(node.expressions[0]) or isinstance(node.expressions[0], exp.Literal):
            return piece("CAST(x AS TIMESTAMPTZ)", x=node.expressions[0])
        return piece("to_timestamp(x)", x=node.expressions[0])
    return months_to_the_last(unquoted(node))


def _of_trino(node: Any) -> Any:
    if isinstance(node, exp.Anonymous) and node.name.lower() == "with_timezone":
        return piece("(x AT TIME ZONE y)", x=node.expressions[0], y=node.expressions[1])
    return iso_weeks(node)


def _of_bigquery(node: Any) -> Any:
    if isinstance(node, exp.Extract):
        return from_sunday(node)
    if not isinstance(node, (exp.DateTrunc, exp.TimestampTrunc)):
        return node
    unit = node.args.get("unit")
    if type(unit).__name__ == "WeekStart":
        return week_from(node.this, getattr(unit, "this").name)  # noqa: B009
    by = unit_of(node)
    if by in ("WEEK", "WEEK(SUNDAY)"):
        return piece("date_trunc('day', x) - to_days(extract('dow' FROM x)::INT)", x=node.this)
    return piece("date_trunc('week', x)", x=node.this) if by == "WEEK(MONDAY)" else node


def _of_redshift(node: Any) -> Any:
    if isinstance(node, exp.Trunc) and node.args.get("decimals") is None:
        return piece("CAST(x AS DATE)", x=node.this)
    return moved_by_days(unquoted(node))


SNOWFLAKE = Reader("snowflake", ("to_timestamp_tz",), _of_snowflake, by_edges=True, weeks_hang=True)
BIGQUERY = Reader("bigquery", rewrites=_of_bigquery, by_edges=True)
REDSHIFT = Reader("redshift", rewrites=_of_redshift, by_edges=True)
TRINO = Reader("trino", ("with_timezone",), _of_trino)

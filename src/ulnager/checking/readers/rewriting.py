"""What the readers of several dialects put into DuckDB's words alike."""

from __future__ import annotations

from typing import Any, Final

import sqlglot
from sqlglot import exp

from ulnager.core.errors import FilterError
from ulnager.core.units import WEEKDAYS

WEEKS: Final = ("WEEK", "WK", "WW")


DIFFERENCES: Final = ("DateDiff", "DatetimeDiff", "TsOrDsDiff", "TimestampDiff")


class Unclear(FilterError):  # noqa: N818
    """A condition that cannot be translated for certain."""


def unit_of(node: Any) -> str:
    found = node.args.get("unit")
    return "" if found is None else found.sql().upper().strip("'\"")


def piece(text: str, **parts: exp.Expression) -> exp.Expression:
    """A piece of DuckDB with expressions in it."""
    tree = sqlglot.parse_one(text, read="duckdb")

    def put(node: exp.Expression) -> exp.Expression:
        if isinstance(node, exp.Column) and node.name in parts:
            return exp.Paren(this=parts[node.name].copy())
        return node

    found: exp.Expression = tree.transform(put)
    return exp.Paren(this=found)


def number_of(node: Any) -> int | None:
    while isinstance(node, (exp.Paren, exp.Cast)):
        node = node.this
    is_number = isinstance(node, exp.Literal) and not node.is_string and node.name.isdigit()
    return int(node.name) if is_number else None


def last_day_kept(day: exp.Expression, months: exp.Expression) -> exp.Expression:
    return piece(
        "CASE WHEN CAST(x AS DATE) = last_day(x) THEN last_day(x + to_months(n_)) "
        "ELSE CAST(x + to_months(n_) AS DATE) END",
        x=day,
        n_=months,
    )


WEEKDAY_PLACES: Final = {name.upper(): place for place, name in enumerate(WEEKDAYS, 1)}


def week_from(day: exp.Expression, weekday: str) -> exp.Expression:
    """The start of a week that begins on a weekday."""
    place = WEEKDAY_PLACES.get(weekday.upper())
    if place is None:
        raise Unclear(f"{weekday} is no weekday that is known here")
    return piece(f"date_trunc('day', x) - to_days(((isodow(x) - {place} + 7) % 7)::INT)", x=day)


def iso_weeks(node: Any) -> Any:
    """The sign for a week of ISO 8601, which is another one in DuckDB."""
    if isinstance(node, exp.TimeToStr) and "%v" in node.args["format"].name:
        node.args["format"].set("this", node.args["format"].name.replace("%v", "%V"))
    return node


def unquoted(node: Any) -> Any:
    """What stands in double quotes in the form of a date is itself."""
    if isinstance(node, exp.TimeToStr) and '"' in node.args["format"].name:
        node.args["format"].set("this", node.args["format"].name.replace('"', ""))
    return node


TEMPORAL: Final = (
    exp.CurrentDate,
    exp.CurrentTimestamp,
    exp.DateTrunc,
    exp.TimestampTrunc,
    exp.AddMonths,
    exp.LastDay,
    exp.TsOrDsAdd,
    exp.DateAdd,
    exp.DateSub,
    exp.DateFromUnixDate,
    exp.DateStrToDate,
)


def is_temporal(node: Any) -> bool:
    """Whether a node is a date or a time."""
    while isinstance(node, exp.Paren):
        node = node.this
    if isinstance(node, exp.Cast):
        return node.to.this in exp.DataType.TEMPORAL_TYPES
    if isinstance(node, (exp.Least, exp.Greatest)):
        return is_temporal(node.this)
    if isinstance(node, exp.Case):
        return all(is_temporal(one.args["true"]) for one in node.args["ifs"])
    if isinstance(node, (exp.Add, exp.Sub)):
        return is_temporal(node.this) and not is_temporal(node.expression)
    return isinstance(node, TEMPORAL) or is_rewritten(node)


def may_be_day(node: Any) -> bool:
    """Whether a node is a date, or the column of one."""
    while isinstance(node, exp.Paren):
        node = node.this
    return (isinstance(node, exp.Column) and node.name == "d_") or is_temporal(node)


def is_rewritten(node: Any) -> bool:
    """Whether a node is a date for certain, once it was put into DuckDB's words."""
    return isinstance(node, exp.Column) and node.name in ("a", "n")


def moved_by_days(node: Any) -> Any:
    """A whole number that is added to a date is days."""
    if not isinstance(node, (exp.Add, exp.Sub)):
        return node
    by = node.expression
    while isinstance(by, exp.Paren):
        by = by.this
    if not is_temporal(node.this):
        return node
    sign = "+" if isinstance(node, exp.Add) else "-"
    if isinstance(by, exp.Div):  # Days of two dates apart, which may have parts.
        return piece(f"x {sign} to_seconds(CAST(y * 86400 AS BIGINT))", x=node.this, y=by)
    if not isinstance(by, exp.Mod) and number_of(by) is None:
        return node
    return piece(f"x {sign} to_days(CAST(y AS INTEGER))", x=node.this, y=node.expression)


def from_sunday(node: Any) -> Any:
    """Weekdays from 1 for Sunday, as EXTRACT gives them."""
    is_weekday = isinstance(node, exp.Extract) and node.this.name.upper() == "DAYOFWEEK"
    return piece("CAST(dayofweek(x) + 1 AS INTEGER)", x=node.expression) if is_weekday else node


def months_to_the_last(node: Any) -> Any:
    """The last day of a month stays a last day."""
    return last_day_kept(node.this, node.expression) if isinstance(node, exp.AddMonths) else node

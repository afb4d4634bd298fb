"""Spark."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Dialect
from sqlalchemy.sql.compiler import IdentifierPreparer, SQLCompiler

from ulnager.filters.engines.ansi import Ansi
from ulnager.filters.engines.engine import TRUNCATES, Engine


class _BackticksPreparer(IdentifierPreparer):
    def __init__(self, dialect: Dialect) -> None:
        super().__init__(dialect, initial_quote="`", escape_quote="`")


class _SparkCompiler(SQLCompiler):
    def visit_bindparam(self, bindparam: Any, *args: Any, **options: Any) -> str:
        """Parameters hold times as text: Spark would take one of Python's for its driver's zone."""
        text: str = super().visit_bindparam(bindparam, *args, **options)  # type: ignore[no-untyped-call]
        form = getattr(bindparam.type, "form", None)
        word = getattr(SPARK, form).partition(" '")[0] if form in ("time", "instant") else ""
        return f"CAST({text} AS {word})" if word and text.startswith(":") else text


class SparkDialect(Ansi):
    name = "spark"
    statement_compiler = _SparkCompiler
    preparer: type[IdentifierPreparer] = _BackticksPreparer


SPARK = Engine(
    name="spark",
    dialect=lambda: SparkDialect,
    today="current_date()",
    now="current_timestamp()",
    time_of="CAST({x} AS TIMESTAMP_NTZ)",
    local_now="current_timestamp()",
    # Through the seconds, which no time zone of the session can move.
    local_day="date_from_unix_date(CAST(floor(unix_seconds("
    "from_utc_timestamp({x}, '{tz}'){before}) / 86400) AS INT))",
    midnight="CAST(concat({x}, ' {clock} {tz}') AS TIMESTAMP)",
    add_days="date_add({x}, {n})",
    add_count="date_add({x}, {a})",
    add_months_count="add_months({x}, {a})",
    add_months="add_months({x}, {n})",
    truncated="trunc({x}, '{u}')",
    truncates=TRUNCATES,
    months_start="add_months(trunc({x}, 'MM'), -mod(month({x}) + {k}, {m}))",
    week_start="date_sub({x}, mod(weekday({x}) + {w7}, 7))",
    weekday="weekday({x})",
    days_between="datediff({x}, {y})",
    formatted="date_format({x}, '{f}')",
    pieces=("yyyy", "MM", "dd"),
    week_number="(year(date_add({x}, 3)) * 100 + weekofyear({x}))",
    week_named="concat(year(date_add({x}, 3)), '-W', lpad(weekofyear({x}), 2, '0'))",
    seconds="unix_seconds({x})",
    instant="TIMESTAMP_LTZ '{x}+00:00'",
    add_time="({x} {s} INTERVAL '{a}' {U})",
    # An interval of a day and more is added by the clocks of the session.
    add_elapsed="timestamp_micros(unix_micros({x}) {s} {a} * {q})",
    move_wall="to_utc_timestamp(timestamp_micros(unix_micros("
    "from_utc_timestamp({x}, '{tz}')) + {y} * 86400000000), '{tz}')",
    truncated_time="timestamp_micros(unix_micros({x}) - "
    "pmod(unix_micros(from_utc_timestamp({x}, '{tz}')), {q}000000))",
    time="TIMESTAMP_NTZ '{x}'",
    text_parameters=True,
    shown_at="timestampadd(MICROSECOND, unix_micros(from_utc_timestamp({x}, '{tz}')), "
    "TIMESTAMP_NTZ '1970-01-01 00:00:00')",
    day_of_key="CAST(try_to_timestamp(CAST({x} AS STRING), 'yyyyMMdd') AS DATE)",
    day_of_month_key="CAST(try_to_timestamp(CAST({x} AS STRING), 'yyyyMM') AS DATE)",
    day_of_week_key="date_add(make_date(CAST({x} AS INT) DIV 100, 1, 4), CAST({x} % 100 * 7 - 7 AS "
    "INT) - weekday(make_date(CAST({x} AS INT) DIV 100, 1, 4)))",
    full_seconds="unix_seconds({x})",
    full_seconds_local="timestampdiff(SECOND, TIMESTAMP_NTZ '1970-01-01 00:00:00', {x})",
    median="percentile({x}, 0.5)",
    nan="CAST('NaN' AS DOUBLE)",
    divided="({x} DIV {n})",
    joins=False,
)

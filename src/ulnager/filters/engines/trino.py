"""Trino."""

from __future__ import annotations

from ulnager.filters.engines.ansi import dialect_called
from ulnager.filters.engines.engine import STRFTIME, TRUNCATES, Engine

TRINO = Engine(
    name="trino",
    dialect=lambda: dialect_called("trino"),
    instant="TIMESTAMP '{x} UTC'",
    today="current_date",
    now="current_timestamp",
    local_now="localtimestamp",
    local_day="CAST({x} AT TIME ZONE '{tz}' AS DATE)",
    shown_at="CAST({x} AT TIME ZONE '{tz}' AS TIMESTAMP)",
    instant_at="with_timezone({x}, '{tz}')",
    add_days="date_add('day', {n}, {x})",
    add_count="date_add('day', {a}, {x})",
    add_months_count="date_add('month', {a}, {x})",
    add_months="date_add('month', {n}, {x})",
    truncated="date_trunc('{u}', {x})",
    truncates=TRUNCATES,
    months_start="date_add('month', -mod(month({x}) + {k}, {m}), date_trunc('month', {x}))",
    week_start="date_add('day', -mod(day_of_week({x}) + {w6}, 7), {x})",
    weekday="(day_of_week({x}) - 1)",
    days_between="date_diff('day', {y}, {x})",
    formatted="date_format({x}, '{f}')",
    pieces=STRFTIME,
    week_forms=("%x%v", "%x-W%v"),
    truncated_time="date_trunc('{u}', {x} AT TIME ZONE 'UTC')",
    add_time="({x} {s} INTERVAL '{a}' {U})",
    seconds="CAST(to_unixtime({x}) AS BIGINT)",
    joins=False,
)

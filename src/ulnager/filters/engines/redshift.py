"""Redshift."""

from __future__ import annotations

from ulnager.filters.engines.ansi import dialect_called
from ulnager.filters.engines.engine import TRUNCATES, Engine

REDSHIFT = Engine(
    name="redshift",
    dialect=lambda: dialect_called("redshift"),
    instant="CAST('{x}+00:00' AS TIMESTAMPTZ)",
    # The clock is a time of the session's zone; as an instant it is the same whatever that is.
    now="CAST(GETDATE() AS TIMESTAMPTZ)",
    local_now="GETDATE()",
    shown_at="({x} AT TIME ZONE '{tz}')",
    instant_at="({x} AT TIME ZONE '{tz}')",
    add_days="({x} {s} {a})",
    add_count="({x} + {a})",
    # ADD_MONTHS keeps last days of months, and DATEADD keeps the day.
    add_months_count="CAST(DATEADD(month, {a}, {x}) AS DATE)",
    add_months="CAST(DATEADD(month, {n}, {x}) AS DATE)",
    truncated="CAST(date_trunc('{u}', {x}) AS DATE)",
    truncates=TRUNCATES,
    months_start="CAST(DATEADD(month, -MOD(CAST(EXTRACT(month FROM {x}) AS INTEGER) + {k}, {m}), "
    "date_trunc('month', {x})) AS DATE)",
    week_start="({x} - MOD(CAST(EXTRACT(dow FROM {x}) AS INTEGER) + {w6}, 7))",
    weekday="MOD(CAST(EXTRACT(dow FROM {x}) AS INTEGER) + 6, 7)",
    days_between="DATEDIFF(day, {y}, {x})",
    formatted="TO_CHAR({x}, '{f}')",
    pieces=("YYYY", "MM", "DD"),
    week_forms=("IYYYIW", 'IYYY"-W"IW'),
    truncated_time="(date_trunc('{u}', {x} AT TIME ZONE 'UTC') AT TIME ZONE 'UTC')",
    add_time="({x} {s} INTERVAL '{a} {u}s')",
    seconds="CAST(EXTRACT(epoch FROM {x}) AS BIGINT)",
    joins=False,
)

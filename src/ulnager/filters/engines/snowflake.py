"""Snowflake."""

from __future__ import annotations

from ulnager.filters.engines.ansi import dialect_called
from ulnager.filters.engines.engine import Engine

SNOWFLAKE = Engine(
    name="snowflake",
    dialect=lambda: dialect_called("snowflake"),
    # TIMESTAMP alone is what a parameter of the session says.
    time="CAST('{x}' AS TIMESTAMP_NTZ)",
    instant="CAST('{x} +00:00' AS TIMESTAMP_TZ)",
    today="CURRENT_DATE",
    now="CURRENT_TIMESTAMP",
    local_now="CAST(CURRENT_TIMESTAMP AS TIMESTAMP_NTZ)",
    time_of="CAST({x} AS TIMESTAMP_NTZ)",
    shown_at="CAST(CONVERT_TIMEZONE('{tz}', {x}) AS TIMESTAMP_NTZ)",
    # Of a whole number it makes an instant.
    instant_at="TO_TIMESTAMP_TZ(DATE_PART(epoch_second, CONVERT_TIMEZONE('{tz}', 'UTC', {x})))",
    add_days="DATEADD(day, {n}, {x})",
    add_count="DATEADD(day, {a}, {x})",
    add_months_count="DATEADD(month, {a}, {x})",
    add_months="DATEADD(month, {n}, {x})",
    # A week begins there as a parameter of the session says.
    truncated="DATE_TRUNC('{u}', {x})",
    truncates={
        "week": "DATEADD(day, 1 - DAYOFWEEKISO({x}), {x})",
        **{name: name for name in ("month", "quarter", "year")},
    },
    months_start="DATEADD(month, -MOD(MONTH({x}) + {k}, {m}), DATE_TRUNC('month', {x}))",
    week_start="DATEADD(day, -MOD(DAYOFWEEKISO({x}) + {w6}, 7), {x})",
    weekday="(DAYOFWEEKISO({x}) - 1)",
    days_between="DATEDIFF(day, {y}, {x})",
    formatted="TO_CHAR({x}, '{f}')",
    pieces=("YYYY", "MM", "DD"),
    week_number="(YEAROFWEEKISO({x}) * 100 + WEEKISO({x}))",
    week_named="CONCAT(YEAROFWEEKISO({x}), '-W', LPAD(WEEKISO({x}), 2, '0'))",
    truncated_time="TO_TIMESTAMP_TZ(FLOOR(DATE_PART(epoch_second, {x}) / {q}) * {q})",
    add_time="DATEADD({u}, {n}, {x})",
    seconds="DATE_PART(epoch_second, {x})",
    year_of="YEAR({x})",
    month_of="MONTH({x})",
    day_in_month="DAY({x})",
    divided="TRUNC({x} / {n})",
    joins=False,
)

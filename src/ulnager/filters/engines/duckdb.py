"""DuckDB."""

from __future__ import annotations

from ulnager.filters.engines.ansi import dialect_called
from ulnager.filters.engines.engine import (
    FIRST_MIDNIGHT,
    FIRST_OF_TWO,
    MIDNIGHT,
    STRFTIME,
    TRUNCATES,
    Engine,
)

DUCKDB = Engine(
    name="duckdb",
    dialect=lambda: dialect_called("duckdb"),
    today="current_date",
    local_day="CAST({x} AT TIME ZONE '{tz}'{before} AS DATE)",
    midnight=FIRST_MIDNIGHT,
    skipped_midnight=MIDNIGHT,
    add_days="({x} {s} {a})",
    add_count="({x} + CAST({a} AS INTEGER))",
    add_months_count="CAST({x} + to_months(CAST({a} AS INTEGER)) AS DATE)",
    add_months="CAST({x} {s} INTERVAL {a} MONTH AS DATE)",
    truncated="CAST(date_trunc('{u}', {x}) AS DATE)",
    truncates=TRUNCATES,
    months_start="CAST(date_trunc('month', {x}) "
    "- to_months(CAST(mod(month({x}) + {k}, {m}) AS INTEGER)) AS DATE)",
    week_start="({x} - CAST(mod(isodow({x}) + {w6}, 7) AS INTEGER))",
    weekday="(isodow({x}) - 1)",
    days_between="({x} - {y})",
    formatted="strftime({x}, '{f}')",
    pieces=STRFTIME,
    week_forms=("%G%V", "%G-W%V"),
    seconds="CAST(epoch({x}) AS BIGINT)",
    truncated_time="({x} - to_microseconds(epoch_us({x} AT TIME ZONE '{tz}') % {q}000000))",
    move_wall=FIRST_OF_TWO.format(x="(({x} AT TIME ZONE '{tz}') + to_days(CAST({y} AS INTEGER)))"),
    day_of_key="CAST(try_strptime(CAST({x} AS VARCHAR), '%Y%m%d') AS DATE)",
    day_of_month_key="CAST(try_strptime(CAST({x} AS VARCHAR), '%Y%m') AS DATE)",
    day_of_week_key="(make_date(CAST({x} // 100 AS BIGINT), 1, 4) + CAST(({x} % 100) * 7 - 6 "
    "- isodow(make_date(CAST({x} // 100 AS BIGINT), 1, 4)) AS INTEGER))",
    full_seconds="CAST(floor(epoch_us({x}) / 1000000) AS BIGINT)",
    # The plain sum of floating numbers is another one each time.
    sum_of_floats="fsum({x})",
    median="quantile_cont({x}, 0.5)",
    nan="CAST('NaN' AS DOUBLE)",
    microseconds="epoch_us({x})",
    of_microseconds="make_timestamptz({x})",
    divided="({x} // {n})",
)

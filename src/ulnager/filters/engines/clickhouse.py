"""ClickHouse."""

from __future__ import annotations

from ulnager.filters.engines.ansi import dialect_called
from ulnager.filters.engines.engine import STRFTIME, TRUNCATES, Engine

CLICKHOUSE = Engine(
    name="clickhouse",
    dialect=lambda: dialect_called("clickhouse"),
    # Its Date ends in 2149 and begins in 1970, and wraps round in silence: Date32 only. No
    # zones: it takes a midnight that is missing for an hour of the day before.
    literal="toDate32('{x}')",
    today="toDate32(now64(6))",
    utc_today="toDate32(now64(6), 'UTC')",
    now="now64(6)",
    local_now="now64(6)",
    date_of="toDate32({x})",
    time_of="toDateTime64({x}, 6)",
    midnight_utc="toDateTime64({x}, 6, 'UTC')",
    add_days="({x} {s} {a})",
    add_count="addDays({x}, {a})",
    add_months_count="addMonths({x}, {a})",
    of_seconds="toDateTime64({a}, 6, 'UTC')",
    add_months="({x} {s} INTERVAL {a} MONTH)",
    truncated="date_trunc('{u}', {x})",
    truncates=TRUNCATES,
    months_start="addMonths(date_trunc('month', {x}), -((toMonth({x}) + {k}) % {m}))",
    week_start="({x} - (toDayOfWeek({x}) + {w6}) % 7)",
    weekday="(toDayOfWeek({x}) - 1)",
    days_between="dateDiff('day', {y}, {x})",
    formatted="formatDateTime({x}, '{f}')",
    pieces=STRFTIME,
    week_forms=("%G%V", "%G-W%V"),
    integer="Nullable(Int64)",
    seconds="toUnixTimestamp64Second(toDateTime64({x}, 6, 'UTC'))",
    # Of no rows it takes 1970-01-01 for the largest, and these pass over nulls.
    largest="maxOrNull({x})",
    smallest="minOrNull({x})",
    later="CASE WHEN {x} >= {y} THEN {x} WHEN {y} > {x} THEN {y} END",
    earlier="CASE WHEN {x} <= {y} THEN {x} WHEN {y} < {x} THEN {y} END",
    instant="toDateTime64('{x}', 6, 'UTC')",
    truncated_time="date_trunc('{u}', {x}, 'UTC')",
    move_wall="(toTimeZone({x}, 'UTC') + toIntervalDay({y}))",
    time="'{x}'",
    parameter="CAST({x} AS Nullable(Date32))",
    divided="intDiv({x}, {n})",
    joins=False,
)

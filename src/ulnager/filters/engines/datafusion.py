"""DataFusion."""

from __future__ import annotations

from ulnager.filters.engines.ansi import dialect_called
from ulnager.filters.engines.engine import STRFTIME, Engine

DATAFUSION = Engine(
    name="datafusion",
    dialect=lambda: dialect_called("datafusion"),
    # No zones: a midnight that is missing stops it. It truncates by way of nanoseconds,
    # which end in 2262; here so many days are taken off.
    utc_today="CURRENT_DATE",
    today="CURRENT_DATE",
    time_of="arrow_cast({x}, 'Timestamp(Microsecond, None)')",
    local_now="now()",
    add_days="({x} {s} {a})",
    # A day and a number of days out of 292 years would be added as nanoseconds.
    add_count="CAST(CAST({x} AS INTEGER) + CAST({a} AS INTEGER) AS DATE)",
    add_months_count="({x} + CAST(concat({a}, ' months') AS INTERVAL))",
    of_seconds="arrow_cast(({a}) * 1000000, 'Timestamp(Microsecond, Some(\"UTC\"))')",
    add_months="({x} {s} INTERVAL '{a} months')",
    truncated="({x} - (CAST(date_part('{u}', {x}) AS INTEGER) - 1))",
    truncates={"month": "day", "year": "doy"},
    months_start="make_date({serial} / 12, {serial} % 12 + 1, 1)".replace(
        "{serial}",
        "(CAST(date_part('year', {x}) * 12 + date_part('month', {x}) - 1 "
        "- (date_part('month', {x}) + {k}) % {m} AS INTEGER))",
    ),
    week_start="({x} - (CAST(date_part('dow', {x}) AS INTEGER) + {w6}) % 7)",
    weekday="((CAST(date_part('dow', {x}) AS INTEGER) + 6) % 7)",
    days_between="CAST({x} - {y} AS INTEGER)",
    formatted="to_char({x}, '{f}')",
    pieces=STRFTIME,
    week_forms=("%G%V", "%G-W%V"),
    seconds="CAST(arrow_cast({x}, 'Timestamp(Second, None)') AS BIGINT)",
    # These pass over nulls, of which nothing may come.
    later="CASE WHEN {x} >= {y} THEN {x} WHEN {y} > {x} THEN {y} END",
    earlier="CASE WHEN {x} <= {y} THEN {x} WHEN {y} < {x} THEN {y} END",
    # Its own literals, and days beside times, are nanoseconds, which end in 2262.
    time="arrow_cast('{x}', 'Timestamp(Microsecond, None)')",
    instant="arrow_cast('{x}', 'Timestamp(Microsecond, Some(\"UTC\"))')",
    casts_days=True,
    add_time="({x} {s} INTERVAL '{a} {u}s')",
    truncated_time="date_trunc('{u}', {x})",
    move_wall="arrow_cast(CAST(arrow_cast({x}, 'Timestamp(Microsecond, None)') AS BIGINT) "
    "+ {y} * 86400000000, 'Timestamp(Microsecond, None)')",
    joins=False,
)

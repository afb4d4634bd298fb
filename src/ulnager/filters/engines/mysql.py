"""MySQL and MariaDB."""

from __future__ import annotations

from sqlalchemy.engine.default import DefaultDialect

from ulnager.filters.engines.engine import STRFTIME, Engine


def _dialect() -> type[DefaultDialect]:
    from sqlalchemy.dialects import mysql

    return mysql.dialect


MYSQL = Engine(
    name="mysql",
    also="mariadb",
    dialect=_dialect,
    # No zones by name: CONVERT_TZ gives NULL where their tables were never loaded.
    utc_today="UTC_DATE",
    date_of="DATE({x})",
    time_of="{x}",
    local_now="NOW(6)",
    add_days="({x} {s} INTERVAL {a} DAY)",
    add_count="({x} + INTERVAL ({a}) DAY)",
    add_months_count="({x} + INTERVAL ({a}) MONTH)",
    of_seconds="(TIMESTAMP '1970-01-01 00:00:00' + INTERVAL ({a}) SECOND)",
    add_months="({x} {s} INTERVAL {a} MONTH)",
    truncated="({x} - INTERVAL DAYOF{u}({x}) - 1 DAY)",
    truncates={"month": "MONTH", "year": "YEAR"},
    months_start="({x} - INTERVAL DAYOFMONTH({x}) - 1 DAY "
    "- INTERVAL MOD(MONTH({x}) + {k}, {m}) MONTH)",
    week_start="({x} - INTERVAL MOD(WEEKDAY({x}) + {w7}, 7) DAY)",
    weekday="WEEKDAY({x})",
    days_between="DATEDIFF({x}, {y})",
    formatted="DATE_FORMAT({x}, '{f}')",
    pieces=STRFTIME,
    week_forms=("%x%v", "%x-W%v"),
    seconds="TIMESTAMPDIFF(SECOND, '1970-01-01', {x})",
    integer="SIGNED",
    now="UTC_TIMESTAMP(6)",
    instant="TIMESTAMP '{x}'",
    move_wall="({x} + INTERVAL ({y}) DAY)",
    truncated_time="(TIMESTAMP '1970-01-01 00:00:00' "
    "+ INTERVAL TIMESTAMPDIFF(SECOND, '1970-01-01', {x}) DIV {q} * {q} SECOND)",
    utc_parameters=True,
    full_seconds="TIMESTAMPDIFF(SECOND, '1970-01-01', {x})",
    day_of_key="STR_TO_DATE({x}, '%Y%m%d')",
    day_of_month_key="STR_TO_DATE(CONCAT({x}, '01'), '%Y%m%d')",
    day_of_week_key="STR_TO_DATE(CONCAT({x}, ' Monday'), '%x%v %W')",
    year_of="EXTRACT(YEAR FROM {x})",
    month_of="EXTRACT(MONTH FROM {x})",
    day_in_month="EXTRACT(DAY FROM {x})",
    divided="({x} DIV {n})",
)

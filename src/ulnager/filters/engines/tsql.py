"""T-SQL: SQL Server and Azure."""

from __future__ import annotations

from sqlalchemy.engine.default import DefaultDialect

from ulnager.filters.engines.engine import Engine


def _dialect() -> type[DefaultDialect]:
    from sqlalchemy.dialects import mssql

    return mssql.dialect


# 0001-01-01 was a Monday; what DATEPART(weekday) and DATETRUNC(week) say hangs on a setting.
_DAYS = "DATEDIFF(day, CAST('0001-01-01' AS date), {x})"
_ZERO = "CAST('2000-01-01 00:00:00 +00:00' AS datetimeoffset)"

TSQL = Engine(
    name="tsql",
    dialect=_dialect,
    # Zones have names of their own there, so UTC is the only one.
    literal="CAST('{x}' AS date)",
    time="CAST('{x}' AS datetime2)",
    instant="CAST('{x} +00:00' AS datetimeoffset)",
    parameter="CAST({x} AS date)",
    today="CAST(GETDATE() AS date)",
    utc_today="CAST(SYSUTCDATETIME() AS date)",
    now="SYSDATETIMEOFFSET()",
    local_now="SYSDATETIME()",
    date_of="CAST({x} AS date)",
    time_of="CAST({x} AS datetime2)",
    day_utc="CAST({x} AT TIME ZONE 'UTC' AS date)",
    midnight_utc="(CAST({x} AS datetime2) AT TIME ZONE 'UTC')",
    add_days="DATEADD(day, {n}, {x})",
    add_count="DATEADD(day, {a}, {x})",
    add_months_count="DATEADD(month, {a}, {x})",
    add_months="DATEADD(month, {n}, {x})",
    truncates={
        "week": f"DATEADD(day, -({_DAYS} % 7), {{x}})",
        "month": "DATEADD(day, 1, EOMONTH({x}, -1))",
        "year": "DATEFROMPARTS(YEAR({x}), 1, 1)",
    },
    months_start="DATEADD(month, -((MONTH({x}) + {k}) % {m}), DATEADD(day, 1, EOMONTH({x}, -1)))",
    week_start=f"DATEADD(day, -(({_DAYS} + {{w7}}) % 7), {{x}})",
    weekday=f"({_DAYS} % 7)",
    days_between="DATEDIFF(day, {y}, {x})",
    formatted="FORMAT({x}, '{f}', 'en-US')",
    pieces=("yyyy", "MM", "dd"),
    integer="int",
    later="CASE WHEN {x} >= {y} THEN {x} ELSE {y} END",
    earlier="CASE WHEN {x} <= {y} THEN {x} ELSE {y} END",
    week_number="(YEAR(DATEADD(day, 3, {x})) * 100 + DATEPART(iso_week, {x}))",
    week_named="CONCAT(YEAR(DATEADD(day, 3, {x})), '-W', "
    "RIGHT(CONCAT('0', DATEPART(iso_week, {x})), 2))",
    truncated_time=f"DATEADD({{u}}, DATEDIFF({{u}}, {_ZERO}, {{x}}), {_ZERO})",
    add_time="DATEADD({u}, {n}, {x})",
    seconds="DATEDIFF_BIG(second, '1970-01-01', {x})",
    year_of="YEAR({x})",
    month_of="MONTH({x})",
    day_in_month="DAY({x})",
    is_true="{x} = 1",
)

"""Oracle."""

from __future__ import annotations

from sqlalchemy.engine.default import DefaultDialect

from ulnager.filters.engines.engine import Engine


def _dialect() -> type[DefaultDialect]:
    from sqlalchemy.dialects import oracle

    return oracle.dialect


ORACLE = Engine(
    name="oracle",
    dialect=_dialect,
    instant="TIMESTAMP '{x} +00:00'",
    today="TRUNC(SYSDATE)",
    now="SYSTIMESTAMP",
    local_now="SYSDATE",
    date_of="TRUNC({x})",
    local_day="TRUNC({x} AT TIME ZONE '{tz}')",
    shown_at="CAST({x} AT TIME ZONE '{tz}' AS TIMESTAMP)",
    instant_at="FROM_TZ({x}, '{tz}')",
    add_days="({x} {s} {a})",
    add_count="({x} + {a})",
    # ADD_MONTHS makes a last day of a month a last day, and an interval stops at days that are not
    # there: the day is put back, but for what the month does not have.
    add_months_count="LEAST(ADD_MONTHS(TRUNC({x}, 'MM'), {a}) + ({x} - TRUNC({x}, 'MM')), "
    "LAST_DAY(ADD_MONTHS(TRUNC({x}, 'MM'), {a})))",
    add_months_count_first="ADD_MONTHS({x}, {a})",
    from_nothing=" FROM DUAL",
    add_months="LEAST(ADD_MONTHS(TRUNC({x}, 'MM'), {n}) + ({x} - TRUNC({x}, 'MM')), "
    "LAST_DAY(ADD_MONTHS(TRUNC({x}, 'MM'), {n})))",
    add_months_first="ADD_MONTHS({x}, {n})",
    truncated="TRUNC({x}, '{u}')",
    truncates={"week": "IW", "month": "MM", "quarter": "Q", "year": "YYYY"},
    months_start="ADD_MONTHS(TRUNC({x}, 'MM'), -MOD(EXTRACT(MONTH FROM {x}) + {k}, {m}))",
    week_start="(TRUNC({x} - {w}, 'IW') + {w})",
    weekday="({x} - TRUNC({x}, 'IW'))",
    days_between="({x} - {y})",
    formatted="TO_CHAR({x}, '{f}')",
    pieces=("YYYY", "MM", "DD"),
    week_forms=("IYYYIW", 'IYYY"-W"IW'),
    add_time="({x} {s} NUMTODSINTERVAL({a}, '{U}'))",
    seconds="ROUND((CAST(SYS_EXTRACT_UTC({x}) AS DATE) - DATE '1970-01-01') * 86400)",
    year_of="EXTRACT(YEAR FROM {x})",
    month_of="EXTRACT(MONTH FROM {x})",
    day_in_month="EXTRACT(DAY FROM {x})",
    divided="TRUNC(({x}) / {n})",
    is_true="{x} = 1",
)

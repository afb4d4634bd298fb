"""BigQuery."""

from __future__ import annotations

from sqlalchemy import Dialect
from sqlalchemy.sql.compiler import IdentifierPreparer

from ulnager.filters.engines.ansi import Ansi
from ulnager.filters.engines.engine import STRFTIME, Engine


class _Preparer(IdentifierPreparer):
    """Names in backticks, in which a backslash escapes."""

    def __init__(self, dialect: Dialect) -> None:
        super().__init__(dialect, initial_quote="`", escape_quote="\\`")

    def _escape_identifier(self, value: str) -> str:
        return value.replace("\\", "\\\\").replace("`", "\\`")


class _BigQuery(Ansi):
    name = "bigquery"
    preparer: type[IdentifierPreparer] = _Preparer


BIGQUERY = Engine(
    name="bigquery",
    dialect=lambda: _BigQuery,
    # A local time is a DATETIME there, and a TIMESTAMP is an instant.
    time="DATETIME '{x}'",
    instant="TIMESTAMP '{x}+00:00'",
    today="CURRENT_DATE()",
    now="CURRENT_TIMESTAMP()",
    local_now="CURRENT_DATETIME()",
    date_of="DATE({x})",
    time_of="DATETIME({x})",
    local_day="DATE({x}, '{tz}')",
    shown_at="DATETIME({x}, '{tz}')",
    instant_at="TIMESTAMP({x}, '{tz}')",
    add_days="DATE_{S}({x}, INTERVAL {a} DAY)",
    add_count="DATE_ADD({x}, INTERVAL ({a}) DAY)",
    add_months_count="DATE_ADD({x}, INTERVAL ({a}) MONTH)",
    add_months="DATE_{S}({x}, INTERVAL {a} MONTH)",
    truncated="DATE_TRUNC({x}, {u})",
    truncates={"month": "MONTH", "quarter": "QUARTER", "year": "YEAR"},
    months_start="DATE_SUB(DATE_TRUNC({x}, MONTH), "
    "INTERVAL MOD(EXTRACT(MONTH FROM {x}) + {k}, {m}) MONTH)",
    week_start="DATE_TRUNC({x}, WEEK({W}))",
    weekday="MOD(EXTRACT(DAYOFWEEK FROM {x}) + 5, 7)",
    days_between="DATE_DIFF({x}, {y}, DAY)",
    formatted="FORMAT_DATE('{f}', {x})",
    pieces=STRFTIME,
    week_forms=("%G%V", "%G-W%V"),
    integer="INT64",
    truncated_time="TIMESTAMP_TRUNC({x}, {U})",
    add_time="({x} {s} INTERVAL {a} {U})",
    seconds="UNIX_SECONDS({x})",
    year_of="EXTRACT(YEAR FROM {x})",
    month_of="EXTRACT(MONTH FROM {x})",
    day_in_month="EXTRACT(DAY FROM {x})",
    divided="DIV({x}, {n})",
    joins=False,
)

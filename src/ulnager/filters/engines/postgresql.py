"""PostgreSQL."""

from __future__ import annotations

from typing import Any

from sqlalchemy.engine.default import DefaultDialect

from ulnager.filters.engines.engine import FIRST_MIDNIGHT, FIRST_OF_TWO, MIDNIGHT, TRUNCATES, Engine


def _dialect() -> type[DefaultDialect]:
    from sqlalchemy.dialects.postgresql.base import PGCompiler, PGDialect

    class Compiler(PGCompiler):
        """Casts as the standard has them, which no driver takes for a parameter."""

        def render_bind_cast(self, type_: Any, dbapi_type: Any, sqltext: str) -> str:
            named = self.dialect.type_compiler_instance.process(
                dbapi_type, identifier_preparer=self.preparer
            )
            return f"CAST({sqltext} AS {named})"

    class Dialect(PGDialect):
        statement_compiler = Compiler
        supports_statement_cache = True

    return Dialect


POSTGRESQL = Engine(
    name="postgresql",
    dialect=_dialect,
    local_day="CAST({x} AT TIME ZONE '{tz}'{before} AS DATE)",
    midnight=FIRST_MIDNIGHT,
    skipped_midnight=MIDNIGHT,
    add_days="({x} {s} {a})",
    add_count="({x} + {a})",
    add_months_count="CAST({x} + make_interval(months => CAST({a} AS INTEGER)) AS DATE)",
    add_months="CAST({x} {s} INTERVAL '{a} months' AS DATE)",
    truncated="CAST(date_trunc('{u}', CAST({x} AS TIMESTAMP)) AS DATE)",
    truncates=TRUNCATES,
    months_start="CAST(date_trunc('month', CAST({x} AS TIMESTAMP)) "
    "- make_interval(months => mod(CAST(extract(month FROM {x}) AS INTEGER) + {k}, "
    "{m})) AS DATE)",
    week_start="({x} - mod(CAST(extract(isodow FROM {x}) AS INTEGER) + {w6}, 7))",
    weekday="(CAST(extract(isodow FROM {x}) AS INTEGER) - 1)",
    days_between="({x} - {y})",
    formatted="to_char({x}, '{f}')",
    pieces=("YYYY", "MM", "DD"),
    week_forms=("IYYYIW", 'IYYY"-W"IW'),
    seconds="CAST(extract(epoch FROM {x}) AS BIGINT)",
    add_time="({x} {s} INTERVAL '{a} {u}s')",
    truncated_time="date_trunc('{u}', {x}, '{tz}')",
    move_wall=FIRST_OF_TWO.format(x="(({x} AT TIME ZONE '{tz}') + ({y}) * INTERVAL '1 day')"),
    day_of_key="to_date(CAST({x} AS TEXT), 'YYYYMMDD')",
    day_of_month_key="to_date(CAST({x} AS TEXT), 'YYYYMM')",
    day_of_week_key="to_date(CAST({x} AS TEXT), 'IYYYIW')",
    full_seconds="CAST(floor(EXTRACT(epoch FROM {x})) AS BIGINT)",
    median="percentile_cont(0.5) WITHIN GROUP (ORDER BY {x})",
    nan="CAST('NaN' AS DOUBLE PRECISION)",
    nan_decimal="CAST('NaN' AS NUMERIC)",
)

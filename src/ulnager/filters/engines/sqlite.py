"""SQLite, which has text for dates."""

from __future__ import annotations

from sqlalchemy.engine.default import DefaultDialect

from ulnager.filters.engines.engine import STRFTIME, Engine


def _dialect() -> type[DefaultDialect]:
    from sqlalchemy.dialects import sqlite

    return sqlite.dialect


SQLITE = Engine(
    name="sqlite",
    dialect=_dialect,
    literal="'{x}'",
    today="date('now', 'localtime')",
    utc_today="date('now')",
    date_of="date({x})",
    time_of="{x}",
    local_now="datetime('now', 'localtime')",
    add_days="date({x}, '{s}{a} days')",
    add_count="date({x}, ({a}) || ' days')",
    add_months_count="min(date({x}, ({a}) || ' months'), "
    "date({x}, 'start of month', ({a} + 1) || ' months', '-1 day'))",
    add_months_count_first="date({x}, ({a}) || ' months')",
    of_seconds="datetime({a}, 'unixepoch')",
    add_months="min(date({x}, '{s}{a} months'), "
    "date({x}, 'start of month', '{next_month} months', '-1 day'))",
    add_months_first="date({x}, '{s}{a} months')",
    truncated="date({x}, 'start of {u}')",
    truncates={"month": "month", "year": "year"},
    months_start="date({x}, 'start of month', "
    "'-' || ((strftime('%m', {x}) + {k}) % {m}) || ' months')",
    week_start="date({x}, '-' || ((strftime('%w', {x}) + {w6}) % 7) || ' days')",
    weekday="((strftime('%w', {x}) + 6) % 7)",
    days_between="CAST(julianday({x}) - julianday({y}) AS INTEGER)",
    formatted="strftime('{f}', {x})",
    pieces=STRFTIME,
    week_number="(strftime('%Y', {x}, '+3 days') * 100 "
    "+ (strftime('%j', {x}, '+3 days') - 1) / 7 + 1)",
    week_named="strftime('%Y', {x}, '+3 days') || "
    "printf('-W%02d', (strftime('%j', {x}, '+3 days') - 1) / 7 + 1)",
    seconds="CAST(strftime('%s', {x}) AS INTEGER)",
    now="datetime('now')",
    week_text="({x} || '-W' || {y} || {z})",
    instant="'{x}'",
    to_second="strftime('%Y-%m-%d %H:%M:%S', {x})",
    add_time="datetime({x}, '{s}{a} {u}s')",
    truncated_time="datetime(strftime('%s', {x}) / {q} * {q}, 'unixepoch')",
    move_wall="datetime({x}, ({y}) || ' days')",
    later="max({x}, {y})",
    earlier="min({x}, {y})",
    time="'{x}'",
    parameter="{x}",
    parser_depth=70,  # Of 100 in SQLite's own YYSTACKDEPTH.
    stores_text=True,
    day_of_key="date(printf('%04d-%02d-%02d', {x} / 10000, {x} / 100 % 100, {x} % 100))",
    day_of_month_key="date(printf('%04d-%02d-01', {x} / 100, {x} % 100))",
    day_of_week_key="date(printf('%04d-01-04', {x} / 100), 'weekday 0', '-13 days', "
    "({x} % 100 * 7) || ' days')",
    full_seconds="unixepoch({x})",
    year_of="CAST(strftime('%Y', {x}) AS INTEGER)",
    month_of="CAST(strftime('%m', {x}) AS INTEGER)",
    day_in_month="CAST(strftime('%d', {x}) AS INTEGER)",
)

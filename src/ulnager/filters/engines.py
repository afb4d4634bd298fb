"""What each engine needs to work out dates by itself: a handful of primitives, as SQL.

Adding an engine means adding one row. ``{x}`` is a date; ``{n}`` a whole number with its sign;
``{k}`` counts months from January to the start of the year; ``{m}`` is the months of a unit;
``{w}`` a weekday, 0 for Monday. Every primitive gives a date.
"""

from __future__ import annotations

from typing import Final, NamedTuple

from ulnager.core.errors import FilterError


class Engine(NamedTuple):
    """The primitives of one engine, as templates of SQL.

    ``today`` is the clock's date, ``today_in`` the one in the zone ``{tz}`` (empty where the
    engine cannot be relied on for that). ``months_start`` is the start of the unit of ``{m}``
    months, ``week_start`` of the week from weekday ``{w}``. ``add_months`` clamps to the last
    day of the month; ``add_months_first`` need not, since it moves firsts of months only.
    ``midnight`` is the instant at which a date begins in ``{tz}``.
    """

    name: str
    literal: str
    today: str
    today_in: str
    date_of: str
    add_days: str
    add_months: str
    add_months_first: str
    month_start: str
    months_start: str
    week_start: str
    later: str
    earlier: str
    midnight: str = ""


ENGINES: Final = {
    engine.name: engine
    for engine in (
        Engine(
            name="sqlite",
            literal="'{x}'",
            today="date('now', 'localtime')",
            today_in="",
            date_of="date({x})",
            add_days="date({x}, '{n:+} days')",
            add_months="min(date({x}, '{n:+} months'), "
            "date({x}, 'start of month', '{n1:+} months', '-1 day'))",
            add_months_first="date({x}, '{n:+} months')",
            month_start="date({x}, 'start of month')",
            months_start="date({x}, 'start of month', "
            "'-' || ((strftime('%m', {x}) + 11 - {k}) % {m}) || ' months')",
            week_start="date({x}, '-' || ((strftime('%w', {x}) + 6 - {w}) % 7) || ' days')",
            later="max({x}, {y})",
            earlier="min({x}, {y})",
        ),
        Engine(
            name="duckdb",
            literal="DATE '{x}'",
            today="current_date",
            today_in="CAST(now() AT TIME ZONE '{tz}' AS DATE)",
            date_of="CAST({x} AS DATE)",
            add_days="({x} {n:+})",
            add_months="CAST({x} + INTERVAL ({n}) MONTH AS DATE)",
            add_months_first="CAST({x} + INTERVAL ({n}) MONTH AS DATE)",
            month_start="CAST(date_trunc('month', {x}) AS DATE)",
            months_start="CAST(date_trunc('month', {x}) "
            "- to_months(CAST(mod(month({x}) + 11 - {k}, {m}) AS INTEGER)) AS DATE)",
            week_start="({x} - CAST(mod(isodow({x}) + 6 - {w}, 7) AS INTEGER))",
            later="greatest({x}, {y})",
            earlier="least({x}, {y})",
            midnight="(CAST({x} AS TIMESTAMP) AT TIME ZONE '{tz}')",
        ),
        Engine(
            name="postgresql",
            literal="DATE '{x}'",
            today="CURRENT_DATE",
            today_in="CAST(now() AT TIME ZONE '{tz}' AS DATE)",
            date_of="CAST({x} AS DATE)",
            add_days="({x} {n:+})",
            add_months="CAST({x} + INTERVAL '{n} months' AS DATE)",
            add_months_first="CAST({x} + INTERVAL '{n} months' AS DATE)",
            month_start="CAST(date_trunc('month', {x}) AS DATE)",
            months_start="CAST(date_trunc('month', {x}) "
            "- make_interval(months => mod(CAST(extract(month FROM {x}) AS INTEGER) + 11 - {k}, "
            "{m})) AS DATE)",
            week_start="({x} - mod(CAST(extract(isodow FROM {x}) AS INTEGER) + 6 - {w}, 7))",
            later="greatest({x}, {y})",
            earlier="least({x}, {y})",
            midnight="(CAST({x} AS TIMESTAMP) AT TIME ZONE '{tz}')",
        ),
        Engine(
            name="mysql",
            literal="DATE '{x}'",
            today="CURRENT_DATE",
            # CONVERT_TZ gives NULL where the server's zone tables were never loaded.
            today_in="",
            date_of="DATE({x})",
            add_days="({x} + INTERVAL {n} DAY)",
            add_months="({x} + INTERVAL {n} MONTH)",
            add_months_first="({x} + INTERVAL {n} MONTH)",
            month_start="({x} - INTERVAL DAYOFMONTH({x}) - 1 DAY)",
            months_start="({x} - INTERVAL DAYOFMONTH({x}) - 1 DAY "
            "- INTERVAL MOD(MONTH({x}) + 11 - {k}, {m}) MONTH)",
            week_start="({x} - INTERVAL MOD(WEEKDAY({x}) + 7 - {w}, 7) DAY)",
            later="GREATEST({x}, {y})",
            earlier="LEAST({x}, {y})",
        ),
    )
}
ENGINES["mariadb"] = ENGINES["mysql"]


def engine_named(name: str) -> Engine:
    """The engine of that name; FilterError when it has no primitives here."""
    if name not in ENGINES:
        raise FilterError(
            f"a live condition cannot be written for {name!r}; choose {', '.join(ENGINES)}"
        )
    return ENGINES[name]

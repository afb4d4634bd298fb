"""What each engine needs to work out dates by itself: a handful of primitives, as SQL.

Adding an engine means adding one row, which says only what differs from standard SQL.
``{x}`` and ``{y}`` are dates; ``{a}`` is a whole number without its sign and ``{s}`` the sign;
``{m}`` is the months of a unit, and ``{k}`` what added to a month's number leaves its place in the
unit as the remainder; ``{w}`` is a weekday, 0 for Monday, and ``{w6}`` and ``{w7}`` do the same for
it; ``{tz}`` is a time zone.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, NamedTuple

from ulnager.core.calendars.zones import skips_days, zone_named
from ulnager.core.errors import FilterError


class Engine(NamedTuple):
    """The primitives of one engine, as templates of SQL.

    ``today`` is the clock's date, ``utc_today`` the one in UTC, and ``now`` its instant.
    ``local_now`` is the time of the clock in the zone of the session, ``time_of`` a date as the
    local time at which it begins. ``local_day`` is the date of the instant ``{x}`` in a zone and
    ``midnight`` the instant at which a date begins there, at ``{clock}`` or so long ``{after}``
    midnight (``skipped_midnight`` is right where the day before was left out), both empty where
    the engine cannot be relied on for zones.

    ``truncated`` is the start of the Gregorian unit ``{u}``, which the engine writes as
    ``truncates`` says; for all others ``months_start`` is the start of the unit of ``{m}`` months,
    and ``week_start`` of the week from weekday ``{w}``; ``weekday`` is 0 for Monday.
    ``add_months`` clamps to the last day of the month; ``add_months_first``, if given, need not,
    since it moves firsts of months only.
    ``add_count`` adds days that are themselves SQL, and ``days_between`` counts them from ``{y}``
    to ``{x}``.

    ``formatted`` writes a date as ``{f}`` says, in the engine's own ``pieces`` for year, month and
    day; ``integer`` is its whole number, and ``seconds`` those since 1970 of an instant in UTC.

    ``largest`` and ``smallest`` are null where there is no value.
    ``week_forms`` write an ISO week as a number and as text; without them it is counted, and
    ``week_text`` puts a year ``{x}`` and the two digits of a week together: 2026-W14.

    ``instant`` is a literal of a moment in UTC, ``add_time`` adds elapsed hours, minutes or
    seconds, and ``add_elapsed`` a day of them and more, where that is not the same. ``move_wall``
    is the moment ``{y}`` days away at which the clocks of the zone show the same time (the first of
    two; after a gap as much later), and ``truncated_time`` is the start of the unit ``{u}`` of
    ``{q}`` seconds on the clocks of the zone.
    """

    name: str
    add_days: str
    add_months: str
    truncated: str
    truncates: Mapping[str, str]
    months_start: str
    week_start: str
    weekday: str
    days_between: str
    formatted: str
    pieces: tuple[str, str, str]
    seconds: str
    literal: str = "DATE '{x}'"
    today: str = "CURRENT_DATE"
    utc_today: str = ""
    now: str = "now()"
    local_day: str = ""
    midnight: str = ""
    skipped_midnight: str = ""
    midnight_utc: str = ""
    to_second: str = ""
    date_of: str = "CAST({x} AS DATE)"
    time_of: str = "CAST({x} AS TIMESTAMP)"
    local_now: str = "now()"
    add_months_first: str = ""
    add_count: str = ""
    later: str = "greatest({x}, {y})"
    earlier: str = "least({x}, {y})"
    integer: str = "INTEGER"
    instant: str = "TIMESTAMPTZ '{x}+00:00'"
    largest: str = "max({x})"
    smallest: str = "min({x})"
    week_forms: tuple[str, ...] = ()
    week_text: str = "concat({x}, '-W', {y}, {z})"
    add_time: str = "({x} {s} INTERVAL {a} {U})"
    truncated_time: str = ""
    move_wall: str = ""
    add_elapsed: str = ""

    @property
    def has_zones(self) -> bool:
        return bool(self.local_day)


# Begins at the first of two midnights, which is a second after the last second before it; asked
# for midnight itself, these engines take the later one.
_FIRST_MIDNIGHT: Final = (
    "((CAST({x} AS TIMESTAMP){after} - INTERVAL '1 second') AT TIME ZONE '{tz}' "
    "+ INTERVAL '1 second')"
)
_MIDNIGHT: Final = "((CAST({x} AS TIMESTAMP){after}) AT TIME ZONE '{tz}')"
# A clock that is put back shows a time twice; these engines take the second one.
_FIRST_OF_TWO: Final = (
    "CASE WHEN (({x} AT TIME ZONE '{{tz}}') - INTERVAL '1 hour') AT TIME ZONE '{{tz}}' = {x} "
    "THEN ({x} AT TIME ZONE '{{tz}}') - INTERVAL '1 hour' ELSE {x} AT TIME ZONE '{{tz}}' END"
)
_TRUNCATES: Final = {name: name for name in ("week", "month", "quarter", "year")}
_STRFTIME: Final = ("%Y", "%m", "%d")

ENGINES: Final = {
    engine.name: engine
    for engine in (
        Engine(
            name="sqlite",
            literal="'{x}'",
            today="date('now', 'localtime')",
            utc_today="date('now')",
            date_of="date({x})",
            time_of="{x}",
            local_now="datetime('now', 'localtime')",
            add_days="date({x}, '{s}{a} days')",
            add_count="date({x}, ({a}) || ' days')",
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
            pieces=_STRFTIME,
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
        ),
        Engine(
            name="duckdb",
            today="current_date",
            local_day="CAST({x} AT TIME ZONE '{tz}'{before} AS DATE)",
            midnight=_FIRST_MIDNIGHT,
            skipped_midnight=_MIDNIGHT,
            add_days="({x} {s} {a})",
            add_count="({x} + CAST({a} AS INTEGER))",
            add_months="CAST({x} {s} INTERVAL {a} MONTH AS DATE)",
            truncated="CAST(date_trunc('{u}', {x}) AS DATE)",
            truncates=_TRUNCATES,
            months_start="CAST(date_trunc('month', {x}) "
            "- to_months(CAST(mod(month({x}) + {k}, {m}) AS INTEGER)) AS DATE)",
            week_start="({x} - CAST(mod(isodow({x}) + {w6}, 7) AS INTEGER))",
            weekday="(isodow({x}) - 1)",
            days_between="({x} - {y})",
            formatted="strftime({x}, '{f}')",
            pieces=_STRFTIME,
            week_forms=("%G%V", "%G-W%V"),
            seconds="CAST(epoch({x}) AS BIGINT)",
            truncated_time="({x} - to_microseconds(epoch_us({x} AT TIME ZONE '{tz}') % {q}000000))",
            move_wall=_FIRST_OF_TWO.format(
                x="(({x} AT TIME ZONE '{tz}') + to_days(CAST({y} AS INTEGER)))"
            ),
        ),
        Engine(
            name="postgresql",
            local_day="CAST({x} AT TIME ZONE '{tz}'{before} AS DATE)",
            midnight=_FIRST_MIDNIGHT,
            skipped_midnight=_MIDNIGHT,
            add_days="({x} {s} {a})",
            add_count="({x} + {a})",
            add_months="CAST({x} {s} INTERVAL '{a} months' AS DATE)",
            truncated="CAST(date_trunc('{u}', CAST({x} AS TIMESTAMP)) AS DATE)",
            truncates=_TRUNCATES,
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
            move_wall=_FIRST_OF_TWO.format(
                x="(({x} AT TIME ZONE '{tz}') + ({y}) * INTERVAL '1 day')"
            ),
        ),
        Engine(
            name="mysql",
            # No zones by name: CONVERT_TZ gives NULL where their tables were never loaded.
            utc_today="UTC_DATE",
            date_of="DATE({x})",
            time_of="{x}",
            local_now="NOW(6)",
            add_days="({x} {s} INTERVAL {a} DAY)",
            add_count="({x} + INTERVAL ({a}) DAY)",
            add_months="({x} {s} INTERVAL {a} MONTH)",
            truncated="({x} - INTERVAL DAYOF{u}({x}) - 1 DAY)",
            truncates={"month": "MONTH", "year": "YEAR"},
            months_start="({x} - INTERVAL DAYOFMONTH({x}) - 1 DAY "
            "- INTERVAL MOD(MONTH({x}) + {k}, {m}) MONTH)",
            week_start="({x} - INTERVAL MOD(WEEKDAY({x}) + {w7}, 7) DAY)",
            weekday="WEEKDAY({x})",
            days_between="DATEDIFF({x}, {y})",
            formatted="DATE_FORMAT({x}, '{f}')",
            pieces=_STRFTIME,
            week_forms=("%x%v", "%x-W%v"),
            seconds="TIMESTAMPDIFF(SECOND, '1970-01-01', {x})",
            integer="SIGNED",
            now="UTC_TIMESTAMP(6)",
            instant="TIMESTAMP '{x}'",
            move_wall="({x} + INTERVAL ({y}) DAY)",
            truncated_time="(TIMESTAMP '1970-01-01 00:00:00' "
            "+ INTERVAL TIMESTAMPDIFF(SECOND, '1970-01-01', {x}) DIV {q} * {q} SECOND)",
        ),
        Engine(
            name="spark",
            today="current_date()",
            now="current_timestamp()",
            time_of="CAST({x} AS TIMESTAMP_NTZ)",
            local_now="current_timestamp()",
            # Through the seconds, which no time zone of the session can move.
            local_day="date_from_unix_date(CAST(floor(unix_seconds("
            "from_utc_timestamp({x}, '{tz}'){before}) / 86400) AS INT))",
            midnight="CAST(concat({x}, ' {clock} {tz}') AS TIMESTAMP)",
            add_days="date_add({x}, {n})",
            add_count="date_add({x}, {a})",
            add_months="add_months({x}, {n})",
            truncated="trunc({x}, '{u}')",
            truncates=_TRUNCATES,
            months_start="add_months(trunc({x}, 'MM'), -mod(month({x}) + {k}, {m}))",
            week_start="date_sub({x}, mod(weekday({x}) + {w7}, 7))",
            weekday="weekday({x})",
            days_between="datediff({x}, {y})",
            formatted="date_format({x}, '{f}')",
            pieces=("yyyy", "MM", "dd"),
            seconds="unix_seconds({x})",
            instant="TIMESTAMP_LTZ '{x}+00:00'",
            add_time="({x} {s} INTERVAL '{a}' {U})",
            # An interval of a day and more is added by the clocks of the session.
            add_elapsed="timestamp_micros(unix_micros({x}) {s} {a} * {q})",
            move_wall="to_utc_timestamp(timestamp_micros(unix_micros("
            "from_utc_timestamp({x}, '{tz}')) + {y} * 86400000000), '{tz}')",
            truncated_time="timestamp_micros(unix_micros({x}) - "
            "pmod(unix_micros(from_utc_timestamp({x}, '{tz}')), {q}000000))",
        ),
        Engine(
            name="datafusion",
            # No zones: a midnight that is missing stops it. It truncates by way of nanoseconds,
            # which end in 2262; here so many days are taken off.
            utc_today="CURRENT_DATE",
            today="CURRENT_DATE",
            time_of="arrow_cast({x}, 'Timestamp(Microsecond, None)')",
            local_now="now()",
            add_days="({x} {s} {a})",
            add_count="({x} + CAST({a} AS INTEGER))",
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
            pieces=_STRFTIME,
            week_forms=("%G%V", "%G-W%V"),
            seconds="CAST(arrow_cast({x}, 'Timestamp(Second, None)') AS BIGINT)",
            # These pass over nulls, of which nothing may come.
            later="CASE WHEN {x} >= {y} THEN {x} WHEN {y} > {x} THEN {y} END",
            earlier="CASE WHEN {x} <= {y} THEN {x} WHEN {y} < {x} THEN {y} END",
            instant="arrow_cast('{x}', 'Timestamp(Microsecond, None)')",
            add_time="({x} {s} INTERVAL '{a} {u}s')",
            truncated_time="date_trunc('{u}', {x})",
            move_wall="arrow_cast(CAST(arrow_cast({x}, 'Timestamp(Microsecond, None)') AS BIGINT) "
            "+ {y} * 86400000000, 'Timestamp(Microsecond, None)')",
        ),
        Engine(
            name="clickhouse",
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
            add_months="({x} {s} INTERVAL {a} MONTH)",
            truncated="date_trunc('{u}', {x})",
            truncates=_TRUNCATES,
            months_start="addMonths(date_trunc('month', {x}), -((toMonth({x}) + {k}) % {m}))",
            week_start="({x} - (toDayOfWeek({x}) + {w6}) % 7)",
            weekday="(toDayOfWeek({x}) - 1)",
            days_between="dateDiff('day', {y}, {x})",
            formatted="formatDateTime({x}, '{f}')",
            pieces=_STRFTIME,
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
        ),
    )
}
ENGINES["clickhousedb"] = ENGINES["clickhouse"]
ENGINES["mariadb"] = ENGINES["mysql"]


def engine_named(name: str) -> Engine:
    """The engine of that name; FilterError when it has no primitives here."""
    if name not in ENGINES:
        raise FilterError(
            f"a live condition cannot be written for {name!r}; choose {', '.join(ENGINES)}"
        )
    return ENGINES[name]


def filled(engine: Engine, primitive: str, **values: object) -> str:
    """A primitive with its values; a whole number ``n`` is there with its sign apart, too."""
    template: str = getattr(engine, primitive)
    values = {"before": "", "after": "", "clock": "00:00:00", **values}
    inner = str(values.get("x", ""))
    if isinstance(number := values.get("n"), int):
        values |= {"s": "-" if number < 0 else "+", "a": abs(number)}
        values["next_month"] = f"{number + 1:+}"
    if isinstance(weekday := values.get("w"), int):
        values |= {"w6": (6 - weekday) % 7, "w7": (7 - weekday) % 7}
    # SQLite's changes to a date are put into one call.
    call = template.partition("{x}, '")[0]
    if call in ("date(", "datetime(") and template.count("{x}") == 1 and inner.startswith(call):
        within = inner.removesuffix(")").replace("{", "{{").replace("}", "}}")
        template = within + template.removeprefix(call + "{x}")
    # What is cut to a date below need not be cut above, too.
    is_cut = primitive.startswith("add_months") and template.startswith("CAST(")
    if is_cut and inner.startswith("CAST(date_trunc("):
        values["x"] = inner.removeprefix("CAST(").removesuffix(" AS DATE)")
    return template.format(**values)


def check_zone(engine: Engine, zone: str | None, what: str) -> None:
    """FilterError for a zone other than UTC on an engine that has none."""
    if not engine.has_zones and zone not in ("UTC", "Etc/UTC"):
        raise FilterError(
            f"{engine.name} cannot be relied on for {what} in {zone}, only in UTC; "
            "for a server that runs in that zone leave tz out, or filter with frozen dates"
        )


def local_day(engine: Engine, instant: str, zone: str | None, hours: int = 0) -> str:
    """The date of an instant in a zone, as SQL; days begin so many hours after midnight."""
    check_zone(engine, zone, "the day of an instant")
    if not engine.has_zones:
        return day_of_time(engine, instant, hours)
    before = f" - INTERVAL '{hours}' HOUR" if hours else ""
    return filled(engine, "local_day", x=instant, tz=zone, before=before)


def midnight(engine: Engine, day: str, zone: str | None, hours: int = 0) -> str:
    """The instant at which a date begins in a zone, as SQL."""
    check_zone(engine, zone, "the start of a day")
    if not engine.has_zones:
        return _moved(engine, filled(engine, "midnight_utc", x=day) if engine.midnight_utc else
                      filled(engine, "time_of", x=day), hours)  # fmt: skip
    after = f" + INTERVAL '{hours}' HOUR" if hours else ""
    found = filled(engine, "midnight", x=day, tz=zone, after=after, clock=f"{hours:02}:00:00")
    if engine.skipped_midnight and zone is not None and skips_days(zone_named(zone)):
        # Of a day after one that is left out, the second before it is a day too early to be there.
        other = filled(engine, "skipped_midnight", x=day, tz=zone, after=after)
        found = filled(engine, "earlier", x=found, y=other)
    return found


def day_of_time(engine: Engine, local: str, hours: int = 0) -> str:
    """The date of a local time, as SQL."""
    # Where parts of a second are rounded once a time is moved, they are left off before.
    at = filled(engine, "to_second", x=local) if hours and engine.to_second else local
    return filled(engine, "date_of", x=_moved(engine, at, -hours))


def time_of_day(engine: Engine, day: str, hours: int = 0) -> str:
    """The local time at which a date begins, as SQL."""
    return _moved(engine, filled(engine, "time_of", x=day), hours) if hours else day


def _moved(engine: Engine, local: str, hours: int) -> str:
    return filled(engine, "add_time", x=local, n=hours, u="hour", U="HOUR") if hours else local

"""What is so of an engine, as one object: how it writes dates and reads them, as SQL.

Adding an engine means adding one module here, which says only what differs from standard SQL.
``{x}`` and ``{y}`` are dates; ``{a}`` is a whole number without its sign and ``{s}`` the sign;
``{m}`` is the months of a unit, and ``{k}`` what added to a month's number leaves its place in the
unit as the remainder; ``{w}`` is a weekday, 0 for Monday, and ``{w6}`` and ``{w7}`` do the same for
it; ``{tz}`` is a time zone.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterator, Mapping
from datetime import date, datetime, time, timedelta
from types import MappingProxyType
from typing import Final, NamedTuple

from sqlalchemy import Dialect
from sqlalchemy.engine.default import DefaultDialect

from ulnager.core.calendars.zones import skips_days, zone_named
from ulnager.core.errors import FilterError
from ulnager.core.units import WEEKDAYS


class Engine(NamedTuple):
    """One engine: its dialect, and its primitives as templates of SQL. One without those of
    sums on dates writes frozen conditions only.

    ``dialect`` gives SQLAlchemy's, which quotes names; it may take long to import. ``literal``,
    ``time`` and ``instant`` are a date, a local time and a moment in UTC as they are written.
    ``stores_text`` is set where dates are text, and columns hold what was put into them;
    ``utc_parameters`` where a driver wants moments as UTC without an offset, and
    ``text_parameters`` where times go as text. A parameter that is a date is told to be one by
    ``parameter``.

    ``today`` is the clock's date, ``utc_today`` the one in UTC, and ``now`` its instant.
    ``local_now`` is the time of the clock in the zone of the session, ``time_of`` a date as the
    local time at which it begins, which stands beside times with ``casts_days`` where the engine
    would not reach all dates by itself. ``local_day`` is the date of the instant ``{x}`` in a zone
    and ``midnight`` the instant at which a date begins there, at ``{clock}`` or so long ``{after}``
    midnight (``skipped_midnight`` is right where the day before was left out), both empty where
    the engine cannot be relied on for zones.

    Where nothing of the trade says what becomes of a midnight that is left out or comes twice,
    ``instant_at`` is the instant at which the clocks of a zone show a local time and ``shown_at``
    what they show at an instant, in place of both: zones that have such midnights are refused.
    ``day_utc`` is the date of an instant in UTC, where no other zone is known.

    ``truncated`` is the start of the Gregorian unit ``{u}``, which the engine writes as
    ``truncates`` says, or all of it as that says; for all others ``months_start`` is the start of
    the unit of ``{m}`` months, and ``week_start`` of the week from weekday ``{w}``; ``weekday`` is
    0 for Monday.
    ``add_months`` clamps to the last day of the month; ``add_months_first``, if given, need not,
    since it moves firsts of months only.
    ``add_count`` adds days that are themselves SQL, ``add_months_count`` months (and
    ``add_months_count_first`` to a first of a month, where that is shorter), and ``days_between``
    counts them from ``{y}`` to ``{x}``.

    ``formatted`` writes a date as ``{f}`` says, in the engine's own ``pieces`` for year, month and
    day; ``integer`` is its whole number, and ``seconds`` those since 1970 of an instant in UTC.

    ``largest`` and ``smallest`` are null where there is no value.
    ``week_forms`` write an ISO week as a number and as text; ``week_number`` and ``week_named`` do
    the same for its Monday ``{x}``; without them it is counted, and
    ``week_text`` puts a year ``{x}`` and the two digits of a week together: 2026-W14.

    ``add_time`` adds elapsed hours, minutes or
    seconds, and ``add_elapsed`` a day of them and more, where that is not the same. ``move_wall``
    is the moment ``{y}`` days away at which the clocks of the zone show the same time (the first of
    two; after a gap as much later), and ``truncated_time`` is the start of the unit ``{u}`` of
    ``{q}`` seconds on the clocks of the zone.

    In a source: ``shown_at`` is what the clocks of a zone show at an instant; ``day_of_key``,
    ``day_of_month_key`` and ``day_of_week_key`` are the dates that keys of days, months and ISO
    weeks stand for, null for what is no key; ``full_seconds`` are those since 1970 of any moment,
    and ``full_seconds_local`` of a local time. ``sum_of_floats`` is the same however rows are
    ordered, ``median`` empty where there is none; ``nan`` and ``nan_decimal`` are what stands for
    no number, where an engine has it; ``microseconds`` are those since 1970 of an instant and
    ``of_microseconds`` the instant. ``year_of``, ``month_of`` and ``day_in_month`` are parts of a
    date as whole numbers, ``divided`` is a whole number by ``{n}``, rounded to zero, and ``joins``
    is set where each row's date can be looked up in a table; ``is_true`` asks a column of truths.
    ``of_seconds`` is the instant so many seconds after 1970, and ``offset_table`` the table in
    which the offsets of zones are looked up, where somebody wrote one.
    ``from_nothing`` ends a SELECT of a single row of values. ``also`` is another engine that is
    written for alike.
    """

    name: str
    dialect: Callable[[], type[DefaultDialect]]
    literal: str = "DATE '{x}'"
    time: str = "TIMESTAMP '{x}'"
    instant: str = "TIMESTAMPTZ '{x}+00:00'"
    parameter: str = "CAST({x} AS DATE)"
    stores_text: bool = False
    utc_parameters: bool = False
    text_parameters: bool = False
    parser_depth: int = 0
    """How deep its parser reads a bound, with room for what stands around it; 0 for no limit."""
    add_days: str = ""
    add_months: str = ""
    truncated: str = ""
    truncates: Mapping[str, str] = MappingProxyType({})
    months_start: str = ""
    week_start: str = ""
    weekday: str = ""
    days_between: str = ""
    formatted: str = ""
    pieces: tuple[str, str, str] = ("", "", "")
    seconds: str = ""
    today: str = "CURRENT_DATE"
    utc_today: str = ""
    now: str = "now()"
    local_day: str = ""
    midnight: str = ""
    skipped_midnight: str = ""
    midnight_utc: str = ""
    instant_at: str = ""
    day_utc: str = ""
    to_second: str = ""
    date_of: str = "CAST({x} AS DATE)"
    time_of: str = "CAST({x} AS TIMESTAMP)"
    casts_days: bool = False
    also: str = ""
    local_now: str = "now()"
    add_months_first: str = ""
    add_count: str = ""
    add_months_count: str = ""
    add_months_count_first: str = ""
    from_nothing: str = ""
    of_seconds: str = ""
    offset_table: str = ""
    later: str = "greatest({x}, {y})"
    earlier: str = "least({x}, {y})"
    integer: str = "INTEGER"
    largest: str = "max({x})"
    smallest: str = "min({x})"
    week_forms: tuple[str, ...] = ()
    week_number: str = ""
    week_named: str = ""
    week_text: str = "concat({x}, '-W', {y}, {z})"
    add_time: str = "({x} {s} INTERVAL {a} {U})"
    truncated_time: str = ""
    move_wall: str = ""
    add_elapsed: str = ""
    shown_at: str = "timezone('{tz}', {x})"
    day_of_key: str = ""
    day_of_month_key: str = ""
    day_of_week_key: str = ""
    full_seconds: str = "floor(EXTRACT(epoch FROM {x}))"
    full_seconds_local: str = ""
    sum_of_floats: str = "sum({x})"
    median: str = ""
    nan: str = ""
    nan_decimal: str = ""
    microseconds: str = ""
    of_microseconds: str = ""
    year_of: str = "CAST(EXTRACT(YEAR FROM {x}) AS {integer})"
    month_of: str = "CAST(EXTRACT(MONTH FROM {x}) AS {integer})"
    day_in_month: str = "CAST(EXTRACT(DAY FROM {x}) AS {integer})"
    divided: str = "({x} / {n})"
    joins: bool = True
    is_true: str = "{x}"

    @property
    def told(self) -> str:
        """Its name, and the other that is written for alike, for a person to read."""
        return f"{self.name}/{self.also}" if self.also else self.name

    @property
    def day_of_week_text(self) -> str:
        """The date of an ISO week as text, by its number."""
        number = "CAST(replace({x}, '-W', '') AS {integer})"
        return self.day_of_week_key.replace("{x}", f"({number})")

    @property
    def has_zones(self) -> bool:
        return bool(self.local_day or self.instant_at or self.offset_table)

    def quoted(self, value: date, form: str = "literal") -> str:
        """A date, a local time or a moment in UTC, by the name of its form, as it is written."""
        template: str = getattr(self, form)
        return template.format(x=self.stored(value) if self.stores_text else value)

    @staticmethod
    def stored(value: date) -> str:
        """A moment as it is compared with text: a midnight is its date, which comes before every
        time of that day, in whatever form, and is the same as the date where only dates are
        stored."""
        is_midnight = isinstance(value, datetime) and value.time() == time()
        return str(value.date() if is_midnight else value)  # type: ignore[attr-defined]


# Begins at the first of two midnights, which is a second after the last second before it; asked
# for midnight itself, these engines take the later one.
FIRST_MIDNIGHT: Final = (
    "((CAST({x} AS TIMESTAMP){after} - INTERVAL '1 second') AT TIME ZONE '{tz}' "
    "+ INTERVAL '1 second')"
)
MIDNIGHT: Final = "((CAST({x} AS TIMESTAMP){after}) AT TIME ZONE '{tz}')"
# A clock that is put back shows a time twice; these engines take the second one.
FIRST_OF_TWO: Final = (
    "CASE WHEN (({x} AT TIME ZONE '{{tz}}') - INTERVAL '1 hour') AT TIME ZONE '{{tz}}' = {x} "
    "THEN ({x} AT TIME ZONE '{{tz}}') - INTERVAL '1 hour' ELSE {x} AT TIME ZONE '{{tz}}' END"
)
TRUNCATES: Final = {name: name for name in ("week", "month", "quarter", "year")}
STRFTIME: Final = ("%Y", "%m", "%d")


def filled(engine: Engine, primitive: str, *, marked: bool = False, **values: object) -> str:
    """A primitive with its values; a whole number ``n`` is there with its sign apart, too.

    With ``marked`` its own percent signs are written twice.
    """
    template: str = getattr(engine, primitive)
    if primitive == "truncated" and "{x}" in str(values["u"]):
        template = str(values["u"])
    if not template:
        raise FilterError(
            f"{engine.told} has no words for this that hold on every day ({primitive}); filter "
            "with frozen dates"
        )
    if marked:
        template = template.replace("%", "%%")
    values = {"before": "", "after": "", "clock": "00:00:00", "integer": engine.integer, **values}
    inner = str(values.get("x", ""))
    if isinstance(number := values.get("n"), int):
        values |= {"s": "-" if number < 0 else "+", "a": abs(number)}
        values["S"] = "SUB" if number < 0 else "ADD"
        values["next_month"] = f"{number + 1:+}"
    if isinstance(weekday := values.get("w"), int):
        values |= {"w6": (6 - weekday) % 7, "w7": (7 - weekday) % 7}
        values["W"] = WEEKDAYS[weekday].upper()
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


def is_marked(dialect: Dialect) -> bool:
    """Whether a driver marks parameters with a percent sign, so that it takes two for one."""
    return dialect.paramstyle in ("format", "pyformat")


def check_zone(engine: Engine, zone: str | None, what: str) -> None:
    """FilterError for a zone other than UTC on an engine that has none."""
    if not engine.has_zones and zone not in ("UTC", "Etc/UTC"):
        raise FilterError(
            f"{engine.told} cannot be relied on for {what} in {zone}, only in UTC; "
            "for a server that runs in that zone leave tz out, or filter with frozen dates"
        )


def local_day(engine: Engine, instant: str, zone: str | None, minutes: int = 0) -> str:
    """The date of an instant in a zone, as SQL; days begin so many minutes after midnight."""
    check_zone(engine, zone, "the day of an instant")
    if engine.offset_table and zone is not None:
        return _day_by_table(engine, instant, zone, minutes)
    if not engine.has_zones:
        if engine.day_utc and not minutes:
            return filled(engine, "day_utc", x=instant)
        return day_of_time(engine, instant, minutes)
    if (minutes and engine.instant_at) or not engine.local_day:
        return day_of_time(engine, filled(engine, "shown_at", x=instant, tz=zone), minutes)
    before = f" - {_interval(minutes)}" if minutes else ""
    return filled(engine, "local_day", x=instant, tz=zone, before=before)


def midnight(engine: Engine, day: str, zone: str | None, minutes: int = 0) -> str:
    """The instant at which a date begins in a zone, as SQL."""
    check_zone(engine, zone, "the start of a day")
    if engine.offset_table and zone is not None:
        return _midnight_by_table(engine, day, zone, minutes)
    if not engine.has_zones:
        return _moved(
            engine,
            filled(engine, "midnight_utc", x=day)
            if engine.midnight_utc
            else filled(engine, "time_of", x=day),
            minutes,
        )
    if engine.instant_at:
        _check_midnights(engine, str(zone), minutes)
        local = _moved(engine, filled(engine, "time_of", x=day), minutes)
        return filled(engine, "instant_at", x=local, tz=zone)
    after = f" + {_interval(minutes)}" if minutes else ""
    clock = f"{minutes // 60:02}:{minutes % 60:02}:00"
    found = filled(engine, "midnight", x=day, tz=zone, after=after, clock=clock)
    if engine.skipped_midnight and zone is not None and skips_days(zone_named(zone)):
        # Of a day after one that is left out, the second before it is a day too early to be there.
        other = filled(engine, "skipped_midnight", x=day, tz=zone, after=after)
        found = filled(engine, "earlier", x=found, y=other)
    return found


HIDDEN: Final = "\0"
"""Stands for the percent signs of what the compiler wrote, which has them as a driver wants."""


def marked(text: str | None, dialect: Dialect) -> str | None:
    """A text with its own percent signs twice, where a driver marks parameters with them."""
    if text is None:
        return None
    return (text.replace("%", "%%") if is_marked(dialect) else text).replace(HIDDEN, "%")


def by_offsets(engine: Engine, table: str) -> Engine:
    """An engine that looks the offsets of zones up in a table; FilterError for one that has zones
    of its own, or could not."""
    if engine.has_zones or not engine.of_seconds:
        raise FilterError(
            f"{engine.told} {'has zones of its own' if engine.has_zones else 'has no use for it'}; "
            "leave offset_table out"
        )
    # A day moved on the clocks of a zone is not that of UTC.
    return engine._replace(offset_table=table, move_wall="")


def _day_by_table(engine: Engine, instant: str, zone: str, minutes: int) -> str:
    """The date of an instant, by the offset that a table has for it; null where it has none."""
    at = filled(engine, "seconds", x=instant)
    late = f" - {minutes * 60}" if minutes else ""
    days = filled(engine, "divided", x=f"max(at_.s + offset_seconds{late})", n=86_400)
    found = (
        f"(SELECT {days} FROM {engine.offset_table}, (SELECT {at} AS s) at_ "
        f"WHERE zone = '{zone}' AND utc_start <= at_.s AND at_.s < utc_stop)"
    )
    return filled(engine, "add_count", x=engine.literal.format(x="1970-01-01"), a=found)


def _midnight_by_table(engine: Engine, day: str, zone: str, minutes: int) -> str:
    """The first instant of a day, by the offsets of a table; null where it has none."""
    days = filled(engine, "days_between", x=day, y=engine.literal.format(x="1970-01-01"))
    at = f"{days} * 86400 + {minutes * 60}" if minutes else f"{days} * 86400"
    # A time that is left out begins when the clocks go on, one that comes twice the first time.
    found = (
        "(SELECT min(CASE WHEN at_.s - offset_seconds < utc_start THEN utc_start "
        f"ELSE at_.s - offset_seconds END) FROM {engine.offset_table}, (SELECT {at} AS s) at_ "
        f"WHERE zone = '{zone}' AND local_start <= at_.s AND at_.s < local_stop)"
    )
    return filled(engine, "of_seconds", a=found)


@functools.cache
def _days_missed(zone: str, minutes: int) -> bool:
    """Whether some day from 1990 to 2037 starts at a time that its zone leaves out or has twice."""
    return any(len(set(pair)) > 1 for pair in _offsets(zone, minutes))


def _offsets(zone: str, minutes: int) -> Iterator[tuple[timedelta | None, timedelta | None]]:
    """The offsets of a zone at a time of each day from 1990 to 2037, the earlier and the later."""
    tz, at = zone_named(zone), time(minutes // 60, minutes % 60)
    for number in range(date(1990, 1, 1).toordinal(), date(2038, 1, 1).toordinal()):
        local = datetime.combine(date.fromordinal(number), at, tz)
        yield local.utcoffset(), local.replace(fold=1).utcoffset()


@functools.cache
def _has_whole_hours(zone: str) -> bool:
    """Whether the clocks of a zone always show the minutes of UTC."""
    hour = timedelta(hours=1)
    return not any(one is None or one % hour for pair in _offsets(zone, 0) for one in pair)


def check_hours(engine: Engine, zone: str) -> None:
    """FilterError where the hours of a zone are not those of UTC, which an engine cuts them by."""
    by_utc = engine.instant_at or engine.offset_table
    if by_utc and not _has_whole_hours(zone):
        raise FilterError(
            f"the hours of {zone} do not begin with those of UTC, by which {engine.told} cuts them "
            "here; filter with frozen dates"
        )


def _check_midnights(engine: Engine, zone: str, minutes: int) -> None:
    """FilterError for a zone in which the start of a day may be left out, or come twice."""
    if _days_missed(zone, minutes):
        raise FilterError(
            f"in {zone} some days begin at a time that the clocks leave out or show twice, and "
            f"what {engine.told} makes of it is not certain; filter with frozen dates"
        )


def day_of_time(engine: Engine, local: str, minutes: int = 0) -> str:
    """The date of a local time, as SQL."""
    # Where parts of a second are rounded once a time is moved, they are left off before.
    at = filled(engine, "to_second", x=local) if minutes and engine.to_second else local
    return filled(engine, "date_of", x=_moved(engine, at, -minutes))


def time_of_day(engine: Engine, day: str, minutes: int = 0) -> str:
    """The local time at which a date begins, as SQL."""
    if not minutes and not engine.casts_days:
        return day
    return _moved(engine, filled(engine, "time_of", x=day), minutes)


def _interval(minutes: int) -> str:
    hours, left = divmod(minutes, 60)
    return f"INTERVAL '{minutes}' MINUTE" if left else f"INTERVAL '{hours}' HOUR"


def _moved(engine: Engine, local: str, minutes: int) -> str:
    if not minutes:
        return local
    unit, by = ("minute", minutes) if minutes % 60 else ("hour", minutes // 60)
    return filled(engine, "add_time", x=local, n=by, u=unit, U=unit.upper())

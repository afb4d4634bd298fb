"""Live conditions: a period as SQL that works out its own bounds, every day anew.

The rules are those of ``core.periods.phrases``, the very same functions; only the days are pieces
of SQL here. What an engine cannot work out is an error, never another condition.
"""

from __future__ import annotations

import functools
from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta, tzinfo
from typing import Any, NamedTuple

from sqlalchemy import (
    ColumnClause,
    ColumnElement,
    Date,
    DateTime,
    Dialect,
    TableClause,
    and_,
)
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import FunctionElement

from ulnager.core.arguments import checked
from ulnager.core.calendars.base import Calendar
from ulnager.core.calendars.daynumbers import LAST_DAY
from ulnager.core.calendars.months import GREGORIAN
from ulnager.core.calendars.zones import zone_name, zone_named
from ulnager.core.errors import FilterError
from ulnager.core.language.openperiod import OpenPeriod
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import as_period
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.clock import as_days, as_instant, time_after_midnight
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.explain import readings_notes
from ulnager.core.periods.grain import Grain, grain_named
from ulnager.core.periods.parts import Part, parts_of
from ulnager.core.periods.settings import Calendars, calendars_of
from ulnager.core.periods.shifting import aligned
from ulnager.filters.columns import COLUMN_TYPES, DAY_TYPES, Held, held_as
from ulnager.filters.grained import Grained
from ulnager.filters.joined import DateTable
from ulnager.filters.livechecks import check_definition, check_sorted, check_time
from ulnager.filters.livejoins import DayColumn, joined_clause
from ulnager.filters.livesql import EngineSql, Latest, SqlExtent
from ulnager.filters.openwhere import open_where
from ulnager.filters.sql import dialect_named, named_column
from ulnager.filters.sqldays import SqlArithmetic


@checked()
def live_where(
    period: Period | str,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    calendar: Calendar | None = None,
    calendars: Mapping[str, Calendar] | None = None,
    defaults: Defaults | None = None,
    latest: object = None,
    latest_type: str | None = None,
    open_ended: Sequence[date | str] = (),
    today: date | None = None,
    now: datetime | str | None = None,
    anchor: str | ColumnElement[Any] | None = None,
    anchor_type: str = "date",
    running: bool = False,
    date_table: str | None = None,
    rounding: str | None = None,
    grain: str | Grain | None = None,
    day_starts: str = "00:00",
    parameters: Mapping[str, ColumnElement[Any]] | None = None,
) -> ColumnElement[bool]:
    """A condition that moves with the engine's clock, for any SQLAlchemy ``select``.

    ``column_type``, ``tz``, ``rounding`` and ``grain`` are those of :func:`ulnager.condition`;
    ``tz`` also says where today is. ``latest`` is the table (with its schema before a dot if need
    be) and the column whose dates answer for ``latest`` and ``earliest``; ``latest_type`` is what
    that column holds: ``date``, ``timestamp`` or ``timestamptz``. ``open_ended`` are dates in it
    that stand for none, such as 9999-12-31. ``today`` fixes the clock, to try another day, and
    ``now``, an aware datetime, its instant. A new day begins at ``day_starts``, a full hour, for
    the clock and for timestamps and instants alike; dates are the days that they say.

    With ``anchor``, a column, every row is measured from its own date there; that day is over,
    unless it is ``running``. ``anchor_type`` is as for ``latest``.

    ``date_table`` is the name of a table that ``ulnager calendar --to`` wrote from ``calendar``;
    calendars of weeks and tables, own units and business days take it. It has to hold every day
    that is asked for: where one is missing, no row is kept.

    The slots of a phrase that has some, ``last {n} days``, become bound parameters of their names;
    a value beyond its bounds, and null, keep no row. ``parameters`` are other SQL for them.

    Raises FilterError for what no engine can work out, and when it is compiled for what that one
    cannot; ResolveError for a period that may have several spans.
    """
    period = as_period(period, calendar)
    if isinstance(period, OpenPeriod):
        options = {
            "column_type": column_type, "tz": tz, "calendar": calendar, "calendars": calendars,
            "defaults": defaults, "latest": latest, "latest_type": latest_type,
            "open_ended": open_ended, "today": today, "now": now, "anchor": anchor,
            "anchor_type": anchor_type, "running": running, "date_table": date_table,
            "rounding": rounding, "grain": grain, "day_starts": day_starts,
        }  # fmt: skip
        return open_where(live_where, period, on, parameters, options)
    place = latest_place(latest)
    extra = dict(parameters or {})
    zone = None if tz is None else zone_name(tz)
    after = _checked_start(day_starts, column_type)
    grain = grain_named(grain, calendar=calendar)
    held = held_as(column_type, tz, rounding, grain)
    latest_type = latest_type or _same_type(place, on, column_type)
    for name, given in (("latest_type", latest_type), ("anchor_type", anchor_type)):
        if given not in DAY_TYPES:
            raise FilterError(f"{name} is {given!r}; choose {', '.join(DAY_TYPES)}")
    types = [column_type, *[latest_type] * bool(place), *[anchor_type] * (anchor is not None)]
    if zone is None and any(COLUMN_TYPES[name].is_instant for name in types):
        raise FilterError("a column of instants needs tz, where its days begin")
    known = calendars_of(calendar, calendars, defaults)
    check_definition(period.definition, known.chosen)
    if period.definition.is_sub_day:
        check_time(column_type, zone, anchor is not None and running, today, now)
    if now is not None:
        now = as_instant(now)
        if now.tzinfo is None:
            raise FilterError(f"now is {now.isoformat()} without a zone; add its offset: +00:00")
        local = now.astimezone(None if zone is None else zone_named(zone))
        today = today or (local - after).date()
    column, anchors = named_column(on), [] if anchor is None else [named_column(anchor)]
    tree = parts_of(period.definition)
    is_same = place is not None and place[1] == _name_of(on)
    stand_ins = as_days(open_ended, "open_ended")
    answers = Latest(place, latest_type, stand_ins, held.stands_for if is_same else None)
    if not isinstance(tree, Part):
        # Which months a joined period touches cannot be told from its parts.
        held = held._replace(rounding=None)

    @functools.cache
    def bounds_of(definition: Definition) -> tuple[_Moving, str | None, str | None]:
        moving = _Moving(
            definition, held, zone, known, answers, _Now(today, now),
            _Anchored(anchor_type, running), date_table, after, tuple(extra),
        )  # fmt: skip
        # Which sides there are is the same on every engine.
        return moving, *moving.bounds(
            dialect_named("duckdb"), *("anchor" for _ in (*anchors, *extra))
        )

    def is_open(definition: Definition) -> bool:
        return None in bounds_of(definition)[1:]

    def part(definition: Definition) -> ColumnElement[bool]:
        moving, start, stop = bounds_of(definition)
        sides, written = [], _Written(moving)
        if start is not None:
            sides.append(column >= LiveBound(written, 0, *anchors, *extra.values()))
        if stop is not None:
            sides.append(column < LiveBound(written, 1, *anchors, *extra.values()))
        return and_(*sides) if sides else column.is_not(None)

    if not isinstance(tree, Part):
        check_sorted(tree, is_open)
    days = DayColumn(column, column_type, zone, after // timedelta(minutes=1))
    return joined_clause(tree, part, days, known)


def live_notes(period: Period, defaults: Defaults | None = None) -> tuple[str, ...]:
    """How an ambiguous phrase is read where it is live, and how else it could be."""
    basis = Basis(GREGORIAN, 0, True)
    basis.defaults, basis.decided = defaults or basis.defaults, defaults is not None
    return tuple(readings_notes(period.definition, basis, dated=False))


class LiveBound(FunctionElement[Any]):
    """The start or the stop of a live condition, as the engine that compiles it writes it."""

    inherit_cache = False

    def __init__(self, written: _Written, side: int, *anchors: ColumnElement[Any]) -> None:
        super().__init__(*anchors)
        self.written = written
        self.side = side


@compiles(LiveBound)
def _compiled(element: LiveBound, compiler: SQLCompiler, **options: Any) -> str:
    anchors = [compiler.process(anchor, **options) for anchor in element.clauses]
    bound = element.written.bounds(compiler.dialect, *anchors)[element.side]
    assert bound is not None
    return bound


class _Written:
    """The bounds as they were last written: both sides of a condition come from one writing."""

    def __init__(self, moving: _Moving) -> None:
        self.moving = moving
        self.last: tuple[Any, tuple[str | None, str | None]] | None = None

    def bounds(self, dialect: Dialect, *anchors: str) -> tuple[str | None, str | None]:
        asked, last = (dialect, anchors), self.last
        if last is None or last[0] != asked:
            self.last = last = (asked, self.moving.bounds(dialect, *anchors))
        return last[1]


class _Now(NamedTuple):
    """What stands for the engine's clock; None for the clock itself."""

    today: date | None
    now: datetime | None


class _Anchored(NamedTuple):
    """What the column of each row's own anchor holds, and whether its day is still running."""

    column_type: str
    running: bool


class _Moving(NamedTuple):
    """A period with all that it takes to write its bounds for an engine; see ``live_where``."""

    definition: Definition
    held: Held
    zone: str | None
    calendars: Calendars
    latest: Latest
    clock: _Now
    anchored: _Anchored
    date_table: str | None
    day_starts: timedelta
    parameters: tuple[str, ...] = ()

    def bounds(self, dialect: Dialect, *texts: str) -> tuple[str | None, str | None]:
        """The start and the stop as SQL; None at an open side. ``texts`` are the anchor of each
        row, where there is one, and the parameters."""
        count = len(texts) - len(self.parameters)
        anchor = texts[0] if count else None
        sql = EngineSql(dialect, self.zone, self.day_starts // timedelta(minutes=1))
        if self.date_table is None:
            arithmetic = SqlArithmetic(self.calendars.chosen, sql.engine)
        else:
            table = sql.table(self.date_table)
            arithmetic = joined = DateTable(self.calendars.chosen, sql.engine, table, sql.quote)
            if anchor is not None:
                joined.check_anchor(anchor)
        day = (
            sql.clock(self.clock.today)
            if anchor is None
            else sql.day_of(anchor, self.anchored.column_type)
        )
        is_clock = anchor is None or self.anchored.running
        basis = Basis(arithmetic, day, is_clock)
        basis.day_starts = self.day_starts
        # A running anchor is the clock of its row.
        basis.today = day if is_clock else sql.clock(self.clock.today)
        if self.zone is not None:
            basis.zone = zone_named(self.zone)
            moment = sql.moment(self.clock.now)
            basis.now, basis.moment = moment, None if anchor else moment
        self.calendars.put_into(basis)
        basis.given = {
            name: sql.day_of(text, "date")
            for name, text in zip(self.parameters, texts[count:], strict=True)
        }
        extent: Any = SqlExtent(sql, self.latest)
        basis.data = extent
        start, stop = self.definition.span(basis)
        if isinstance(stop, int) and stop == LAST_DAY + 1:
            stop = None  # The day after the last one is none: that side is open.
        held_in: Any = basis.instants_here() if self.definition.is_sub_day else arithmetic
        if self.held.stands_for is not None:
            grained = Grained(arithmetic, self.held.stands_for, self.held.rounding)
            start, stop = grained.span(start, stop, aligned(basis, self.definition))
        return sql.bound(held_in, start, self.held.column_type), sql.bound(
            held_in, stop, self.held.column_type
        )


def _checked_start(day_starts: str, column_type: str) -> timedelta:
    after = time_after_midnight(day_starts)
    if after % timedelta(hours=1):
        raise FilterError(
            f"day_starts is {day_starts}; live days begin at a full hour; filter with frozen dates"
        )
    if after and column_type == "iso-text":
        raise FilterError(
            "day_starts takes a column of timestamps or instants: text may hold dates or times"
        )
    return after


def latest_place(latest: object) -> tuple[str, str] | None:
    """The table and column for latest: a pair of names, ``trips.day``, or one of SQLAlchemy's."""
    if latest is None:
        return None
    if isinstance(latest, str):
        table, _, column = latest.rpartition(".")
        latest = (table, column)
    if isinstance(latest, TableClause):
        dates = [column for column in latest.columns if isinstance(column.type, (Date, DateTime))]
        if len(dates) != 1:
            raise FilterError(
                f"the table {latest.name} has {len(dates)} columns of dates; give the one for "
                "latest: latest=table.c.day"
            )
        latest = dates[0]
    if isinstance(latest, ColumnClause) and isinstance(latest.table, TableClause):
        schema = getattr(latest.table, "schema", None)
        return (f"{schema}.{latest.table.name}" if schema else latest.table.name), latest.name
    if (
        isinstance(latest, (tuple, list))
        and len(latest) == 2
        and all(isinstance(one, str) and one for one in latest)
    ):
        return latest[0], latest[1]
    raise FilterError(
        "latest is the table and the column that answer for it: latest=('trips', 'day')"
    )


def _same_type(latest: tuple[str, str] | None, on: str | ColumnElement[Any], held: str) -> str:
    """What the column for ``latest`` holds if nobody says: the same as a column of that name."""
    if latest is None or latest[1] != _name_of(on):
        return "date"
    if held not in DAY_TYPES:
        raise FilterError(
            f"{latest[1]} holds {held}, and the latest date is found in dates or times: "
            "name another column for latest, or make a view with one"
        )
    return held


def _name_of(on: str | ColumnElement[Any]) -> str | None:
    return on if isinstance(on, str) else getattr(on, "name", None)

"""A live condition with all that it takes, as one value, and how it is written for an engine.

The rules are those of ``core.periods.phrases``, the very same functions; only the days are pieces
of SQL here. What an engine cannot work out is an error, never another condition.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta, tzinfo
from typing import Any, Final, NamedTuple, TypedDict

from sqlalchemy import (
    Boolean,
    ColumnClause,
    ColumnElement,
    Date,
    DateTime,
    Dialect,
    TableClause,
    and_,
    or_,
)
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import FunctionElement

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import LAST_DAY, zone_name, zone_named
from ulnager.core.errors import FilterError
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.clock import (
    Calendars,
    as_day,
    as_days,
    as_instant,
    calendars_of,
    time_after_midnight,
)
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.grain import Grain, grain_named, starts_agree
from ulnager.core.periods.open_slots import OpenCount
from ulnager.core.periods.period_tree import Part, Sorted, parts_of
from ulnager.core.periods.shifting import aligned
from ulnager.core.units import Unit
from ulnager.filters.columns import COLUMN_TYPES, DAY_TYPES, Held, held_as
from ulnager.filters.date_table_sql import DateTable
from ulnager.filters.engine_sql import EngineSql, Latest, SqlExtent
from ulnager.filters.engines.engine import HIDDEN, marked
from ulnager.filters.lasting import ends_of
from ulnager.filters.live_checks import (
    DayColumn,
    IsSuchDay,
    calendar_of,
    check_data,
    check_definition,
    check_one_span,
    check_sorted,
    check_time,
    joined_clause,
)
from ulnager.filters.sql_arithmetic import SqlArithmetic
from ulnager.filters.sql_text import dialect_named, named_column
from ulnager.filters.sql_values import SqlDay, SqlNumber, check_nesting

Aligned = tuple[Unit | None, Unit | None, bool]
"""The units that a span's start and stop are starts of, and whether it is to date."""


_IS_SPAN: Final = 2
"""In place of a side: that a span has any day at all."""


class Grained(NamedTuple):
    """An engine's sums, the grain of a column, and how what cuts its units is rounded."""

    arithmetic: SqlArithmetic
    grain: Grain
    rounding: str | None

    def span(self, start: Any, stop: Any, aligned: Aligned) -> tuple[Any, Any]:
        """A span of whole units; FilterError where it may cut one and no rounding is given."""
        to_date = aligned[2]
        whole = (
            self._is_start(start, aligned[0]),
            self._is_start(stop, None if to_date else aligned[1]),
        )
        start, stop = (
            None if day is None else self.arithmetic.as_sql(day) for day in (start, stop)
        )
        if all(whole):
            return start, stop
        name = self.grain.unit.name
        if self.rounding is None:
            raise FilterError(
                f"the {'stop' if whole[0] else 'start'} may lie inside a {name}, which a column of "
                f"{self.grain.unit.plural} cannot tell: days would be lost or added; choose whole "
                f"{self.grain.unit.plural}, filter a column of days, or say with rounding whether "
                "'inward' or 'outward'"
            )
        inward = self.rounding == "inward"
        first = start if whole[0] else self._rounded(start, inward)
        if inward or first is None or stop is None:
            return first, stop if whole[1] else self._rounded(stop, not inward)
        # An empty span touches no unit.
        last = stop if whole[1] else self._rounded(stop, True)
        return first, self.arithmetic._choose(start < stop, last, first)

    def _is_start(self, day: Any, unit: Unit | None) -> bool:
        """Whether a day is known to be the first of a unit of the grain."""
        grain = self.grain
        if day is None:
            return True
        if isinstance(day, int):
            return bool(grain.range_around(day)[0] == day)
        starts_month = isinstance(day, SqlDay) and day.starts_month
        if starts_month and starts_agree(GREGORIAN, Unit.MONTH, grain):
            return True
        return unit is not None and starts_agree(self.arithmetic.calendar, unit, grain)

    def _rounded(self, day: SqlDay, up: bool) -> Any:
        """The start of the unit around a day; or the first one on that day or later."""
        sums = SqlArithmetic(self.grain.calendar, self.arithmetic.engine)
        if self.grain.calendar == self.arithmetic.calendar:
            sums = self.arithmetic
        if up:
            return sums._unit_stop(day - 1, self.grain.unit)
        return sums._unit_start(day, self.grain.unit)


class ConditionOptions(TypedDict, total=False):
    """What a condition may be told of its column, and a live one of its clock besides."""

    column_type: str
    tz: str | tzinfo | None
    rounding: str | None
    grain: str | Grain | None
    calendar: Calendar | None
    calendars: Mapping[str, Calendar] | None
    defaults: Defaults | None
    latest: object
    latest_type: str | None
    open_ended: Sequence[date | str]
    today: date | str | None
    now: datetime | str | None
    anchor: str | ColumnElement[Any] | None
    anchor_type: str
    running: bool
    date_table: str | None
    offset_table: str | None
    day_starts: str
    parameters: Mapping[str, ColumnElement[Any]] | None
    until: str | ColumnElement[Any] | None
    until_type: str | None
    lasting: str | None


class Live(NamedTuple):
    """What a live condition is written with; see :func:`ulnager.where` for each."""

    column_type: str = "date"
    tz: str | tzinfo | None = None
    calendar: Calendar | None = None
    calendars: Mapping[str, Calendar] | None = None
    defaults: Defaults | None = None
    latest: object = None
    latest_type: str | None = None
    open_ended: Sequence[date | str] = ()
    today: date | None = None
    now: datetime | str | None = None
    anchor: str | ColumnElement[Any] | None = None
    anchor_type: str = "date"
    running: bool = False
    date_table: str | None = None
    rounding: str | None = None
    grain: str | Grain | None = None
    day_starts: str = "00:00"
    parameters: Mapping[str, ColumnElement[Any]] | None = None
    until: str | ColumnElement[Any] | None = None
    until_type: str | None = None
    lasting: str | None = None
    offset_table: str | None = None

    @classmethod
    def of(cls, options: ConditionOptions) -> Live:
        """What was said, with its day as a date."""
        today = options.get("today")
        given: dict[str, Any] = dict(options)
        return cls(**given | {"today": None if today is None else as_day(today, "today")})

    def where(self, definition: Definition, on: str | ColumnElement[Any]) -> ColumnElement[bool]:
        """The condition of a phrase without open slots."""
        ready = self.ready(definition, on)
        column = named_column(on)
        anchors = [] if self.anchor is None else [named_column(self.anchor)]
        given = [*anchors, *(self.parameters or {}).values()]
        tree = parts_of(definition)
        until = ends_of(self.until, self.until_type, self.lasting, self.tz, ready.held)
        if not isinstance(tree, Part):
            if until is not None and until.lasting != "begin":
                raise FilterError(
                    f"'{definition}' is several spans, or may be; rows that last are compared live "
                    "with one only; filter with frozen dates"
                )
            check_sorted(tree)
            # Which months a joined period touches cannot be told from its parts.
            ready = ready._replace(held=ready.held._replace(rounding=None))

        def part(definition: Definition) -> ColumnElement[bool]:
            check_one_span(definition)
            is_open, bounds = definition.open_sides, _Bounds(ready, definition)
            if ready.held.stands_for is not None:
                # Whether it cuts a unit of the column shows where it is written, on any engine.
                bounds.written(dialect_named("duckdb"), *("day" for _ in given))
            sides = [LiveSide(bounds, side, column, *given) for side in (0, 1) if not is_open[side]]
            begun = and_(*sides) if sides else column.is_not(None)
            if until is None or until.lasting == "begin":
                return begun
            end, last = named_column(until.column), bounds
            if until.held is not ready.held:
                last = _Bounds(ready._replace(held=until.held), definition)
            ends = [LiveSide(last, side, end, *given) for side in (0, 1) if not is_open[side]]
            if until.lasting == "inside":
                return and_(begun, *ends) if ends else and_(begun, end.is_not(None))
            first = column.is_not(None) if is_open[1] else sides[-1]
            clauses = [first] if is_open[0] else [first, or_(end.is_(None), ends[0])]
            if definition.may_be_empty and not any(is_open):
                clauses.append(LiveSide(bounds, _IS_SPAN, column, *given))
            return and_(*clauses)

        minutes = ready.day_starts // timedelta(minutes=1)
        days = DayColumn(column, self.column_type, ready.zone, minutes)
        return joined_clause(tree, part, days, ready.calendars)

    def sort_test(self, cut: Sorted, on: str | ColumnElement[Any]) -> ColumnElement[bool]:
        """Whether a row's day is of the sorts of a cut."""
        zone = None if self.tz is None else zone_name(self.tz)
        minutes = _checked_start(self.day_starts, self.column_type) // timedelta(minutes=1)
        days = DayColumn(named_column(on), self.column_type, zone, minutes)
        known = calendars_of(self.calendar, self.calendars, self.defaults)
        return IsSuchDay(days, cut.days, calendar_of(known, cut.calendar))

    def ready(self, definition: Definition, on: str | ColumnElement[Any]) -> Ready:
        """What is written with, checked; FilterError for what no engine can work out."""
        place = latest_place(self.latest)
        zone = None if self.tz is None else zone_name(self.tz)
        after = _checked_start(self.day_starts, self.column_type)
        grain = grain_named(self.grain, calendar=self.calendar)
        held = held_as(self.column_type, self.tz, self.rounding, grain)
        latest_type = self.latest_type or _same_type(place, on, self.column_type)
        for name, given in (("latest_type", latest_type), ("anchor_type", self.anchor_type)):
            if given not in DAY_TYPES:
                raise FilterError(f"{name} is {given!r}; choose {', '.join(DAY_TYPES)}")
        has_anchor = self.anchor is not None
        if self.offset_table is not None and zone is None:
            raise FilterError("offset_table is where a zone is looked up; say which one with tz")
        if has_anchor and self.offset_table is not None:
            raise FilterError(
                "the offset of each row's own anchor is not looked up; leave offset_table out, or "
                "filter the rows in memory with keep_each"
            )
        types = [self.column_type, *[latest_type] * bool(place), *[self.anchor_type] * has_anchor]
        if zone is None and any(COLUMN_TYPES[name].is_instant for name in types):
            raise FilterError("a column of instants needs tz, where its days begin")
        known = calendars_of(self.calendar, self.calendars, self.defaults)
        check_definition(definition, known.chosen)
        check_data(definition, place)
        if definition.is_sub_day:
            check_time(self.column_type, zone, has_anchor and self.running, self.today, self.now)
        is_same = place is not None and place[1] == _name_of(on)
        stand_ins = as_days(self.open_ended, "open_ended")
        return Ready(
            held,
            zone,
            known,
            Latest(place, latest_type, stand_ins, held.stands_for if is_same else None),
            self._clock(zone, after),
            _Anchored(self.anchor_type, self.running),
            self.date_table,
            after,
            tuple(self.parameters or {}),
            self.offset_table,
            not has_anchor,
        )

    def _clock(self, zone: str | None, after: timedelta) -> _FixedClock:
        if self.now is None:
            return _FixedClock(self.today, None)
        now = as_instant(self.now)
        if now.tzinfo is None:
            raise FilterError(f"now is {now.isoformat()} without a zone; add its offset: +00:00")
        local = now.astimezone(None if zone is None else zone_named(zone))
        return _FixedClock(self.today or (local - after).date(), now)


class LiveSide(FunctionElement[bool]):
    """One side of a live condition on a column, as the engine that compiles it writes it."""

    inherit_cache = False
    type = Boolean()

    def __init__(self, bounds: _Bounds, side: int, *clauses: ColumnElement[Any]) -> None:
        super().__init__(*clauses)
        self.bounds = bounds
        self.side = side
        self.is_negated = False

    def self_group(self, against: Any = None) -> Any:
        return self  # It is a comparison by itself, for engines without truths too.

    def _negate(self) -> Any:
        other = LiveSide(self.bounds, self.side, *self.clauses)
        other.is_negated = not self.is_negated
        return other


@compiles(LiveSide)
def _compiled(element: LiveSide, compiler: SQLCompiler, **options: Any) -> str:
    column, *texts = [compiler.process(one, **options) for one in element.clauses]
    bounds = element.bounds.written(compiler.dialect, *texts)
    if element.side == _IS_SPAN:
        return f"{bounds[0]} {'>=' if element.is_negated else '<'} {bounds[1]}"
    bound = bounds[element.side]
    if bound is None:  # The day after the last one is none.
        return f"{column} IS {'' if element.is_negated else 'NOT '}NULL"
    return f"{column} {'<' if bool(element.side) is not element.is_negated else '>='} {bound}"


class _Bounds:
    """The bounds of a phrase as they were last written: both sides come from one writing."""

    def __init__(self, ready: Ready, definition: Definition) -> None:
        self.ready = ready
        self.definition = definition
        self.last: tuple[Any, tuple[str | None, str | None]] | None = None

    def written(self, dialect: Dialect, *texts: str) -> tuple[str | None, str | None]:
        asked, last = (dialect, texts), self.last
        if last is None or last[0] != asked:
            bounds = self.ready.bounds(self.definition, dialect, *texts)
            self.last = last = (asked, bounds)
        return last[1]


class _FixedClock(NamedTuple):
    """What stands for the engine's clock; None for the clock itself."""

    today: date | None
    now: datetime | None


class _Anchored(NamedTuple):
    """What the column of each row's own anchor holds, and whether its day is still running."""

    column_type: str
    running: bool


class Ready(NamedTuple):
    """All that it takes to write the bounds of a phrase for an engine, checked."""

    held: Held
    zone: str | None
    calendars: Calendars
    latest: Latest
    clock: _FixedClock
    anchored: _Anchored
    date_table: str | None
    day_starts: timedelta
    parameters: tuple[str, ...] = ()
    offset_table: str | None = None
    has_clock: bool = True
    """Whether all rows are measured from one day, and not each from its own."""

    def bounds(
        self, definition: Definition, dialect: Dialect, *texts: str
    ) -> tuple[str | None, str | None]:
        """The start and the stop as SQL; None at an open side. ``texts`` are the anchor of each
        row, where there is one, and the parameters."""
        hidden = tuple(text.replace("%", HIDDEN) for text in texts)
        sql, held_in, start, stop = self._sides(definition, dialect, hidden)
        first, last = (sql.bound(held_in, side, self.held.column_type) for side in (start, stop))
        check_nesting(sql.engine, first, last)
        return marked(first, dialect), marked(last, dialect)

    def days(
        self,
        definition: Definition,
        dialect: Dialect,
        *texts: str,
        names: dict[str, str] | None = None,
    ) -> tuple[EngineSql, SqlDay | None, SqlDay | None]:
        """The engine, and the start and the stop as days; what they are measured from is given
        names, where there are any to be given."""
        sql, held_in, start, stop = self._sides(definition, dialect, texts, names)
        first, last = (None if one is None else held_in.as_sql(one) for one in (start, stop))
        return sql, first, last

    def _sides(
        self,
        definition: Definition,
        dialect: Dialect,
        texts: tuple[str, ...],
        names: dict[str, str] | None = None,
    ) -> tuple[EngineSql, Any, Any, Any]:
        count = len(texts) - len(self.parameters)
        anchor = texts[0] if count else None
        minutes = self.day_starts // timedelta(minutes=1)
        sql = EngineSql(dialect, self.zone, minutes, names, self.offset_table)
        given = dict(zip(self.parameters, texts[count:], strict=True))
        definition, numbers = numbered(definition, given)
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
            name: sql.day_of(text, "date") for name, text in given.items() if name not in numbers
        }
        extent: Any = SqlExtent(sql, self.latest)
        basis.data = extent
        start, stop = definition.span(basis)
        if isinstance(stop, int) and stop == LAST_DAY + 1:
            stop = None  # The day after the last one is none: that side is open.
        held_in: Any = basis.instants_here() if definition.is_sub_day else arithmetic
        if self.held.stands_for is not None:
            grained = Grained(arithmetic, self.held.stands_for, self.held.rounding)
            start, stop = grained.span(start, stop, aligned(basis, definition))
        return sql, held_in, start, stop


def numbered(definition: Definition, given: Mapping[str, str]) -> tuple[Definition, frozenset[str]]:
    """A definition with parameters where its counts are open, and their names."""
    names: set[str] = set()

    def put(arg: Any) -> Any:
        if isinstance(arg, Definition):
            return Definition(arg.rule, tuple(put(one) for one in arg.args))
        if isinstance(arg, OpenCount) and arg.slot in given:
            names.add(arg.slot)
            return SqlNumber(given[arg.slot], 1 if arg > 0 else -1)
        return arg

    found = put(definition) if has_open_counts(definition) else definition
    return found, frozenset(names)


def has_open_counts(definition: Definition) -> bool:
    """Whether a count in it is open still."""
    return any(isinstance(arg, OpenCount) for part in definition.walk() for arg in part.args)


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

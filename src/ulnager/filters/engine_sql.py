"""An engine with its dialect and its zone: how days become bounds there, and what is latest."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import Any, Final, NamedTuple

from sqlalchemy import Dialect

from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.periods.grain import Grain
from ulnager.core.units import Unit
from ulnager.filters.columns import COLUMN_TYPES
from ulnager.filters.engines import engine_named
from ulnager.filters.engines.engine import (
    Engine,
    by_offsets,
    check_zone,
    day_of_time,
    filled,
    midnight,
    time_of_day,
)
from ulnager.filters.primitives import day_of
from ulnager.filters.sql_arithmetic import SqlArithmetic, SqlInstant, SqlInstants
from ulnager.filters.sql_values import SqlDay, days_between, literal_day

ROW: Final = "from_"
"""The row that holds what the periods of a statement are measured from, by names."""


class Latest(NamedTuple):
    """The table and column that answer for ``latest``, if any, what that column holds, the dates in
    it that stand for none, and the unit that one of them stands for."""

    place: tuple[str, str] | None
    column_type: str
    open_ended: tuple[date, ...] = ()
    grain: Grain | None = None


class EngineSql:
    """An engine with the dialect that quotes for it, the time zone in use, and how many minutes
    after midnight a day begins there."""

    def __init__(
        self,
        dialect: Dialect,
        zone: str | None,
        minutes: int = 0,
        names: dict[str, str] | None = None,
        offsets: str | None = None,
    ) -> None:
        self.minutes = minutes
        self.names = names
        self.engine: Engine = engine_named(dialect.name)
        self.zone = zone
        self.quote: Callable[[str], str] = dialect.identifier_preparer.quote_identifier
        if offsets is not None:
            self.engine = by_offsets(self.engine, self.table(offsets))

    def table(self, name: str) -> str:
        return ".".join(map(self.quote, name.split(".")))

    def named(self, day: SqlDay) -> SqlDay:
        """A day by a name of its own, where what is measured from has names."""
        if self.names is None or f"{ROW}." in day.text:
            return day
        name = self.names.setdefault(day.text, f"day_{len(self.names) + 1}")
        return SqlDay(self.engine, f"{ROW}.{name}", may_be_null=day.may_be_null)

    def clock(self, today: date | None) -> SqlDay:
        """The date of the clock, or one that stands for it."""
        return self.named(self._clock(today)) if today is None else self._clock(today)

    def _clock(self, today: date | None) -> SqlDay:
        if today is not None:
            return SqlDay(self.engine, self.engine.literal.format(x=today))
        if self.zone is None:
            if self.minutes:
                day = day_of_time(self.engine, self.engine.local_now, self.minutes)
                return SqlDay(self.engine, day)
            return SqlDay(self.engine, self.engine.today)
        if self.engine.has_zones:
            return self.day_of(self.engine.now, "timestamptz", may_be_null=False)
        check_zone(self.engine, self.zone, "today")
        if self.minutes:
            return self.day_of(self.engine.now, "timestamp", may_be_null=False)
        return SqlDay(self.engine, self.engine.utc_today)

    def day_of(self, value: str, held: str, *, may_be_null: bool = True) -> SqlDay:
        """The day of a date, a timestamp, or an instant in the zone."""
        found = day_of(self.engine, value, held, self.zone, self.minutes)
        return SqlDay(self.engine, found, may_be_null=may_be_null)

    def moment(self, now: datetime | None) -> Any:
        """The instant of the clock, or one that stands for it."""
        if now is None:
            return SqlInstant(self.engine, self.engine.now)
        local = now.astimezone(UTC).replace(tzinfo=None)
        return SqlInstant(self.engine, self.engine.instant.format(x=local))

    def bound(self, arithmetic: Any, side: Any, held: str) -> str | None:
        """A start or a stop in terms of what the column holds; None at an open side."""
        if side is None:
            return None
        if isinstance(arithmetic, SqlInstants):
            return str(arithmetic.as_sql(side))
        return self.day_bound(arithmetic.as_sql(side), held)

    def day_bound(self, day: SqlDay, held: str) -> str:
        """A day in terms of what the column holds."""
        return COLUMN_TYPES[held].live(self, day)

    def text(self, day: SqlDay) -> str:
        """A date as ISO text."""
        return str(day) if self.engine.literal == "'{x}'" else self._formatted(day, "-", 3)

    def instant(self, day: SqlDay) -> str:
        """The instant at which a date begins."""
        return midnight(self.engine, str(day), self.zone, self.minutes)

    def time(self, day: SqlDay) -> str:
        """The local time at which a date begins."""
        return time_of_day(self.engine, str(day), self.minutes)

    def seconds(self, day: SqlDay) -> str:
        """The seconds since 1970 at which a date begins."""
        return filled(self.engine, "seconds", x=self.instant(day))

    def key(self, day: SqlDay, pieces: int) -> str:
        """A whole number of the first so many of year, month and day."""
        return f"CAST({self._formatted(day, '', pieces)} AS {self.engine.integer})"

    def week_key(self, day: SqlDay) -> str:
        """The key of the ISO week that begins on a Monday: 202614."""
        if self.engine.week_forms:
            text = self._formatted_as(day, self.engine.week_forms[0])
            return f"CAST({text} AS {self.engine.integer})"
        if self.engine.week_number:
            return filled(self.engine, "week_number", x=str(day))
        # A week belongs to the year of its Thursday (ISO 8601, 2.2.10).
        return f"({self.key(day + 3, 1)} * 100 + {self._week(day)})"

    def week_text(self, day: SqlDay) -> str:
        """The ISO week that begins on a Monday, as text: 2026-W14."""
        if self.engine.week_forms:
            return self._formatted_as(day, self.engine.week_forms[1])
        if self.engine.week_named:
            return filled(self.engine, "week_named", x=str(day))
        week = self._week(day)
        tens = f"({week} - {week} % 10) / 10"
        return filled(
            self.engine,
            "week_text",
            x=self._formatted(day + 3, "", 1),
            y=f"CAST({tens} AS {self.engine.integer})",
            z=f"({week} % 10)",
        )

    def _week(self, day: SqlDay) -> str:
        thursday = day + 3
        first = SqlArithmetic(GREGORIAN, self.engine)._unit_start(thursday, Unit.YEAR)
        days = days_between(thursday, first).text
        return f"(CAST((({days}) - ({days}) % 7) / 7 AS {self.engine.integer}) + 1)"

    def _formatted(self, day: SqlDay, between: str, pieces: int) -> str:
        return self._formatted_as(day, between.join(self.engine.pieces[:pieces]))

    def _formatted_as(self, day: SqlDay, form: str) -> str:
        return filled(self.engine, "formatted", x=str(day), f=form)


class SqlExtent:
    """The dates of a column of a table, as SQL."""

    def __init__(self, sql: EngineSql, latest: Latest) -> None:
        self.sql = sql
        self.latest = latest.place
        self.latest_type = latest.column_type
        self.open_ended = latest.open_ended
        self.held = latest.column_type
        self.grain = latest.grain

    @property
    def first(self) -> Any:
        return _Deferred(self, "smallest")

    @property
    def last(self) -> Any:
        return _Deferred(self, "largest")

    def _up_to(self, day: Any) -> SqlDay:
        """The last date up to a day."""
        table, name = self.named()
        asked = day if isinstance(day, SqlDay) else literal_day(self.sql.engine, day)
        sums = self._sums()
        # The unit around a day counts up to that day.
        after = asked + 1 if sums is None else sums._unit_stop(asked, self._unit)
        tests = [f"{name} < {self._bound(after)}", *self._counts(name)]
        found = self.edge("largest", table, name, tests)
        return found if sums is None else sums._choose(found < asked, found, asked)

    def _sums(self) -> Any:
        """Sums on units, where a date stands for one."""
        return None if self.grain is None else SqlArithmetic(self.grain.calendar, self.sql.engine)

    @property
    def _unit(self) -> Unit:
        assert self.grain is not None
        return self.grain.unit

    def edge(self, primitive: str, table: str, name: str, tests: list[str]) -> SqlDay:
        """The first or the last date of the table's column."""
        edge = filled(self.sql.engine, primitive, x=name)
        where = f" WHERE {' AND '.join(tests)}" if tests else ""
        value = f"(SELECT {edge} FROM {table}{where})"
        if not COLUMN_TYPES[self.held].has_time:
            # A date is the day that it says, whenever days start elsewhere.
            found = SqlDay(
                self.sql.engine, day_of_time(self.sql.engine, value, 0), may_be_null=True
            )
        else:
            found = self.sql.day_of(value, self.held)
        found = self.sql.named(found)
        sums = self._sums()
        if sums is None:
            return found
        whole: SqlDay = (
            sums._unit_stop(found, self._unit) - 1
            if primitive == "largest"
            else sums._unit_start(found, self._unit)
        )
        return whole

    def of_side(self, primitive: str) -> SqlDay:
        table, name = self.named()
        return self.edge(primitive, table, name, self._counts(name))

    def _bound(self, day: SqlDay) -> str:
        return COLUMN_TYPES[self.latest_type].live(self.sql, day)

    def _counts(self, name: str) -> list[str]:
        """What leaves out the dates that stand for none."""
        tests = []
        for day in self.open_ended:
            bounds = [f"{name} < {self._bound(literal_day(self.sql.engine, day.toordinal()))}"]
            if day != date.max:
                after = literal_day(self.sql.engine, day.toordinal() + 1)
                bounds.append(f"{name} >= {self._bound(after)}")
            tests.append(bounds[0] if len(bounds) == 1 else f"({' OR '.join(bounds)})")
        return tests

    def named(self) -> tuple[str, str]:
        """The table and the column, quoted."""
        assert self.latest is not None
        return self.sql.table(self.latest[0]), self.sql.quote(self.latest[1])


class _Deferred:
    """Stands for a date where the rules ask for its day number."""

    def __init__(self, extent: SqlExtent, which: str) -> None:
        self.extent = extent
        self.which = which

    def toordinal(self) -> SqlDay:
        return self.extent.of_side(self.which)

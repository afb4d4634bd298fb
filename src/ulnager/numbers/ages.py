"""Ages: how long rows have been open, or were, in any unit of days."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from functools import cached_property
from typing import Any, NamedTuple, TypeVar, Unpack
from typing import cast as typed

from sqlalchemy import Date, Null, and_, cast, false, func, null, or_, select

from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import FilterError, SettingError
from ulnager.core.language.phrase import Settings, period
from ulnager.core.periods.clock import time_after_midnight
from ulnager.core.suggest import no_such
from ulnager.core.units import Unit
from ulnager.core.values import CopiesItself, Json
from ulnager.filters.frames import is_time, known_frame, local_days
from ulnager.filters.sql_text import exact_column, sql_text
from ulnager.numbers.daily_aggregates import AskedColumn, asked_of
from ulnager.sources.duckdb_text import quoted
from ulnager.sources.opening import source_with
from ulnager.sources.written_tables import write_table

FrameT = TypeVar("FrameT")


class AgeRow(NamedTuple):
    """An age in whole units, and how many rows have it: open ones, and those that ended."""

    age: int
    open: int
    closed: int

    @property
    def rows(self) -> int:
        """Both together."""
        return self.open + self.closed


@dataclass(frozen=True)
class Ages(CopiesItself):
    """How old rows are: ``rows`` by age, youngest first.

    ``later`` rows begin after the anchor and are left out, ``reversed`` ones end before they begin,
    ``nulls`` have no date to begin with.
    """

    rows: tuple[AgeRow, ...]
    unit: Unit
    anchor: date
    later: int = 0
    reversed: int = 0
    nulls: int = 0
    _dated: _Dated | None = field(default=None, repr=False, compare=False)

    def __getstate__(self) -> dict[str, object]:
        """Its numbers, and not what it would ask."""
        return {**self.__dict__, "_dated": None}

    def _asked(self) -> _Dated:
        if self._dated is None:
            raise SettingError("these ages are a copy, which asks no data any more")
        return self._dated

    @property
    def columns(self) -> tuple[str, ...]:
        """The names of the columns that :meth:`oldest` gives: the source's own, and ``age``."""
        own = [column.name for column in self._asked().asked.source.columns]
        return (*own, "age" if "age" not in own else "age_of_row")

    def oldest(self, count: int = 20, *, is_open: bool = False) -> list[tuple[Any, ...]]:
        """The rows of the greatest ages, the oldest first; with ``is_open`` the open ones only."""
        return self._asked().oldest(count, is_open=is_open)

    def write(self, target: str, *, replace: bool = False, **place: Any) -> int:
        """Write all rows with their ages to a .csv or .parquet file, or a table of a database.

        How many were written; ``place`` is ``name=``, ``password=`` and ``for_spreadsheets=`` as
        for :meth:`ulnager.Preview.write`.
        """
        rows = self._asked().rows()
        values = list(zip(*rows, strict=True)) or [() for _ in self.columns]
        held = {name: list(column) for name, column in zip(self.columns, values, strict=True)}
        return write_table(held, str(target), replace=replace, **({"name": "ages"} | place))

    @property
    def open(self) -> int:
        """How many rows are open."""
        return sum(row.open for row in self.rows)

    @property
    def closed(self) -> int:
        """How many rows have ended."""
        return sum(row.closed for row in self.rows)

    @cached_property
    def median(self) -> float | None:
        """The median age of the rows that have one."""
        flat = [row.age for row in self.rows for _ in range(row.rows)]
        if not flat:
            return None
        middle = len(flat) // 2
        return float(flat[middle] if len(flat) % 2 else (flat[middle - 1] + flat[middle]) / 2)

    def to_dict(self) -> Json:
        """The ages as plain values, ready for JSON."""
        return {
            "unit": self.unit.name,
            "anchor": self.anchor.isoformat(),
            "open": self.open,
            "closed": self.closed,
            "later": self.later,
            "reversed": self.reversed,
            "nulls": self.nulls,
            "median": self.median,
            "rows": [{"age": row.age, "open": row.open, "closed": row.closed} for row in self.rows],
        }

    def __repr__(self) -> str:
        told = f"{self.open:,} open, {self.closed:,} closed"
        return f"<ages in {self.unit.plural} on {self.anchor}: {told}>"


def age_in(calendar: Calendar, start: int, end: int, unit: Unit) -> int:
    """The largest N for which ``at least N units ago`` keeps a day as of another; 0 at least.

    >>> january, february = date(2026, 1, 28).toordinal(), date(2026, 2, 28).toordinal()
    >>> age_in(GREGORIAN, january, february, Unit.MONTH)
    1
    """
    if unit is Unit.BUSINESS_DAY:
        return calendar.business._position(end + 1) - calendar.business._position(start + 1)
    # A first guess from the lengths of units, then one by one.
    days = end - start
    found = max(0, days // max(1, unit.days or unit.months * 31) - 1)
    while calendar._move_day(end, unit, -(found + 1)) >= start:
        found += 1
    while found and calendar._move_day(end, unit, -found) < start:
        found -= 1
    return found


@checked(
    since=Wanted((str,), "the name of a column"),
    until=Wanted((str, type(None)), "the name of a column"),
    options=Settings,
    unit=Wanted((str, Unit), "a unit such as 'day'"),
    calendar=Wanted((Calendar, type(None)), "a calendar"),
)
def ages(
    source: object,
    since: str,
    until: str | None = None,
    *,
    unit: str = "day",
    where: Mapping[str, Any] | None = None,
    **when: Unpack[Settings],
) -> Ages:
    """How long rows have been open, or were, from the day of ``since`` to that of ``until``.

    Rows without an end, and those that end after the anchor, are open and measured to the anchor
    (today, or ``as_of=``). The age is the largest N for which ``at least N units ago`` keeps the
    row. Only counts of pairs of days travel.

    >>> from ulnager.demo import table
    >>> found = ages(table("work_orders"), "raised_on", "closed_on", unit="business day",
    ...              today="2026-05-20")
    >>> found.open > 0
    True

    Raises SettingError for a unit that is no unit of days, SourceError as the source does.
    """
    opened, when = source_with(source, when, None, is_fixed=False)
    aging, tz = _aging(unit, when), when.get("tz")
    asked = asked_of(opened, since, tz, None, None, where)
    dated = _Dated(asked, until, aging)
    counted = {state: Counter[int]() for state in ("open", "closed")}
    left_out = Counter[str]()
    for start, stop, count in dated.pairs():
        state, age = aging.of(start, stop)
        if age is None:
            left_out[state] += count
        else:
            counted[state][age] += count
    every = sorted({*counted["open"], *counted["closed"]})
    rows = tuple(AgeRow(age, counted["open"][age], counted["closed"][age]) for age in every)
    later, backwards, nulls = (left_out[why] for why in ("later", "reversed", "null"))
    return Ages(rows, aging.unit, aging.anchor, later, backwards, nulls, dated)


class Aging(NamedTuple):
    """How ages are counted: the calendar, the unit, and the day to which open rows are measured."""

    calendar: Calendar
    unit: Unit
    anchor: date

    def of(self, since: Any, until: Any) -> tuple[str, int | None]:
        """What a row is, ``open``, ``closed``, ``later``, ``reversed`` or ``null``, and its age."""
        if since is None:
            return "null", None
        start, to = _number(since), self.anchor.toordinal()
        stop = None if until is None else _number(until)
        if start > to:
            return "later", None
        if stop is not None and stop < start:
            return "reversed", None
        if stop is None or stop > to:
            return "open", age_in(self.calendar, start, to, self.unit)
        return "closed", age_in(self.calendar, start, stop, self.unit)


class _Dated:
    """Rows of a source with the days on which they begin and end."""

    def __init__(self, asked: AskedColumn, until: str | None, aging: Aging) -> None:
        self.asked, self.aging = asked, aging
        self.since = asked.day
        self.until: Any = null()
        if until is not None:
            self.until = asked_of(asked.source, until, asked.tz, None, None, None).day

    def pairs(self) -> list[tuple[Any, Any, int]]:
        """How many rows begin and end on each pair of days."""
        since, until = self.since.label("since"), self.until.label("until")
        query = select(since, until, func.count()).select_from(self.asked.source.rows)
        by = [since] if isinstance(self.until, Null) else [since, until]
        found = self.asked.source.run(query.where(*self.asked.where).group_by(*by))
        return [(start, stop, int(count)) for start, stop, count in found]

    def rows(self, among: Sequence[tuple[Any, Any]] | None = None) -> list[tuple[Any, ...]]:
        """The rows of some pairs of days, or all, each with its age at the end, None for none."""
        source = self.asked.source
        clauses = list(self.asked.where)
        if among is not None:
            some = [
                and_(
                    self.since == _day(start),
                    self.until.is_(None) if stop is None else self.until == _day(stop),
                )
                for start, stop in among
            ]
            clauses.append(or_(false(), *some))
        columns = [source.value(column.name) for column in source.columns]
        days = [self.since.label("ulnager_since"), self.until.label("ulnager_until")]
        query = select(*columns, *days).select_from(source.rows).where(*clauses)
        found = source.run(query.order_by(self.since, *columns))
        return [(*row[:-2], self.aging.of(*row[-2:])[1]) for row in found]

    def oldest(self, count: int, *, is_open: bool) -> list[tuple[Any, ...]]:
        """So many of the oldest rows with their ages, the oldest first."""
        aged = []
        for start, stop, rows in self.pairs():
            state, age = self.aging.of(start, stop)
            if age is not None and (state == "open" or not is_open):
                aged.append((age, start, stop, rows))
        aged.sort(key=lambda one: (-one[0], str(one[1]), str(one[2])))
        among, held = [], 0
        for _, start, stop, rows in aged:
            if held >= count:
                break
            among.append((start, stop))
            held += rows
        return sorted(self.rows(among), key=lambda row: -row[-1])[:count]


def _number(day: Any) -> int:
    return _day(day).toordinal()


def _day(day: Any) -> date:
    if isinstance(day, datetime):
        return day.date()
    return day if isinstance(day, date) else date.fromisoformat(str(day)[:10])


@checked(options=Settings)
def with_ages(
    source: FrameT,
    since: str,
    until: str | None = None,
    *,
    unit: str = "day",
    name: str = "age",
    **when: Unpack[Settings],
) -> FrameT:
    """A data frame with one more column: the age of each row, null where it has none.

    The frame comes back in its own library; a lazy one of Polars is worked out, a relation of
    DuckDB and a DataFrame of PySpark stay lazy and are asked in SQL. The other arguments are those
    of :func:`ages`.

    >>> import polars as pl
    >>> orders = pl.DataFrame({"raised": [date(2026, 5, 1), None], "closed": [None, None]})
    >>> with_ages(orders, "raised", "closed", unit="week", today="2026-05-20")["age"].to_list()
    [2, None]

    Raises FilterError for what is no data frame, SettingError as :func:`ages` does.
    """
    aging, tz = _aging(unit, when), when.get("tz")
    data = known_frame(source)
    names = data.collect_schema().names()
    for column in (since, until):
        if column is not None and column not in names:
            raise SettingError(no_such("column", column, names))
    if name in names:
        raise SettingError(f"the frame has a column {name!r} already; give another name")
    native: Any = data.to_native()
    if data.implementation.is_duckdb() or data.implementation.is_pyspark():
        return typed("FrameT", _with_ages_in_sql(native, data, (since, until), name, aging, when))
    import narwhals as nw

    if isinstance(data, nw.LazyFrame):
        data = data.collect()
    after = time_after_midnight(when.get("day_starts", "00:00"))
    starts = local_days(data, since, tz, after)
    stops = [None] * len(starts) if until is None else local_days(data, until, tz, after)
    known: dict[Any, int | None] = {}
    values = []
    for pair in zip(starts, stops, strict=True):
        if pair not in known:
            known[pair] = aging.of(*pair)[1]
        values.append(known[pair])
    if data.implementation.is_pandas_like():
        # Its whole numbers with nulls are a type of their own; others would become floats.
        return typed("FrameT", data.to_native().assign(**{name: _nullable(values)}))
    made = nw.new_series(name, values, nw.Int64, backend=data.implementation)
    return typed("FrameT", data.with_columns(made).to_native())


def _nullable(values: list[int | None]) -> Any:
    import pandas as pd

    return pd.array(values, dtype="Int64")


def _with_ages_in_sql(
    native: Any, data: Any, columns: tuple[str, str | None], name: str, aging: Aging, when: Settings
) -> Any:
    """A relation of DuckDB or a DataFrame of Spark with the ages as an expression of theirs."""
    from ulnager.numbers.age_sql import age

    days = []
    for column in columns:
        if column is None:
            continue
        if getattr(data.collect_schema()[column], "time_zone", None) is not None:
            raise FilterError(
                f"column {column!r} holds instants; give their local days a column of their own"
            )
        if time_after_midnight(when.get("day_starts", "00:00")) and is_time(data, column):
            raise FilterError(
                f"column {column!r} holds times, and days start later than at midnight; give the "
                "days that count a column of their own"
            )
        days.append(cast(exact_column(column), Date()))
    target = "duckdb" if data.implementation.is_duckdb() else "spark"
    found = sql_text(
        age(*days, unit=aging.unit, calendar=aging.calendar, as_of=aging.anchor), target
    )
    if target == "spark":
        from pyspark.sql.functions import expr

        return native.withColumn(name, expr(found))
    return native.project(f"*, {found} AS {quoted(name)}")


def _aging(unit: str, when: Settings) -> Aging:
    used = when.get("calendar") or GREGORIAN
    known = used.unit_named(unit)
    if known.microseconds:
        raise SettingError(f"ages are counted in days and longer units, not in {known.plural}")
    anchor = period("anchor day").resolve(**when).start
    assert anchor is not None
    return Aging(used, known, anchor)

"""What a source holds for each day, asked once, with no more aggregates than are wanted."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, date, datetime, timedelta, tzinfo
from decimal import Decimal
from typing import Any, Final, NamedTuple

from sqlalchemy import (
    ColumnElement,
    Date,
    DateTime,
    Double,
    Integer,
    String,
    and_,
    bindparam,
    cast,
    false,
    func,
    literal,
    null,
    or_,
    select,
)

from ulnager.core.arguments import shown
from ulnager.core.calendars.zones import LAST_DAY, date_of, zone_name, zone_named
from ulnager.core.errors import SettingError
from ulnager.core.periods.spans import Range, union
from ulnager.core.suggest import no_such
from ulnager.filters.engines import engine_named
from ulnager.filters.primitives import DayOf, Primitive, value_type
from ulnager.numbers.cells import Cells, cells_from, joined
from ulnager.numbers.number_kinds import kind_of, nans_of, number_of_column
from ulnager.sources.source import Column, Relation

HOWS: Final = ("count", "sum", "mean", "min", "max", "median", "distinct")
FROM_DAYS: Final = ("count", "sum", "mean", "min", "max")
"""Those that come together from days; the others are asked for each set of dates."""


class AskedColumn(NamedTuple):
    """A source with the column of dates, the value and the split that are asked for."""

    source: Relation
    column: Column
    tz: str | tzinfo | None
    split: str | tuple[str, ...] | None
    where: tuple[ColumnElement[bool], ...]
    said: str = ""
    """What ``where`` says, to tell questions apart."""

    @property
    def day(self) -> ColumnElement[Any]:
        """The day of a row."""
        return self.source.day(self.column, self.tz)

    @property
    def split_by(self) -> ColumnElement[Any]:
        """What rows are split by; null where they are not, and of two columns one text."""
        if self.split is None:
            return null()
        columns = self.source.rows.c
        if isinstance(self.split, str):
            return columns[self.split]
        first, second = (func.coalesce(cast(columns[one], String), _NO_VALUE) for one in self.split)
        return first + literal(_BETWEEN) + second

    def kept(self, ranges: Sequence[Range]) -> list[ColumnElement[bool]]:
        """The conditions for the rows of some days."""
        return [*self.where, self.source.days_in(self.column, self.tz, ranges)]


def asked_of(
    source: Relation,
    column: str | None,
    tz: str | tzinfo | None,
    value: str | None,
    split: str | Sequence[str] | None,
    where: Mapping[str, Any] | Sequence[Mapping[str, Any]] | None,
) -> AskedColumn:
    """What is asked of a source, checked.

    Raises SourceError for a column that is not there, SettingError for what cannot be.
    """
    names = [known.name for known in source.columns]
    if split is not None and not isinstance(split, str):
        split = tuple(split) if isinstance(split, Sequence) else (split,)
        if len(split) != 2:
            raise SettingError(f"split is {shown(split)}; give a column, or two, one in the other")
    for name in (value, *(split if isinstance(split, tuple) else (split,))):
        if name is not None and not isinstance(name, str):
            raise SettingError(f"{shown(name)} is no column; give the name of one")
        if name is not None and name not in names:
            raise SettingError(no_such("column", str(name), names))
    wheres = where if isinstance(where, tuple) else (where or {},)
    if not all(isinstance(one, Mapping) for one in wheres):
        raise SettingError(f"where is {shown(where)}; give values by column: {{'route': ['A']}}")
    clauses = []
    for name, values in (pair for one in wheres for pair in one.items()):
        if not isinstance(name, str) or name not in names:
            raise SettingError(no_such("column", str(name), names))
        several = values if isinstance(values, (list, tuple, set)) else [values]
        for one in several:
            if not isinstance(one, (str, int, float, date, Decimal)) and one is not None:
                raise SettingError(
                    f"where[{name!r}] has {shown(one)}; give texts, numbers or dates"
                )
        clauses.append(source.values_in(name, list(several)))
    said = repr(sorted((name, repr(values)) for one in wheres for name, values in one.items()))
    return AskedColumn(source, source.column(column), tz, split, tuple(clauses), said)


_BETWEEN: Final = "\x1f"
_NO_VALUE: Final = "\x1e"
"""What stands between two values of a split in one text, and for one that is missing."""


def values_of_split(key: Any, split: str | tuple[str, ...] | None) -> Any:
    """The value of a split, of two columns both, as the engine gave it."""
    if not isinstance(split, tuple):
        return key
    return tuple(None if one == _NO_VALUE else one for one in str(key).split(_BETWEEN))


Measure = tuple[str | None, str]
"""A column, None for rows, and how its values are put together."""

_AGGREGATES: Final = {
    "count": ("values",),
    "sum": ("total",),
    "mean": ("values", "total"),
    "min": ("low",),
    "max": ("high",),
}
_NEEDS_NUMBERS: Final = {"total"}
_QUARTER: Final = 900 * 10**6
"""A quarter of an hour in microseconds."""


class Gathered(NamedTuple):
    """The cells of each split, None for all rows, and the rows of each day and without one."""

    cells: dict[Any, Cells]
    counts: dict[date | None, int]


def gathered(
    asked: AskedColumn, measures: Iterable[Measure], ranges: Iterable[Range] | None = None
) -> Gathered:
    """What the days of some ranges hold, or all days, from one query.

    Instants in a zone are gathered by the quarter of an hour where the zone's clocks keep to those,
    and only then laid onto local days: the engine does that once a quarter, and not once a row.
    """
    together = None if ranges is None else union(ranges)
    if together is not None and not together:
        return Gathered({None: cells_from([], [], {})} if asked.split is None else {}, {})
    clauses = list(asked.where) if together is None else asked.kept(together)
    if not _keeps_to_quarters(asked, together):
        return _gathered(asked, measures, asked.day, clauses, _ordinal)
    return _gathered(asked, measures, _quarter(asked), clauses, _ordinal, is_by_quarter=True)


def gathered_by(
    asked: AskedColumn, measures: Iterable[Measure], size: int, bounds: Sequence[tuple[Any, Any]]
) -> Gathered:
    """What slots of ``size`` seconds since 1970 hold, between some bounds of the column."""
    number = asked.source.seconds(asked.column) - 0
    slot = (number - (number % size + size) % size) / size
    on, kind = asked.source.value(asked.column.name), value_type(asked.column.column_type or "date")
    within = [
        and_(
            on >= bindparam("start", start, kind, unique=True),
            on < bindparam("stop", stop, kind, unique=True),
        )
        for start, stop in bounds
    ]
    return _gathered(asked, measures, slot, [*asked.where, or_(false(), *within)], round)


def with_beside(held: Gathered, others: Gathered, far: int) -> Gathered:
    """What some slots hold, with that of others laid so far behind them."""
    cells = dict(held.cells)
    for key, one in others.cells.items():
        behind = one._replace(days=one.days + far)
        cells[key] = joined([cells[key], behind]) if key in cells else behind
    return Gathered(cells, held.counts)


def _gathered(
    asked: AskedColumn,
    measures: Iterable[Measure],
    when: ColumnElement[Any],
    clauses: list[ColumnElement[bool]],
    number_of: Callable[[Any], Any],
    *,
    is_by_quarter: bool = False,
) -> Gathered:
    source = asked.source
    wanted: dict[str, dict[str, None]] = {}
    for value, how in measures:
        if value is not None:
            wanted.setdefault(value, {}).update(dict.fromkeys(_AGGREGATES[how]))
    kinds = {
        value: kind_of(source, value, needed=_NEEDS_NUMBERS & keys.keys())
        for value, keys in wanted.items()
    }
    for value, kind in kinds.items():
        if nans_of(source, value, kind) is not None:
            wanted[value]["nans"] = None
    names = [(value, key) for value, keys in wanted.items() for key in keys]
    columns = [
        _aggregate(key, source, value, kinds[value]).label(f"of_{place}")
        for place, (value, key) in enumerate(names)
    ]
    split, when = asked.split_by.label("split"), when.label("day")
    query = select(when, split, func.count().label("held"), *columns)
    query = query.select_from(source.rows).where(*clauses)
    query = query.group_by(*([when] if asked.split is None else [when, split]))
    if is_by_quarter:
        inner = query.subquery("quarters")
        day = _day_of_quarter(inner.c.day, asked).label("day")
        outer = [
            _joined(key, inner.c[f"of_{place}"], kinds[value])
            for place, (value, key) in enumerate(names)
        ]
        query = select(day, inner.c.split, func.sum(inner.c.held), *outer)
        query = query.group_by(day, inner.c.split)
    by_split: dict[Any, list[tuple[Any, ...]]] = {} if asked.split else {None: []}
    counts: dict[Any, int] = {}
    known: Any
    told: Any
    for at, key, held, *rest in source.run(query):
        if type(at) is date and number_of is _ordinal:
            known, told = at.toordinal(), at
        else:
            known = None if at is None else number_of(at)
            if isinstance(known, str):
                source.check_days(asked.column, at)
            is_day = number_of is _ordinal and known is not None
            told = date.fromordinal(known) if is_day else known
        counts[told] = counts.get(told, 0) + int(held)
        if known is not None:
            by_split.setdefault(key, []).append((known, int(held), *rest))
    cells = {}
    for key, rows in by_split.items():
        lists = list(zip(*rows, strict=True)) or [()] * (2 + len(names))
        valued: dict[str, dict[str, list[Any]]] = {}
        for (value, name), column in zip(names, lists[2:], strict=True):
            kind = "int" if name in ("values", "nans") else kinds[value]
            valued.setdefault(value, {})[name] = _plain(column, kind)
        cells[key] = cells_from(lists[0], lists[1], valued)
    return Gathered(cells, counts)


def day_number(value: Any) -> int:
    """The day number of a day as an engine gives it: a date, a time, or ISO 8601 text."""
    if isinstance(value, date):
        return value.toordinal()
    return date.fromisoformat(str(value)[:10]).toordinal()


def _ordinal(value: Any) -> int | str:
    try:
        return day_number(value)
    except ValueError:
        return str(value)


def _aggregate(key: str, source: Relation, name: str, kind: str) -> ColumnElement[Any]:
    if key == "nans":
        found = nans_of(source, name, kind)
        assert found is not None
        return found
    value = number_of_column(source, name, kind)
    if key == "values":
        return func.count(value)
    if key == "total":
        return Primitive("sum_of_floats", value, Double()) if kind == "float" else func.sum(value)
    return func.min(value) if key == "low" else func.max(value)


def _joined(key: str, column: Any, kind: str) -> ColumnElement[Any]:
    """An aggregate of quarters as one of days."""
    if key in ("low", "high"):
        return func.min(column) if key == "low" else func.max(column)
    if kind == "float" and key == "total":
        return Primitive("sum_of_floats", column, Double())
    return func.sum(column)


def _keeps_to_quarters(asked: AskedColumn, ranges: Sequence[Range] | None) -> bool:
    """Whether instants may be gathered by the quarter: all offsets are whole ones, and so is the
    time at which days start."""
    if not asked.column.held.is_instant or not engine_named(asked.source.dialect_name).microseconds:
        return False
    if asked.tz is None or asked.source.day_starts % timedelta(minutes=15):
        return False
    if ranges is None:
        value = asked.source.value(asked.column.name)
        days = [cast(func.timezone("UTC", one(value)), Date) for one in (func.min, func.max)]
        ((first, last),) = asked.source.run(select(*days).select_from(asked.source.rows))
        if not isinstance(first, date) or not isinstance(last, date):
            return False
        ranges = ((first.toordinal(), last.toordinal() + 1),)
    zone = zone_named(asked.tz)
    for start, stop in ranges:
        if start is None or stop is None:
            return False
        for number in range(max(start - 1, 1), min(stop + 1, LAST_DAY)):
            day = date_of(number)
            offset = datetime(day.year, day.month, day.day, 12, tzinfo=UTC).astimezone(zone)
            shift = offset.utcoffset()
            if shift is None or shift.total_seconds() % 900:
                return False
    return True


def _quarter(asked: AskedColumn) -> ColumnElement[Any]:
    """The start of an instant's quarter of an hour, in microseconds since 1970."""
    number = Primitive("microseconds", asked.source.value(asked.column.name), Integer())
    return number - (number % _QUARTER + _QUARTER) % _QUARTER


def _day_of_quarter(number: Any, asked: AskedColumn) -> ColumnElement[Any]:
    assert asked.tz is not None
    moment = Primitive("of_microseconds", number, DateTime(timezone=True))
    minutes = asked.source.day_starts // timedelta(minutes=1)
    return DayOf(moment, "timestamptz", zone_name(asked.tz), minutes)


def _plain(column: Iterable[Any], kind: str) -> list[Any]:
    """Numbers as Python has them: whole ones as int, whatever the engine makes of sums."""
    made = {"int": int, "float": float}.get(kind)
    if made is None:
        return list(column)
    return [made(one) if isinstance(one, Decimal) else one for one in column]


def exact_measure(source: Relation, how: str, name: str | None) -> ColumnElement[Any]:
    """A median or a count of different values; SettingError where an engine has none."""
    assert name is not None
    if how == "distinct":
        return func.count(source.rows.c[name].distinct())
    value = number_of_column(source, name, kind_of(source, name, needed={how}))
    if engine_named(source.dialect_name).median:
        return Primitive("median", value, Double())
    raise SettingError(
        f"{source.dialect_name} has no median; take mean, min or max, or read the data from a file"
    )

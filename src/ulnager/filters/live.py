"""Live conditions: a period as SQL that works out its own bounds, every day anew.

The rules are those of ``core.rules``, the very same functions; only the days are pieces of
SQL here. What an engine cannot work out is an error, never another condition.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, tzinfo
from typing import Any

from sqlalchemy import ColumnElement, Dialect
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.types import Boolean

from ulnager.core.calendars import GREGORIAN, Calendar, MonthCalendar, OfCalendar, date_of
from ulnager.core.definitions import Basis, Defaults, Definition, Kind
from ulnager.core.errors import FilterError
from ulnager.core.units import Unit
from ulnager.core.zones import zone_name
from ulnager.filters.engines import Engine, engine_named
from ulnager.filters.sql import named_column
from ulnager.language.period import Period


class SqlDay:
    """A day as SQL: an expression that gives a date, and days to add to it."""

    __slots__ = ("days", "engine", "text")

    def __init__(self, engine: Engine, text: str, days: int = 0) -> None:
        self.engine = engine
        self.text = text
        self.days = days

    def __add__(self, days: int) -> SqlDay:
        return SqlDay(self.engine, self.text, self.days + days)

    def __sub__(self, days: int) -> SqlDay:
        return self + -days

    def __str__(self) -> str:
        if not self.days:
            return self.text
        return filled(self.engine, "add_days", x=self.text, n=self.days)

    def __eq__(self, other: object) -> Any:
        return SqlTruth(f"{self} = {other}")

    def __le__(self, other: object) -> SqlTruth:
        return SqlTruth(f"{self} <= {other}")

    def __lt__(self, other: object) -> SqlTruth:
        return SqlTruth(f"{self} < {other}")

    __hash__ = None  # type: ignore[assignment]


class SqlTruth:
    """A comparison as SQL."""

    def __init__(self, text: str) -> None:
        self.text = text

    def __and__(self, other: SqlTruth) -> SqlTruth:
        return SqlTruth(f"{self.text} AND {other.text}")

    def all(self) -> bool:
        """What must hold is checked before, by ``_check``: SQL has nobody to tell."""
        return True


def filled(engine: Engine, primitive: str, **values: Any) -> str:
    """A primitive with its values; SQLite's modifiers of a date are put into one call."""
    template: str = getattr(engine, primitive)
    inner = values.get("x", "")
    if (
        engine.name == "sqlite"
        and template.startswith("date({x}, '")
        and template.count("{x}") == 1
        and inner.startswith("date(")
        and inner.endswith(")")
    ):
        template = inner[:-1] + template.removeprefix("date({x}")
    text: str = template.format(**values)
    return text


class SqlArithmetic(OfCalendar):
    """A month calendar's answers as SQL; see ``core.calendars.Arithmetic``."""

    def __init__(self, calendar: MonthCalendar, engine: Engine) -> None:
        super().__init__(calendar)
        self.months: MonthCalendar = calendar
        self.engine = engine

    def day(self, day: Any) -> SqlDay:
        """A day as SQL: itself, or a literal for a day number."""
        if isinstance(day, SqlDay):
            return day
        return SqlDay(self.engine, self.engine.literal.format(x=date_of(day)))

    def _sql(self, primitive: str, day: Any, **values: Any) -> SqlDay:
        return SqlDay(self.engine, filled(self.engine, primitive, x=str(self.day(day)), **values))

    def _cannot(self, unit: Unit) -> FilterError:
        return FilterError(
            f"{unit.plural} cannot be worked out in SQL; filter with frozen dates, or join the "
            "date table that 'ulnager calendar' writes"
        )

    def unit_start(self, day: Any, unit: Unit) -> Any:
        if unit is Unit.DAY:
            return day
        if unit is Unit.WEEK:
            return self._sql("week_start", day, w=self.months.first_weekday)
        if not unit.months:
            raise self._cannot(unit)
        inside = self.day(day) - self.months.days_before_month
        if unit is Unit.MONTH:
            start = self._sql("month_start", inside)
        else:
            first = self.months.first_month % unit.months
            start = self._sql("months_start", inside, k=first, m=unit.months)
        return start + self.months.days_before_month

    def unit_stop(self, day: Any, unit: Unit) -> Any:
        return self.move_start(self.unit_start(day, unit), unit, 1)

    def move_start(self, start: Any, unit: Unit, count: int) -> Any:
        lead = self.months.days_before_month
        return self._moved("add_months_first", start, unit, count, lead, self.calendar.move_start)

    def move_day(self, day: Any, unit: Unit, count: int) -> Any:
        return self._moved("add_months", day, unit, count, 0, self.calendar.move_day)

    def _moved(
        self,
        primitive: str,
        day: Any,
        unit: Unit,
        count: int,
        lead: int,
        fixed: Callable[[int, Unit, int], int],
    ) -> Any:
        """A day moved by a primitive for months; ``fixed`` moves the day number of a fixed date."""
        if unit is Unit.DAY or unit is Unit.WEEK:
            return day + unit.days * count
        if not unit.months:
            raise self._cannot(unit)
        if not isinstance(day, SqlDay):
            return fixed(day, unit, count)
        months = unit.months * count
        return self._sql(primitive, day - lead, n=months, n1=months + 1) + lead

    def settled(self, day: Any, unit: Unit) -> Any:
        if unit is Unit.BUSINESS_DAY:
            raise self._cannot(unit)
        return day

    def choose(self, is_so: SqlTruth, yes: Any, no: Any) -> Any:
        yes, no = self.day(yes), self.day(no)
        return SqlDay(self.engine, f"CASE WHEN {is_so.text} THEN {yes} ELSE {no} END")

    def on_weekday(self, day: Any, weekday: int) -> Any:
        return self._sql("week_start", day + 6, w=weekday)

    def later(self, one: Any, two: Any) -> Any:
        return self._of_two("later", one, two)

    def earlier(self, one: Any, two: Any) -> Any:
        return self._of_two("earlier", one, two)

    def _of_two(self, primitive: str, one: Any, two: Any) -> Any:
        if one is None or two is None:
            return two if one is None else one
        return self._sql(primitive, one, y=str(self.day(two)))

    def like(self, calendar: Calendar) -> SqlArithmetic:
        return SqlArithmetic(_month_calendar(calendar), self.engine)


class _SqlExtent:
    """The dates of a column of a table, as SQL."""

    def __init__(self, engine: Engine, column: str, table: str) -> None:
        self.engine = engine
        self.column = column
        self.table = table
        self.last_whole = None

    @property
    def first(self) -> Any:
        return _Deferred(self, "min")

    @property
    def last(self) -> Any:
        return _Deferred(self, "max")


class _Deferred:
    """Stands for a date where the rules ask for its day number."""

    def __init__(self, extent: _SqlExtent, which: str) -> None:
        self.extent = extent
        self.which = which

    def toordinal(self) -> SqlDay:
        found = self.extent
        value = f"(SELECT {self.which}({found.column}) FROM {found.table})"
        return SqlDay(found.engine, found.engine.date_of.format(x=value))


class LiveCondition(ColumnElement[bool]):
    """A condition on a column that an engine works out when it runs; see :func:`live_where`."""

    inherit_cache = False
    type = Boolean()

    def __init__(self, on: ColumnElement[Any], write: Any) -> None:
        self.on = on
        self.write = write


@compiles(LiveCondition)
def _compiled(element: LiveCondition, compiler: SQLCompiler, **options: Any) -> str:
    column = compiler.process(element.on, **options)
    text: str = element.write(column, compiler.dialect)
    return text


def live_where(
    period: Period,
    on: str | ColumnElement[Any],
    *,
    column_type: str = "date",
    tz: str | tzinfo | None = None,
    calendar: Calendar | None = None,
    calendars: Mapping[str, Calendar] | None = None,
    defaults: Defaults | None = None,
    latest: tuple[str, str] | None = None,
    today: date | None = None,
) -> LiveCondition:
    """A condition that moves with the engine's clock, for any SQLAlchemy ``select``.

    ``latest`` is the table (with its schema before a dot if need be) and the column whose dates
    answer for ``latest`` and ``earliest``. ``today`` fixes the clock, to try another day. ``tz`` is
    where today is, and for a column of instants where its days begin.

    Raises FilterError, when it is compiled, for what the engine cannot work out.
    """
    zone = None if tz is None else zone_name(tz)
    if column_type not in ("date", "timestamp", "timestamptz"):
        raise FilterError(
            f"there is no live condition for a column of type {column_type!r}; "
            "choose date, timestamp, timestamptz"
        )
    if column_type == "timestamptz" and zone is None:
        raise FilterError("a column of instants needs tz, where its days begin")
    chosen = _month_calendar(calendar or GREGORIAN)
    _check(period.definition)

    def write(column: str, dialect: Dialect) -> str:
        engine = engine_named(dialect.name)
        arithmetic = SqlArithmetic(chosen, engine)
        clock = _clock(arithmetic, today, zone)
        basis = Basis(arithmetic, clock, True).changed(today=clock)
        if defaults is not None:
            basis.defaults = defaults
        basis.calendars = calendars or basis.calendars
        if latest is not None:
            quote = dialect.identifier_preparer.quote_identifier
            table = ".".join(map(quote, latest[0].split(".")))
            extent: Any = _SqlExtent(engine, quote(latest[1]), table)
            basis.data = extent
        start, stop = period.definition.span(basis)
        sides = [
            f"{column} {sign} {_bound(arithmetic, side, column_type, zone)}"
            for sign, side in ((">=", start), ("<", stop))
            if side is not None
        ]
        return " AND ".join(sides) or f"{column} IS NOT NULL"

    return LiveCondition(named_column(on), write)


def _month_calendar(calendar: Calendar) -> MonthCalendar:
    if not isinstance(calendar, MonthCalendar):
        raise FilterError(
            f"a calendar of {calendar.kind} cannot be worked out in SQL; filter with frozen dates, "
            "or join the date table that 'ulnager calendar' writes"
        )
    return calendar


def _clock(arithmetic: SqlArithmetic, today: date | None, zone: str | None) -> SqlDay:
    engine = arithmetic.engine
    if today is not None:
        return arithmetic.day(today.toordinal())
    if zone is None:
        return SqlDay(engine, engine.today)
    if not engine.today_in:
        raise FilterError(
            f"{engine.name} cannot be relied on for the date in {zone}; leave tz out and run the "
            "server in that zone, or filter with frozen dates"
        )
    return SqlDay(engine, engine.today_in.format(tz=zone))


def _bound(arithmetic: SqlArithmetic, day: Any, column_type: str, zone: str | None) -> str:
    text = str(arithmetic.day(day))
    if column_type != "timestamptz":
        return text
    if not arithmetic.engine.midnight:
        raise FilterError(
            f"{arithmetic.engine.name} has no instants with a zone; filter with frozen dates"
        )
    return arithmetic.engine.midnight.format(x=text, tz=zone)


def _check(definition: Definition) -> None:
    """FilterError for what SQL could not tell to be wrong."""
    if definition.is_sub_day:
        raise FilterError("hours, minutes and seconds have no live condition; freeze the dates")
    for part in definition.walk():
        if part.rule.key == "labelled":
            raise FilterError(f"{part} is a fixed unit of a calendar; filter with frozen dates")
        if part.rule.key != "ordinal_day":
            continue
        ordinal, name, inside = part.args
        most = 4 if name.weekday is not None else 28
        in_months = inside.rule.kind is Kind.SPAN and inside.unit is not None and inside.unit.months
        if not in_months or ordinal.number > most:
            raise FilterError(
                f"'{part}' may not be there, which SQL cannot say; filter with frozen dates"
            )

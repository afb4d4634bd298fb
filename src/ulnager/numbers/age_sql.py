"""Ages as SQL: one expression that each engine is given in its own words."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, timedelta
from typing import Any, Final, Unpack

from sqlalchemy import BigInteger, ColumnElement
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import FunctionElement

from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN, MonthCalendar
from ulnager.core.errors import FilterError, SettingError
from ulnager.core.language.phrase import Settings, period
from ulnager.core.periods.clock import time_after_midnight
from ulnager.core.units import Unit
from ulnager.filters.engines import engine_named
from ulnager.filters.engines.engine import Engine, filled
from ulnager.filters.primitives import day_of
from ulnager.filters.sql_text import named_column
from ulnager.filters.sql_values import literal_day

_TYPES: Final = ("date", "timestamp")


@checked(
    options=Settings,
    unit=Wanted((str, Unit), "a unit such as 'day'"),
    calendar=Wanted((Calendar, type(None)), "a calendar"),
    column_type=Wanted((str,), "'date' or 'timestamp'"),
    date_table=Wanted((str, type(None)), "the name of a date table"),
    until=Wanted((object,), "a column"),
)
def age(
    since: str | ColumnElement[Any],
    until: str | ColumnElement[Any] | None = None,
    *,
    unit: str | Unit = "day",
    live: bool = False,
    column_type: str = "date",
    date_table: str | None = None,
    **when: Unpack[Settings],
) -> ColumnElement[Any]:
    """The age of a row as an expression of SQLAlchemy; see :func:`ulnager.ages` for what it is.

    ``since`` and ``until`` are names of columns, or columns, of dates or local timestamps
    (``column_type``). Open rows are measured to the anchor (today, or ``as_of=``), or where
    ``live`` to the engine's own current date. Rows that begin after it, end before they begin, or
    have no date to begin with have no age: null. Business days are counted in a ``date_table``,
    which ``ulnager calendar`` writes. Text for an engine is :func:`ulnager.condition` of it.

    >>> from ulnager import condition
    >>> weeks = age("raised_on", unit="week", as_of="2026-05-20")
    >>> print(condition(weeks, target="duckdb", literal=True))
    CASE WHEN "raised_on" <= DATE '2026-05-20' THEN ((DATE '2026-05-20' - "raised_on") // 7) END

    Raises FilterError for a unit that SQL cannot count without a table, SettingError for hours.
    """
    used = when.get("calendar") or GREGORIAN
    known = used.unit_named(unit)
    if known.microseconds:
        raise SettingError(f"ages are counted in days and longer units, not in {known.plural}")
    if column_type not in _TYPES:
        raise FilterError(f"column_type is {column_type!r}; choose {' or '.join(_TYPES)}")
    if known is Unit.BUSINESS_DAY:
        if date_table is None:
            raise FilterError(
                "business days need a date table that 'ulnager calendar' writes; name it as "
                "date_table"
            )
    elif not known.days and not (known.months and isinstance(used, MonthCalendar)):
        raise FilterError(
            f"SQL has no formula for a {known} of this calendar; take ulnager.with_ages, or ages"
        )
    anchor = None
    if not live:
        anchor = period("anchor day").resolve(**when).start
        assert anchor is not None
    elif clock := [name for name in when if name != "calendar"]:
        raise SettingError(
            f"live ages are as of the engine's own date; leave {', '.join(clock)} out"
        )
    after = time_after_midnight(when.get("day_starts", "00:00"))
    if after % timedelta(hours=1) and column_type == "timestamp":
        raise FilterError("days of timestamps begin at a full hour in SQL: day_starts='04:00'")
    clauses = [named_column(one) for one in (since, until) if one is not None]
    return AgeOf(clauses, known, anchor, column_type, date_table, after // timedelta(minutes=1))


class AgeOf(FunctionElement[Any]):
    """An age; it is written when an engine is known."""

    inherit_cache = False
    type = BigInteger()

    def __init__(
        self,
        clauses: list[ColumnElement[Any]],
        unit: Unit,
        anchor: date | None,
        column_type: str,
        table: str | None,
        minutes: int = 0,
    ) -> None:
        super().__init__(*clauses)
        self.minutes = minutes
        self.unit, self.anchor = unit, anchor
        self.column_type, self.table = column_type, table


@compiles(AgeOf)
def _age_of(element: AgeOf, compiler: SQLCompiler, **options: Any) -> str:
    engine = engine_named(compiler.dialect.name)
    columns = [compiler.process(one, **options) for one in element.clauses]
    columns = [day_of(engine, one, element.column_type, None, element.minutes) for one in columns]
    day = element.anchor
    to = engine.today if day is None else str(literal_day(engine, day.toordinal()))
    start, stop = columns[0], columns[1] if len(columns) > 1 else None
    is_there = f"{start} <= {to}"
    end = to
    if stop is not None:
        end = f"CASE WHEN {stop} < {to} THEN {stop} ELSE {to} END"
        is_there += f" AND ({stop} IS NULL OR {stop} >= {start})"
    quote = compiler.preparer.quote_identifier
    if element.unit is Unit.BUSINESS_DAY:
        counted = _business_days(element, start, stop, to, quote)
    else:
        counted = _counted(engine, element.unit, start, end)
    return f"CASE WHEN {is_there} THEN {counted} END"


def _business_days(
    element: AgeOf, start: str, stop: str | None, to: str, quote: Callable[[str], str]
) -> str:
    name = ".".join(quote(part) for part in (element.table or "").split("."))
    index, day = quote("business_day_index"), quote("date")

    def position(of: str) -> str:
        # An aggregate, which is what Spark wants of a lookup for each row.
        return f"(SELECT max({index}) FROM {name} WHERE {day} = {of})"

    end = position(to)
    if stop is not None:
        # Two lookups, since ClickHouse finds nothing by a day that hangs on a missing one.
        end = f"CASE WHEN {stop} < {to} THEN {position(stop)} ELSE {end} END"
    return f"({end} - {position(start)})"


def _counted(engine: Engine, unit: Unit, start: str, end: str) -> str:
    end = end if " " not in end or end.startswith("DATE ") else f"({end})"
    if unit.days:
        days = filled(engine, "days_between", x=end, y=start)
        return days if unit.days == 1 else _divided(engine, days, unit.days)

    def parts(of: str) -> list[str]:
        names = ("year_of", "month_of", "day_in_month")
        return [filled(engine, one, x=of) for one in names]

    (year, month, day), (since_year, since_month, since_day) = map(parts, (end, start))
    # A day of the month that comes later is not reached yet, however short the month of the start.
    months = (
        f"(({year} - {since_year}) * 12 + {month} - {since_month} - "
        f"CASE WHEN {day} < {since_day} THEN 1 ELSE 0 END)"
    )
    return months if unit.months == 1 else _divided(engine, months, unit.months)


def _divided(engine: Engine, number: str, by: int) -> str:
    return filled(engine, "divided", x=number, n=by)

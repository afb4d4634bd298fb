"""Days off and calendars from files: CSV, Parquet, iCalendar, and public holidays by country."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final, TypeGuard

import sqlalchemy as sa

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.table_calendar import TableCalendar, TableRow
from ulnager.core.errors import SettingError, SourceError
from ulnager.sources.duckdb_text import quoted
from ulnager.sources.guard import check_plain, limits_now, opened_at, small_file
from ulnager.sources.source import Relation

if TYPE_CHECKING:
    from ulnager.sources.file_source import FileSource


YEARS: Final = (1990, 2060)
"""The years for which yearly rules and countries give holidays, unless told otherwise."""


def holidays_from_file(
    path: str | Path | Relation, years: tuple[int, int] = YEARS, *, within: Path | None = None
) -> tuple[date, ...]:
    """The holidays in a file, in order: an iCalendar file (.ics), or a CSV or Parquet file; or in
    a source that is open, such as a table of a database.

    Of an iCalendar file all-day events count, each of their days, and yearly rules (RFC 5545,
    3.8.5.3) in ``years``, both ends in. Of a table its only date column counts, or the one
    named ``date``. Raises SourceError when the file cannot be read or holds no day.
    """
    if not isinstance(path, Relation) and str(path).lower().endswith(".ics"):
        found = _from_ics(Path(path), years, within)
    else:
        source = _opened(path, within)
        path = source.name
        named = [c.name for c in source.date_columns if c.name.lower() == "date"]
        column = source.column(named[0] if named else None)
        counts = source.counts(column, "UTC" if column.held.is_instant else None)
        found = {day for day in counts if day}
    if not found:
        raise SourceError(f"{path} holds no holiday; all-day events or a column of dates count")
    return tuple(sorted(found))


def _from_ics(path: Path, years: tuple[int, int], within: Path | None) -> set[date]:
    try:
        from icalendar import Calendar as Events
    except ImportError:
        raise SourceError(
            'reading .ics files needs the package icalendar: pip install "ulnager[calendars]"'
        ) from None
    at = opened_at(path, within)
    if within is not None:
        check_plain(at)
    held = small_file(at, limits_now().holidays, "a file of holidays")
    try:
        events = Events.from_ical(held).walk("VEVENT")
    except (ValueError, IndexError, KeyError, TypeError, RecursionError) as error:
        raise SourceError(f"{path} is no iCalendar file: {str(error)[:200]}") from None
    found: set[date] = set()
    left = limits_now().rule_days
    for event in events:
        start = event.get("DTSTART")
        day = getattr(start, "dt", None)
        if not isinstance(day, date) or isinstance(day, datetime):
            continue
        length = _length(path, event, day)
        begins = [datetime(day.year, day.month, day.day)]
        for rule in _listed(event.get("RRULE")):
            begins, took = _repeated(path, event, rule, begins[0], years)
            left -= took
            if left < 0:
                raise SourceError(
                    f"{path}: its rules go through more than {limits_now().rule_days:,} days; "
                    "begin them later, or raise the limit rule_days (docs/security.md)"
                )
        for begin in begins:
            first = begin.toordinal()
            last = min(first + length, date.max.toordinal() + 1)
            found.update(date.fromordinal(one) for one in range(first, last))
    return found


def _listed(found: Any) -> list[Any]:
    return [] if found is None else found if isinstance(found, list) else [found]


def _length(path: Path, event: Any, start: date) -> int:
    """How many days an event has; it ends on the day after its last one."""
    end = getattr(event.get("DTEND"), "dt", None)
    if not isinstance(end, date) or isinstance(end, datetime):
        return 1
    length = max(1, (end - start).days)
    if length > limits_now().event_days:
        raise SourceError(
            f"{path}: the event of {start} has {length:,} days, and at most "
            f"{limits_now().event_days:,} are days off; mend its end, or raise the limit "
            "event_days (docs/security.md)"
        )
    return length


_IN_A_YEAR: Final = {"DAILY": 365, "WEEKLY": 52, "MONTHLY": 12, "YEARLY": 1}
_DAYS_OF: Final = {"DAILY": 1, "WEEKLY": 2, "MONTHLY": 6, "YEARLY": 15}
"""So many days cost one step of a rule; the rest are passed over in larger steps."""


def _repeated(
    path: Path, event: Any, rule: Any, begin: datetime, years: tuple[int, int]
) -> tuple[list[datetime], int]:
    """The days on which a repeated event begins in these years, and how much had to be gone
    through for that. A rule of days has no times in it (RFC 5545, 3.3.10)."""
    from dateutil.rrule import rruleset, rrulestr

    text = rule.to_ical().decode()
    parts = {name.upper(): value for name, value in rule.items()}
    every = str(next(iter(_listed(parts.get("FREQ"))), "")).upper()
    timed = [one for one in ("BYHOUR", "BYMINUTE", "BYSECOND") if one in parts]
    steps = [one for one in _listed(parts.get("INTERVAL")) if not 0 < int(one) < 10_000]
    if every not in _DAYS_OF or timed or steps:
        raise SourceError(
            f"{path}: the rule {text[:80]} is none for days off; they come back every so many "
            "days, weeks, months or years (FREQ=YEARLY), at no time of the day"
        )
    until = _listed(parts.get("UNTIL"))
    last = until[0].year if until else begin.year
    many = sum(int(one) for one in _listed(parts.get("COUNT"))) // _IN_A_YEAR[every]
    most = limits_now().rule_years
    if max(last - begin.year, many) > most or begin.year < years[0] - most:
        raise SourceError(
            f"{path}: the rule {text[:80]} from {begin.date()} goes over more than {most} years; "
            "mend its start or its end, or raise the limit rule_years (docs/security.md)"
        )
    low, high = datetime(years[0], 1, 1), datetime(years[1], 12, 31)
    took = max(0, (high - begin).days) // _DAYS_OF[every] + 1
    if took > limits_now().rule_days:
        return [], took
    try:
        made = rrulestr(text, dtstart=begin, ignoretz=True)
        # Beyond that nobody looks; a rule that never comes true would be gone through to the end.
        made._until = min(high, made._until or high)
        repeated = rruleset()
        repeated.rrule(made)
        for skipped in _excluded(event):
            repeated.exdate(skipped)
        return repeated.between(low, high, inc=True), took
    except (ValueError, TypeError, OverflowError) as error:
        raise SourceError(f"{path}: the rule {text[:80]} cannot be read: {error}") from None


def _excluded(event: Any) -> Iterable[datetime]:
    """The days that a repeated event leaves out."""
    for group in _listed(event.get("EXDATE")):
        for item in group.dts:
            yield datetime(item.dt.year, item.dt.month, item.dt.day)


def holidays_of(
    country: str, region: str | None = None, years: tuple[int, int] = YEARS
) -> tuple[date, ...]:
    """The public holidays of a country, by its ISO 3166 code, from the package ``holidays``.

    Raises SettingError for a country or region that the package does not know.
    """
    try:
        import holidays
    except ImportError:
        raise SettingError(
            'holidays of a country need the package holidays: pip install "ulnager[calendars]"'
        ) from None
    span = range(years[0], years[1] + 1)
    try:
        return tuple(sorted(holidays.country_holidays(country, subdiv=region, years=span)))
    except (NotImplementedError, KeyError):
        where = f"{country}, {region}" if region else country
        raise SettingError(
            f"there are no holidays for {where!r}; give an ISO 3166 code such as 'GB', and a "
            "region of it such as 'SCT'"
        ) from None


def calendar_from_file(
    path: str | Path | Relation, base: Calendar = GREGORIAN, *, within: Path | None = None
) -> TableCalendar:
    """The calendar that a CSV or Parquet file lists, a unit a row; or a source that is open, such
    as a table of a database.

    Its columns are ``unit`` and ``start``, and if need be ``end`` and ``label``.

    Raises SourceError, naming the file and the row, when it cannot be read or has gaps,
    overlaps, disorder or labels that occur twice.
    """
    source = _opened(path, within)
    path = source.name
    columns = {column.name.lower(): column for column in source.columns}
    for needed in ("unit", "start"):
        if needed not in columns:
            held = ", ".join(column.name for column in source.columns)
            raise SourceError(f"{path}: there is no column {needed!r} among {held}")
    for name in ("start", "end"):
        if name in columns and columns[name].column_type != "date":
            raise SourceError(
                f"{path}: column {name!r} holds {columns[name].engine_type}; give dates "
                f"such as 2026-01-05{_first_bad_row(source, columns[name].name)}"
            )
    wanted = [
        source.value(columns[name].name) if name in columns else sa.null()
        for name in TableRow._fields
    ]
    statement = sa.select(*(one.label(f"c{n}") for n, one in enumerate(wanted)))
    if not _is_file(source):
        # The rows of a table have no order of their own.
        statement = statement.order_by(source.value(columns["start"].name))
    rows = source.run(statement.select_from(source.rows))
    try:
        return TableCalendar(rows, base)
    except SettingError as error:
        raise SourceError(f"{path}: {error}") from None


def _opened(path: Any, within: Path | None) -> Relation:
    # The engine is needed for files only.
    from ulnager.sources.file_source import FileSource

    return path if isinstance(path, Relation) else FileSource(path, within=within)


def _is_file(source: Relation) -> TypeGuard[FileSource]:
    from ulnager.sources.file_source import FileSource

    return isinstance(source, FileSource)


def _first_bad_row(source: Relation, name: str) -> str:
    if not _is_file(source):
        return ""
    found = source.query(
        f"""SELECT number, value FROM (
            SELECT row_number() OVER () AS number, {quoted(name)}::VARCHAR AS value FROM data
        ) WHERE TRY_CAST(value AS DATE) IS NULL LIMIT 1"""
    )
    return f"; row {found[0][0]} has {found[0][1]!r}" if found else ""

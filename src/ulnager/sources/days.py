"""Days off and calendars from files: CSV, Parquet, iCalendar, and public holidays by country."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime
from pathlib import Path
from typing import Any, Final

from ulnager.core.calendars.base import Calendar
from ulnager.core.calendars.months import GREGORIAN
from ulnager.core.calendars.tables import TableCalendar, TableRow
from ulnager.core.errors import SettingError, SourceError
from ulnager.sources.embedded import quoted
from ulnager.sources.files import FileSource

YEARS: Final = (1990, 2060)
"""The years for which yearly rules and countries give holidays, unless told otherwise."""


def holidays_from_file(path: str | Path, years: tuple[int, int] = YEARS) -> tuple[date, ...]:
    """The holidays in a file, in order: an iCalendar file (.ics), or a CSV or Parquet file.

    Of an iCalendar file all-day events count, each of their days, and yearly rules (RFC 5545,
    3.8.5.3) in ``years``, both ends in. Of a table its only date column counts, or the one
    named ``date``. Raises SourceError when the file cannot be read or holds no day.
    """
    if str(path).lower().endswith(".ics"):
        found = _from_ics(Path(path), years)
    else:
        source = FileSource(path)
        named = [c.name for c in source.date_columns if c.name.lower() == "date"]
        column = source.column(named[0] if named else None)
        name = quoted(column.name)
        found = {day for (day,) in source.query(f"SELECT DISTINCT {name}::DATE FROM data") if day}
    if not found:
        raise SourceError(f"{path} holds no holiday; all-day events or a column of dates count")
    return tuple(sorted(found))


def _from_ics(path: Path, years: tuple[int, int]) -> set[date]:
    try:
        from icalendar import Calendar as Events
    except ImportError:
        raise SourceError(
            "reading .ics files needs the package icalendar: pip install 'ulnager[all]'"
        ) from None
    from dateutil.rrule import rruleset, rrulestr

    try:
        events = Events.from_ical(path.read_bytes())
    except OSError as error:
        raise SourceError(f"{path} cannot be read: {error.strerror}") from None
    except (ValueError, IndexError) as error:
        raise SourceError(f"{path} is no iCalendar file: {error}") from None
    found: set[date] = set()
    low, high = datetime(years[0], 1, 1), datetime(years[1], 12, 31)
    for event in events.walk("VEVENT"):
        start = event.get("DTSTART")
        if start is None or isinstance(start.dt, datetime):
            continue
        end = event.get("DTEND")
        # An all-day event ends on the day after its last one.
        length = max(1, (end.dt - start.dt).days) if end is not None else 1
        begins = [datetime(start.dt.year, start.dt.month, start.dt.day)]
        rule = event.get("RRULE")
        if rule is not None:
            repeated = rruleset()
            text = rule.to_ical().decode()
            try:
                repeated.rrule(rrulestr(text, dtstart=begins[0], ignoretz=True))
            except ValueError as error:
                raise SourceError(f"{path}: the rule {text} cannot be read: {error}") from None
            for skipped in _excluded(event):
                repeated.exdate(skipped)
            begins = repeated.between(low, high, inc=True)
        for begin in begins:
            first = begin.toordinal()
            found.update(date.fromordinal(first + n) for n in range(length))
    return found


def _excluded(event: Any) -> Iterable[datetime]:
    """The days that a repeated event leaves out."""
    listed = event.get("EXDATE", [])
    for group in listed if isinstance(listed, list) else [listed]:
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
            "holidays of a country need the package holidays: pip install 'ulnager[all]'"
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


def calendar_from_file(path: str | Path, base: Calendar = GREGORIAN) -> TableCalendar:
    """The calendar that a CSV or Parquet file lists, a unit a row.

    Its columns are ``unit`` and ``start``, and if need be ``end`` and ``label``.

    Raises SourceError, naming the file and the row, when it cannot be read or has gaps,
    overlaps, disorder or labels that occur twice.
    """
    source = FileSource(path)
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
    wanted = [quoted(columns[n].name) if n in columns else "NULL" for n in TableRow._fields]
    rows = source.query(f"SELECT {', '.join(wanted)} FROM data")
    try:
        return TableCalendar(rows, base)
    except SettingError as error:
        raise SourceError(f"{path}: {error}") from None


def _first_bad_row(source: FileSource, name: str) -> str:
    found = source.query(
        f"""SELECT number, value FROM (
            SELECT row_number() OVER () AS number, {quoted(name)}::VARCHAR AS value FROM data
        ) WHERE TRY_CAST(value AS DATE) IS NULL LIMIT 1"""
    )
    return f"; row {found[0][0]} has {found[0][1]!r}" if found else ""

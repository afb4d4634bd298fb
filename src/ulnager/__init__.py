"""Relative and rolling date periods for dashboards: defined once, exact everywhere.

>>> import ulnager
>>> ulnager.period("last 3 whole months").resolve(today="2026-06-13").label
'1 Mar to 31 May 2026'
"""

from datetime import datetime
from typing import TYPE_CHECKING

from ulnager.core.calendars.base import Calendar
from ulnager.core.calendars.between import business_days_between
from ulnager.core.calendars.business import BusinessDays
from ulnager.core.calendars.months import GREGORIAN, MonthCalendar
from ulnager.core.calendars.tables import TableCalendar, TableRow
from ulnager.core.calendars.weeks import WeekCalendar
from ulnager.core.errors import (
    BookError,
    FilterError,
    PeriodSyntaxError,
    ResolveError,
    SettingError,
    SourceError,
    UlnagerError,
)
from ulnager.core.language.period import Period, period
from ulnager.core.periods.anchors import Anchor, Defaults, Extent
from ulnager.core.periods.buckets import Bucket
from ulnager.core.periods.clock import set_data_reader, set_reader
from ulnager.core.periods.resolution import InstantResolution, Resolution
from ulnager.core.periods.spans import Span
from ulnager.core.units import Unit, own_unit

set_reader(lambda zone: datetime.now(zone).astimezone(zone))


def _extent_in(data: object) -> Extent:
    from ulnager.sources.profile import extent_in

    return extent_in(data)


set_data_reader(_extent_in)

if TYPE_CHECKING:
    from ulnager.book.book import Book
    from ulnager.book.reading import read_book
    from ulnager.core.periods.datetable import date_table
    from ulnager.filters.conditions import condition, where
    from ulnager.filters.frames import keep_each
    from ulnager.filters.live import live_where
    from ulnager.filters.sql import Condition, sql_text
    from ulnager.filters.standards import cql2, cql2_json, odata
    from ulnager.sources.files import FileSource
    from ulnager.sources.keeping import keep
    from ulnager.sources.kept import Kept
    from ulnager.sources.opening import open_source
    from ulnager.sources.preview import Preview, preview
    from ulnager.sources.profile import Profile, profile

# These need packages that take long to import, so each is fetched when it is first used.
_FETCHED = {
    "Book": "book.book",
    "Condition": "filters.sql",
    "FileSource": "sources.files",
    "Preview": "sources.preview",
    "Profile": "sources.profile",
    "date_table": "core.periods.datetable",
    "profile": "sources.profile",
    "condition": "filters.conditions",
    "Kept": "sources.kept",
    "keep": "sources.keeping",
    "keep_each": "filters.frames",
    "live_where": "filters.live",
    "cql2": "filters.standards",
    "cql2_json": "filters.standards",
    "odata": "filters.standards",
    "open_source": "sources.opening",
    "preview": "sources.preview",
    "read_book": "book.reading",
    "sql_text": "filters.sql",
    "where": "filters.conditions",
}


def __getattr__(name: str) -> object:
    module = _FETCHED.get(name)
    if module is None:
        raise AttributeError(f"module 'ulnager' has no attribute {name!r}")
    from importlib import import_module

    found: object = getattr(import_module(f"ulnager.{module}"), name)
    globals()[name] = found
    return found


def __dir__() -> list[str]:
    return sorted({*globals(), *_FETCHED})


__version__ = "0.1.0"

__all__ = [
    "GREGORIAN",
    "Anchor",
    "Book",
    "BookError",
    "Bucket",
    "BusinessDays",
    "Calendar",
    "Condition",
    "Defaults",
    "Extent",
    "FileSource",
    "FilterError",
    "InstantResolution",
    "Kept",
    "MonthCalendar",
    "Period",
    "PeriodSyntaxError",
    "Preview",
    "Profile",
    "Resolution",
    "ResolveError",
    "SettingError",
    "SourceError",
    "Span",
    "TableCalendar",
    "TableRow",
    "UlnagerError",
    "Unit",
    "WeekCalendar",
    "business_days_between",
    "condition",
    "cql2",
    "cql2_json",
    "date_table",
    "keep",
    "keep_each",
    "live_where",
    "odata",
    "open_source",
    "own_unit",
    "period",
    "preview",
    "profile",
    "read_book",
    "sql_text",
    "where",
]

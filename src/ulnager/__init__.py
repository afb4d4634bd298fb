"""Relative and rolling date periods for dashboards: defined once, exact everywhere.

>>> import ulnager
>>> ulnager.period("last 3 whole months").resolve(today="2026-06-13").label
'1 Mar to 31 May 2026'

In the order of the work:

1. ``open_source`` and ``profile``: what dates the data holds, and how far it is loaded;
2. ``period``: a phrase; its ``readings`` and its dates, ``resolve``;
3. ``MonthCalendar``, ``WeekCalendar``, ``TableCalendar``, ``BusinessDays``: how the calendar runs;
4. ``condition`` as text, ``where`` for SQLAlchemy, ``keep`` for frames: the filter;
5. ``preview``: which rows come out, and which are left on each side;
6. ``totals``, ``running``, ``ages``: numbers by period;
7. ``read_book``: periods, pickers and pages under names; ``book.picker(name).open()`` is a view;
8. ``check``, ``check_sql``, ``recognise``, ``rehearse``: what is wrong, and what will be;
9. ``service``: a book over HTTP; ``bind``: a picker or a page in a dashboard framework.

Calls that read data take the data, then the period, then the column; the others the period, then
the column.
"""

from typing import TYPE_CHECKING

from ulnager.core.errors import (
    BookError,
    FilterError,
    PeriodSyntaxError,
    ResolveError,
    SettingError,
    SourceError,
    UlnagerError,
)
from ulnager.core.outside import surround
from ulnager.surroundings import Surroundings

surround(Surroundings())

if TYPE_CHECKING:
    from ulnager import bind as bind
    from ulnager.book.book import Book
    from ulnager.book.book_reader import read_book
    from ulnager.book.json_schemas import schema
    from ulnager.book.phrase_completion import complete
    from ulnager.checking.check_book import check
    from ulnager.checking.check_sql import check_sql
    from ulnager.checking.findings import Finding
    from ulnager.checking.recognising import recognise
    from ulnager.checking.rehearsing import rehearse
    from ulnager.choices.pages import OpenedPage, Page
    from ulnager.choices.picker import Picker
    from ulnager.choices.view import View
    from ulnager.core.calendars.between import business_days_between
    from ulnager.core.calendars.business import BusinessDays
    from ulnager.core.calendars.calendar import Calendar
    from ulnager.core.calendars.month_calendar import GREGORIAN, MonthCalendar
    from ulnager.core.calendars.table_calendar import TableCalendar
    from ulnager.core.calendars.week_calendar import WeekCalendar
    from ulnager.core.language.inputs import Input
    from ulnager.core.language.open_period import OpenPeriod
    from ulnager.core.language.period import Period
    from ulnager.core.language.phrase import period
    from ulnager.core.periods.anchors import Anchor, Defaults, Extent
    from ulnager.core.periods.buckets import Bucket
    from ulnager.core.periods.date_table import date_table
    from ulnager.core.periods.resolution import InstantResolution, Resolution
    from ulnager.core.periods.spans import Span
    from ulnager.core.units import Unit, own_unit
    from ulnager.filters.conditions import condition, where
    from ulnager.filters.frames import keep_each
    from ulnager.filters.sql_text import Condition
    from ulnager.numbers.age_sql import age
    from ulnager.numbers.ages import ages, with_ages
    from ulnager.numbers.running import running
    from ulnager.numbers.totals import totals
    from ulnager.numbers.totals_rows import Totals
    from ulnager.sources.guard import limits
    from ulnager.sources.keep_rows import keep
    from ulnager.sources.opening import open_source
    from ulnager.sources.preview import Preview, preview
    from ulnager.sources.profile import Profile, profile
    from ulnager.sources.source import Source
    from ulnager.web.service import service

# What takes long to import is fetched when it is first used.
_FETCHED = {
    "BusinessDays": "core.calendars.business",
    "Calendar": "core.calendars.calendar",
    "GREGORIAN": "core.calendars.month_calendar",
    "MonthCalendar": "core.calendars.month_calendar",
    "Period": "core.language.period",
    "period": "core.language.phrase",
    "Anchor": "core.periods.anchors",
    "Defaults": "core.periods.anchors",
    "Extent": "core.periods.anchors",
    "InstantResolution": "core.periods.resolution",
    "Resolution": "core.periods.resolution",
    "Span": "core.periods.spans",
    "Unit": "core.units",
    "own_unit": "core.units",
    "Bucket": "core.periods.buckets",
    "TableCalendar": "core.calendars.table_calendar",
    "WeekCalendar": "core.calendars.week_calendar",
    "business_days_between": "core.calendars.between",
    "Book": "book.book",
    "Condition": "filters.sql_text",
    "Input": "core.language.inputs",
    "OpenPeriod": "core.language.open_period",
    "OpenedPage": "choices.pages",
    "Page": "choices.pages",
    "Picker": "choices.picker",
    "View": "choices.view",
    "Preview": "sources.preview",
    "Profile": "sources.profile",
    "date_table": "core.periods.date_table",
    "Source": "sources.source",
    "profile": "sources.profile",
    "complete": "book.phrase_completion",
    "limits": "sources.guard",
    "condition": "filters.conditions",
    "Kept": "sources.kept",
    "keep": "sources.keep_rows",
    "keep_each": "filters.frames",
    "open_source": "sources.opening",
    "preview": "sources.preview",
    "read_book": "book.book_reader",
    "schema": "book.json_schemas",
    "Ages": "numbers.ages",
    "Running": "numbers.running",
    "Finding": "checking.findings",
    "Findings": "checking.findings",
    "Rehearsal": "checking.rehearsing",
    "check": "checking.check_book",
    "Recognised": "checking.recognising",
    "check_sql": "checking.check_sql",
    "recognise": "checking.recognising",
    "rehearse": "checking.rehearsing",
    "age": "numbers.age_sql",
    "ages": "numbers.ages",
    "with_ages": "numbers.ages",
    "Totals": "numbers.totals_rows",
    "running": "numbers.running",
    "totals": "numbers.totals",
    "where": "filters.conditions",
    "with_codes": "core.messages",
    "service": "web.service",
}


def __getattr__(name: str) -> object:
    module = _FETCHED.get(name)
    from importlib import import_module

    _register()
    if name == "bind":
        return import_module("ulnager.bind")
    old = import_module("ulnager.deprecated")
    if module is None:
        if name in old.GONE:
            return old.gone(name)
        raise AttributeError(f"module 'ulnager' has no attribute {name!r}")
    try:
        found: object = getattr(import_module(f"ulnager.{module}"), name)
    except ModuleNotFoundError as error:
        from ulnager.core.arguments import needed

        raise needed(error) from None
    if name in old.RENAMED:
        found = old.accepting(name, found)
    globals()[name] = found
    return found


def _register() -> None:
    """``frame.ulnager`` for the libraries of frames that are imported already."""
    import sys

    if "pandas" in sys.modules or "polars" in sys.modules:
        from ulnager.accessors import register

        register()


_register()


def __dir__() -> list[str]:
    return [*__all__, "__version__"]


__version__ = "0.3.0"

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
    "FilterError",
    "Finding",
    "Input",
    "InstantResolution",
    "MonthCalendar",
    "OpenPeriod",
    "OpenedPage",
    "Page",
    "Period",
    "PeriodSyntaxError",
    "Picker",
    "Preview",
    "Profile",
    "Resolution",
    "ResolveError",
    "SettingError",
    "Source",
    "SourceError",
    "Span",
    "TableCalendar",
    "Totals",
    "UlnagerError",
    "Unit",
    "View",
    "WeekCalendar",
    "age",
    "ages",
    "business_days_between",
    "check",
    "check_sql",
    "complete",
    "condition",
    "date_table",
    "keep",
    "keep_each",
    "limits",
    "open_source",
    "own_unit",
    "period",
    "preview",
    "profile",
    "read_book",
    "recognise",
    "rehearse",
    "running",
    "schema",
    "service",
    "totals",
    "where",
    "with_ages",
]

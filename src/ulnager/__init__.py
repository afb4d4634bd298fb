"""Relative and rolling date periods for dashboards: defined once, exact everywhere.

>>> import ulnager
>>> ulnager.period("last 3 whole months").resolve(today="2026-06-13").label
'1 Mar to 31 May 2026'
"""

from ulnager.core.calendars import GREGORIAN, Calendar, MonthCalendar
from ulnager.core.definitions import Anchor, Defaults, Extent
from ulnager.core.errors import (
    BookError,
    FilterError,
    PeriodSyntaxError,
    ResolveError,
    SettingError,
    SourceError,
    UlnagerError,
)
from ulnager.core.resolution import Resolution
from ulnager.core.spans import Span
from ulnager.core.units import Unit
from ulnager.language.period import Period, period

__version__ = "0.1.0"

__all__ = [
    "GREGORIAN",
    "Anchor",
    "BookError",
    "Calendar",
    "Defaults",
    "Extent",
    "FilterError",
    "MonthCalendar",
    "Period",
    "PeriodSyntaxError",
    "ResolveError",
    "Resolution",
    "SettingError",
    "SourceError",
    "Span",
    "UlnagerError",
    "Unit",
    "period",
]

"""The examples of docs/language.md, and what they are worked out against."""

import re
from datetime import date

from ulnager import Extent, MonthCalendar, WeekCalendar, own_unit, period

from conftest import ROOT

HOME = MonthCalendar(cycles=[own_unit("pay period", 14, date(2026, 1, 5))])
BASIS = {
    "now": "2026-05-20T11:30:00+00:00",
    "tz": "America/Halifax",
    "data": Extent(date(2023, 10, 1), date(2026, 5, 17), date(2026, 5, 16)),
    "calendar": HOME,
    "calendars": {
        "fiscal": MonthCalendar(year_starts="10-01"),
        "shop": WeekCalendar("4-4-5", "saturday", "september"),
    },
}
EXAMPLES = re.findall(
    r"^\| `([^`]+)` \| ([^|]*?) \|", (ROOT / "docs/language.md").read_text(), re.MULTILINE
)


def comes_out_as(phrase):
    """The spans of a phrase as the page shows them."""
    result = period(phrase, HOME).resolve(**BASIS)
    return ", ".join(str(span).replace(":00-03:00", "") for span in result.spans) or "no dates"

"""The examples of docs/language.md, and what they are worked out against."""

import re

from ulnager import MonthCalendar, period

from conftest import ROOT

BASIS = {
    "now": "2026-05-20T11:30:00+00:00",
    "tz": "America/Halifax",
    "data": ("2023-10-01", "2026-05-17"),
    "calendars": {"fiscal": MonthCalendar(year_starts="10-01")},
}
EXAMPLES = re.findall(
    r"^\| `([^`]+)` \| ([^|]*?) \|", (ROOT / "docs/language.md").read_text(), re.MULTILINE
)


def comes_out_as(phrase):
    """The spans of a phrase as the page shows them."""
    result = period(phrase).resolve(**BASIS)
    return ", ".join(str(span).replace(":00-03:00", "") for span in result.spans) or "no dates"

"""Dates as people write them, to be answered with their ISO form; never guessed."""

from __future__ import annotations

import re
from calendar import monthrange
from datetime import date
from typing import Final, NamedTuple

from ulnager.core.text import pattern
from ulnager.core.units import LONG_MONTHS, MONTH_NAMES

_MONTHS: Final = tuple(name.lower() for name in MONTH_NAMES)
_MONTH: Final = rf"(?P<name>{'|'.join(_MONTHS)})[a-z]*\.?"
_NUMBERS: Final = pattern(r"(?<![\d/.\-])(\d{1,4})([/.\-])(\d{1,2})\2(\d{1,4})(?![\d/.\-]*\d)")
_NAMED: Final = (
    pattern(
        rf"\b(?P<day>\d{{1,2}})(?:st|nd|rd|th)?[\s\-]+{_MONTH}[\s,\-]+(?P<year>\d{{4}})\b",
        re.IGNORECASE,
    ),
    pattern(
        rf"\b{_MONTH}[\s\-]+(?P<day>\d{{1,2}})(?:st|nd|rd|th)?[\s,\-]+(?P<year>\d{{4}})\b",
        re.IGNORECASE,
    ),
)


class OtherForm(NamedTuple):
    """A date that is written in another form: where it stands, and the dates it may be."""

    start: int
    end: int
    days: tuple[date, ...]

    @property
    def either(self) -> str:
        """Its readings in ISO form."""
        return " or ".join(map(str, self.days))


def other_dates(text: str) -> list[OtherForm]:
    """The dates in a text that are written in other forms than ISO's, in order.

    >>> [one.either for one in other_dates("since 03/04/2020 until 31.12.2020")]
    ['2020-03-04 or 2020-04-03', '2020-12-31']
    >>> other_dates("20 May 2026")[0].either, other_dates("2026-05-20")
    ('2026-05-20', [])
    """
    found = []
    for match in _NUMBERS.finditer(text):
        one, sign, two, three = match[1], match[2], match[3], match[4]
        if sign == "-" and len(one) == 4 and len(two) == len(three) == 2:
            continue
        orders = [(one, two, three)] if len(one) == 4 else [(three, one, two), (three, two, one)]
        days = {_date(*order) for order in orders} - {None}
        if days:
            found.append(OtherForm(*match.span(), tuple(sorted(day for day in days if day))))
    for named in _NAMED:
        for match in named.finditer(text):
            month = _MONTHS.index(match["name"].lower()) + 1
            day = _date(match["year"], str(month), match["day"])
            if day is not None:
                found.append(OtherForm(*match.span(), (day,)))
    return sorted(found)


def why_no_date(text: str) -> str:
    """Why there is no date of that form, which is like one.

    >>> why_no_date("2026-02-30"), why_no_date("2026-13-01")
    ('February 2026 has 28 days', 'months run from 01 to 12')
    """
    year, month, _ = map(int, text.split("-"))
    if not year:
        return "years run from 0001"
    if not 1 <= month <= 12:
        return "months run from 01 to 12"
    return f"{LONG_MONTHS[month - 1].capitalize()} {year} has {monthrange(year, month)[1]} days"


def _date(year: str, month: str, day: str) -> date | None:
    number = int(year)
    if len(year) <= 2:
        number += 2000
    elif len(year) == 3:
        return None
    try:
        return date(number, int(month), int(day))
    except ValueError:
        return None

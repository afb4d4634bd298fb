"""Dates that are written as text, in another order than ISO's: which order, or that it is unknown.

``1/2/2021`` is the first of February or the second of January. What the values of a column prove is
used, and said; what they do not is asked for, never guessed.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any, Final, NamedTuple

from ulnager.core.errors import SettingError
from ulnager.sources.duckdb_text import quoted, text

_LOOKS: Final = re.compile(
    r"\s*(\d{1,4})([/.\- ])(\d{1,2})\2(\d{1,4})(?:[ T]+(\d{1,2}:\d{2})(:\d{2})?)?\s*"
)
_MONTHS: Final = (
    (re.compile(r"\d{4}([/.\- ])\d{1,2}"), "%Y{s}%m"),
    (re.compile(r"\d{1,2}([/.\- ])\d{4}"), "%m{s}%Y"),
    (re.compile(r"[A-Za-z]{3}([/.\- ])\d{4}"), "%b{s}%Y"),
    (re.compile(r"[A-Za-z]{4,9}([/.\- ])\d{4}"), "%B{s}%Y"),
)
"""Months, which stand for their first days: ``2026-05``, ``05/2026``, ``May 2026``."""
# By where the four digits of the year stand: first, last, or nowhere.
_ORDERS: Final = {
    "first": ("%Y{s}%m{s}%d",),
    "last": ("%d{s}%m{s}%Y", "%m{s}%d{s}%Y"),
    "": ("%d{s}%m{s}%y", "%m{s}%d{s}%y", "%y{s}%m{s}%d"),
}
MOST_COLUMNS: Final = 50


class DateFormat(NamedTuple):
    """How the dates of a column of text are written: the format that holds for all, or several."""

    column: str
    formats: tuple[str, ...]
    example: str
    readings: tuple[str, ...]

    @property
    def is_time(self) -> bool:
        return "%H" in self.formats[0]

    @property
    def is_month(self) -> bool:
        return not re.search("%[dj]", self.formats[0])

    @property
    def question(self) -> str:
        """Both readings of one of its values, and how to say which."""
        both = " or ".join(
            f"{reading} ({form})" for reading, form in zip(self.readings, self.formats, strict=True)
        )
        return (
            f"column {self.column!r} can be read in more than one order: {self.example!r} is "
            f"{both}; say which: date_format={self.formats[0]!r}, --date-format"
        )


Ask = Callable[[str], list[tuple[Any, ...]]]


def check_format(date_format: str | None) -> None:
    """SettingError for what is no format of dates."""
    if date_format is not None and (
        not isinstance(date_format, str)
        or not re.search("%[djmbB]", date_format)
        or not re.search("%[yY]", date_format)
        or len(date_format) > 40
    ):
        raise SettingError(
            f"date_format is {date_format!r}; give it as strptime has it, such as '%d/%m/%Y'"
        )


def written_dates(ask: Ask, columns: Sequence[str], date_format: str | None) -> list[DateFormat]:
    """The columns of text whose values are all dates in one format or in several.

    ``ask`` answers a query on ``data``. With a ``date_format`` only that one is tried.
    """
    found = []
    for column in columns[:MOST_COLUMNS]:
        name = quoted(column)
        filled = f"{name} IS NOT NULL AND trim({name}) <> ''"
        first = ask(f"SELECT {name} FROM data WHERE {filled} LIMIT 1")
        if not first:
            continue
        tried = (date_format,) if date_format is not None else _candidates(str(first[0][0]))
        if not tried:
            continue
        fails = ", ".join(
            f"count(*) FILTER ({filled} AND try_strptime(trim({name}), {text(form)}) IS NULL)"
            for form in tried
        )
        (missed,) = ask(f"SELECT {fails} FROM data")
        left = [form for form, misses in zip(tried, missed, strict=True) if misses == 0]
        if left:
            found.append(_told(ask, column, filled, left))
    return found


def _candidates(value: str) -> tuple[str, ...]:
    match = _LOOKS.fullmatch(value)
    if match is None:
        months = ((form, looks.fullmatch(value.strip())) for looks, form in _MONTHS)
        return tuple(form.format(s=found[1]) for form, found in months if found)
    sign, time, seconds = match[2], match[5], match[6]
    suffix = "" if time is None else " %H:%M:%S" if seconds else " %H:%M"
    year = "first" if len(match[1]) == 4 else "last" if len(match[4]) == 4 else ""
    return tuple(order.format(s=sign) + suffix for order in _ORDERS[year])


def _told(ask: Ask, column: str, filled: str, formats: list[str]) -> DateFormat:
    """The formats with a value that they read as different dates."""
    name = quoted(column)
    days = [f"strptime(trim({name}), {text(form)})" for form in formats]
    differ = " OR ".join(f"{days[0]} <> {day}" for day in days[1:]) or "true"
    rows = ask(f"SELECT {name}, {', '.join(days)} FROM data WHERE {filled} AND ({differ}) LIMIT 1")
    if not rows:
        # All formats read all values alike.
        rows = ask(f"SELECT {name}, {days[0]} FROM data WHERE {filled} LIMIT 1")
        formats = formats[:1]
    example, *readings = rows[0]
    return DateFormat(
        column, tuple(formats), str(example), tuple(str(reading)[:10] for reading in readings)
    )

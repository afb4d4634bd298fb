"""Dates that are written as text, in another order than ISO's: which order, or that it is unknown.

``1/2/2021`` is the first of February or the second of January. What the values of a column prove is
used, and said; what they do not is asked for, never guessed.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from contextlib import suppress
from datetime import datetime
from typing import Any, Final, NamedTuple

from ulnager.core.errors import SettingError
from ulnager.sources.duckdb_text import quoted, text

_NUMBERS: Final = re.compile(r"(\d{1,4})([/.\- ])(\d{1,2})\2(\d{1,4})")
_NAMED: Final = (
    (re.compile(r"\d{1,2}([/.\- ])[A-Za-z]{3,9}\1\d{4}"), ("%d{s}%b{s}%Y", "%d{s}%B{s}%Y")),
    (re.compile(r"\d{1,2}([/.\- ])[A-Za-z]{3}\1\d{2}"), ("%d{s}%b{s}%y",)),
    (re.compile(r"[A-Za-z]{3,9}( )\d{1,2}, \d{4}"), ("%b %d, %Y", "%B %d, %Y")),
    (re.compile(r"\d{8}(T)\d{6}"), ("%Y%m%dT%H%M%S",)),
)
"""Days with the names of their months, and what is written without signs."""
_WEEKDAY: Final = re.compile(r"([A-Za-z]{3}|[A-Za-z]{6,9}), ")
_TIME: Final = re.compile(
    r"(,? +|T)\d{1,2}:\d{2}(:\d{2}(\.\d{1,6})?)?( ?[AaPp][Mm])?( ?[+-]\d{2}:?\d{2}| GMT| UTC)?$"
)
_MONTHS: Final = (
    (re.compile(r"\d{4}([/.\- ])\d{1,2}"), ("%Y{s}%m",)),
    (re.compile(r"\d{1,2}([/.\- ])\d{4}"), ("%m{s}%Y",)),
    (re.compile(r"[A-Za-z]{3,9}([/.\- ])\d{4}"), ("%b{s}%Y", "%B{s}%Y")),
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
        return re.search("%[HI]", self.formats[0]) is not None

    @property
    def held(self) -> str:
        """What the engine makes of them."""
        if "%z" in self.formats[0].lower():
            return "TIMESTAMPTZ"
        return "TIMESTAMP" if self.is_time else "DATE"

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
    """The formats that a value may be written in.

    >>> _candidates("Mon, 20 Apr 2026"), _candidates("4/20/2026 2:05 PM")[1]
    (('%a, %d %b %Y', '%a, %d %B %Y'), '%m/%d/%Y %I:%M %p')
    """
    value = value.strip()
    before, after, time = "", "", _TIME.search(value)
    if time is not None:
        gap, seconds, parts, half, zone = time.groups()
        value, after = value[: time.start()], f"{gap}{'%I' if half else '%H'}:%M"
        after += f"{':%S' if seconds else ''}{'.%f' if parts else ''}"
        for said, form in ((half, "%p"), (zone, "%Z" if zone in (" GMT", " UTC") else "%z")):
            after += f"{' ' if said[0] == ' ' else ''}{form}" if said else ""
    weekday = _WEEKDAY.match(value)
    if weekday is not None:
        value, before = value[weekday.end() :], "%a, " if len(weekday[1]) == 3 else "%A, "
    match = _NUMBERS.fullmatch(value)
    if match is not None:
        year = "first" if len(match[1]) == 4 else "last" if len(match[4]) == 4 else ""
        forms = [form.format(s=match[2]) for form in _ORDERS[year]]
    else:
        looks = _NAMED if before or after else (*_NAMED, *_MONTHS)
        found = ((forms, looked.fullmatch(value)) for looked, forms in looks)
        forms = [form.format(s=one[1]) for forms, one in found if one for form in forms]
    return tuple(f"{before}{form}{after}" for form in forms)


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


def how_to_read(value: object, engine: str, is_text: bool) -> str:
    """What to do with a value that may be a day, to be put behind a message; empty for others.

    >>> how_to_read(20260301, "duckdb", True), how_to_read(12, "duckdb", True)
    ('; if it holds days, say --type yyyymmdd (column_types=)', '')
    """
    text = str(value)
    if re.fullmatch(r"\d{4}-W\d{2}", text):
        return "; if it holds weeks, say --type iso-week (column_types=)"
    if is_text and isinstance(value, str) and len(re.findall(r"\d", text)) > 3:
        return (
            "; if it holds dates, say how they are written, as strptime has it: --date-format "
            "'%d.%m.%Y' (date_format=)"
        )
    if engine != "duckdb" and re.match(r"\d{4}-\d\d-\d\d", text):
        return "; if it holds dates, say --table with a SELECT that casts it: CAST(… AS DATE)"
    if not re.fullmatch(r"[1-9]\d{4,12}", text):
        return ""
    for kind, pattern in (("yyyymmdd", "%Y%m%d"), ("yyyymm", "%Y%m")):
        with suppress(ValueError):
            year = datetime.strptime(text, pattern).year
            if len(text) == len(kind) and 1900 <= year < 2200:
                return f"; if it holds days, say --type {kind} (column_types=)"
    if 20_000 <= int(text) < 80_000:
        what = "days as a spreadsheet counts them"
        made = f"DATE '1899-12-30' + {text}"
    elif len(text) in (10, 13):
        what = f"{'milli' * (len(text) == 13)}seconds since 1970"
        made = f"to_timestamp({text}{' / 1000' * (len(text) == 13)})"
    else:
        return ""
    such = f", such as {made}" if engine in ("duckdb", "postgresql") else ""
    return f"; if it holds {what}, say --table with a SELECT that makes dates of them{such}"

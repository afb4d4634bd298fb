"""Small values that phrases name: ordinals, sorts of day, timestamps, calendars."""

from __future__ import annotations

from datetime import datetime, tzinfo
from typing import Final, NamedTuple

from ulnager.core.calendars.instants import instant_number
from ulnager.core.text import pattern
from ulnager.core.units import LONG_MONTHS, WEEKDAYS, Unit

ORDINAL_WORDS: Final = (
    "first",
    "second",
    "third",
    "fourth",
    "fifth",
    "sixth",
    "seventh",
    "eighth",
    "ninth",
    "tenth",
    "eleventh",
    "twelfth",
)


NUMBERED_WEEK: Final = pattern(r"week \d{1,2} of \d{4}")
"""A label that is said without quotes too."""

_ENDINGS: Final = {1: "st", 2: "nd", 3: "rd"}


class Ordinal(NamedTuple):
    """A place counted from 1, or -1 for the last.

    >>> str(Ordinal(1)), str(Ordinal(22)), str(Ordinal(113)), str(Ordinal(-1))
    ('first', '22nd', '113th', 'last')
    """

    number: int

    def __str__(self) -> str:
        if self.number in (1, -1):
            return "first" if self.number == 1 else "last"
        ones = 0 if 10 <= self.number % 100 <= 20 else self.number % 10
        return f"{self.number}{_ENDINGS.get(ones, 'th')}"


class DayName(NamedTuple):
    """A sort of day to count: any day, a business day, or a weekday (0 for a Monday)."""

    unit: Unit
    weekday: int | None = None

    def __str__(self) -> str:
        return self.unit.name if self.weekday is None else WEEKDAYS[self.weekday]


class Timestamp(NamedTuple):
    """A date and time as it was written, with an offset or in the zone that is in use."""

    text: str
    moment: datetime

    def instant(self, zone: tzinfo) -> int:
        """The microseconds since 1970; a time without an offset is on the zone's clocks."""
        moment = self.moment
        return instant_number(moment if moment.tzinfo else moment.replace(tzinfo=zone))

    def __str__(self) -> str:
        return self.text


def in_quotes(text: str) -> str:
    """A text in the quotes that it does not hold itself."""
    return f"'{text}'" if '"' in text else f'"{text}"'


class Label(NamedTuple):
    """The label of a unit, such as ``"Q2 FY2026"``; always in quotes."""

    text: str

    def __str__(self) -> str:
        return in_quotes(self.text)


class Name(NamedTuple):
    """The name of a calendar, in quotes unless it is one plain word."""

    text: str

    def __str__(self) -> str:
        return self.text if self.text.isidentifier() else in_quotes(self.text)


_LETTERS: Final = {Unit.QUARTER: "Q", Unit.HALF: "H"}


class NamedUnit(NamedTuple):
    """A unit by its name or number, without its year.

    >>> [str(NamedUnit(unit, 2)) for unit in (Unit.WEEK, Unit.MONTH, Unit.QUARTER)]
    ['week 2', 'february', 'Q2']
    """

    unit: Unit
    number: int

    def __str__(self) -> str:
        if self.unit is Unit.MONTH:
            return LONG_MONTHS[self.number - 1]
        letter = _LETTERS.get(self.unit)
        return f"{letter}{self.number}" if letter else f"{self.unit} {self.number}"


class Weekday(NamedTuple):
    """A weekday by its name; 0 for a Monday.

    >>> str(Weekday(4))
    'friday'
    """

    number: int

    def __str__(self) -> str:
        return WEEKDAYS[self.number]

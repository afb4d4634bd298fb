"""Whether a label says what its phrase says: numbers, units, readings and years."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Final

from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.resolution import Resolution
from ulnager.core.units import Unit

_NUMBERS: Final = {
    "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8,
    "nine": 9, "ten": 10, "eleven": 11, "twelve": 12, "fourteen": 14, "thirty": 30,
}  # fmt: skip
# How many months or days a unit is, so that 12 months are a year, and 14 days two weeks.
_MONTHS: Final = {"month": 1, "quarter": 3, "half": 6, "year": 12}
_DAYS: Final = {"day": 1, "week": 7, "fortnight": 14}
_HOURS: Final = {"hour": 1, "minute": 1, "second": 1}
_UNIT: Final = r"(?:business |working |office |whole |full |complete |rolling |calendar |fiscal )*"
_COUNTED: Final = re.compile(
    rf"\b(\d{{1,4}}|{'|'.join(_NUMBERS)})[ -]{_UNIT}"
    r"(day|week|fortnight|month|quarter|year|hour|minute)s?\b"
)
_NAMED: Final = re.compile(r"\b(day|week|fortnight|month|quarter|half|year|hour)s?\b")
_YEAR: Final = re.compile(r"(?<![\d-])((?:19|20)\d\d)(?!\d)")
_READINGS: Final = {
    "whole": ("whole", "complete", "full"),
    "rolling": ("rolling", "trailing"),
    "to date": ("to date", "so far"),
    "to end": ("to end",),
}
NOW: Final = re.compile(
    r"\b(last|past|latest|recent|current|currently|this|today|now|previous|so far|to date|yesterday"
    r"|rolling|trailing)\b"
)


def has_year(label: str) -> bool:
    """Whether a label holds a year."""
    return _YEAR.search(label) is not None


def speaks_of_now(label: str) -> bool:
    """Whether a label speaks of dates that move."""
    return NOW.search(label.lower()) is not None


def contradiction(label: str, definition: Definition, result: Resolution | None) -> str | None:
    """What a label says otherwise than the phrase; None where it says nothing else."""
    text = re.sub(r"\{\w+\}[ -]\w+", " ", label.lower())
    parts = list(definition.walk())
    counts = [_size(one.args[0], one.args[1].name) for one in parts if _is_counted(one)]
    units = {_plain(name) for one in parts for name in _units_of(one)}
    for number, unit in _COUNTED.findall(text):
        said = _size(int(_NUMBERS.get(number, 0) or number), unit)
        if counts and said not in counts:
            told = ", ".join(_counted(one) for one in parts if _is_counted(one))
            return f"says {number} {unit}s, and the phrase has {told}"
    if found := _other_reading(text, parts):
        return found
    if not _COUNTED.search(text):
        named = set(_NAMED.findall(text))
        is_one = any(_size(1, one) in counts for one in named)
        if named and units and not is_one and not _are_alike(named, units):
            return f"speaks of a {min(named)}, and the phrase of {_listed(units)}"
    return _other_year(text, result)


def _is_counted(part: Definition) -> bool:
    args = part.args
    return len(args) >= 2 and isinstance(args[0], int) and isinstance(args[1], Unit)


def _counted(part: Definition) -> str:
    return f"{part.args[0]} {part.args[1].plural if part.args[0] != 1 else part.args[1].name}"


def _size(count: int, unit: str) -> tuple[str, int]:
    plain = _plain(unit)
    for kind, sizes in (("months", _MONTHS), ("days", _DAYS), ("hours", _HOURS)):
        if plain in sizes:
            return kind if kind != "hours" else plain, count * sizes[plain]
    return plain, count


def _plain(unit: str) -> str:
    return "day" if unit in ("business day", "working day") else unit


def _units_of(part: Definition) -> Iterable[str]:
    found = [arg.name for arg in part.args if isinstance(arg, Unit)]
    found += [arg.unit.name for arg in part.args if isinstance(getattr(arg, "unit", None), Unit)]
    if part.rule.key in ("today", "yesterday", "tomorrow"):
        found.append("day")
    return found


def _are_alike(named: set[str], units: set[str]) -> bool:
    """Whether any unit of the label is one of the phrase, or a number of these."""
    if named & units or not units <= {*_MONTHS, *_DAYS, *_HOURS}:
        return True
    of_months, of_days = units & set(_MONTHS), units & set(_DAYS)
    # A number of months may be a half or a year; of days, a week.
    return bool(("half" in named and of_months) or ("fortnight" in named and of_days))


def _listed(units: Iterable[str]) -> str:
    return ", ".join(f"a {unit}" for unit in sorted(units))


def _other_reading(text: str, parts: list[Definition]) -> str | None:
    keys = {one.rule.key for one in parts}
    for reading, words in _READINGS.items():
        said = next((one for one in words if re.search(rf"\b{one}\b", text)), None)
        if said is None:
            continue
        others = {
            other
            for other in _READINGS
            for key in keys
            if other != reading and key.endswith(other.replace(" ", "_")) and "last" in key
        }
        own = any(key.endswith(reading.replace(" ", "_")) for key in keys)
        if others and not own:
            return f"says {said!r}, and the phrase is read as {min(others)}"
    return None


def _other_year(text: str, result: Resolution | None) -> str | None:
    years = [int(one) for one in _YEAR.findall(text)]
    if result is None or not years or result.is_empty:
        return None
    start, end = result.start, result.end
    if start is None or end is None:
        return None
    # A fiscal year is named by the year in which it starts or ends.
    for year in years:
        if not start.year <= year <= end.year + 1:
            return f"says {year}, and the dates are {start} to {end}"
    return None

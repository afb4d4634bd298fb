"""Whether a label says what its phrase says: numbers, units, readings and years."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Final

from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.resolution import Resolution
from ulnager.core.units import Unit

_NUMBERS: Final = {
    "one": 1,
    "two": 2,
    "three": 3,
    "four": 4,
    "five": 5,
    "six": 6,
    "seven": 7,
    "eight": 8,
    "nine": 9,
    "ten": 10,
    "eleven": 11,
    "twelve": 12,
    "fourteen": 14,
    "thirty": 30,
}
# How many months or days a unit is, so that 12 months are a year, and 14 days two weeks.
_MONTHS: Final = {"month": 1, "quarter": 3, "half": 6, "year": 12}
_DAYS: Final = {"day": 1, "week": 7, "fortnight": 14}
_HOURS: Final = {"hour": 1, "minute": 1, "second": 1}
_UNIT: Final = r"(?:business |working |office |whole |full |complete |rolling |calendar |fiscal )*"
_COUNTED: Final = re.compile(
    rf"\b(\d{{1,4}}|{'|'.join(_NUMBERS)})[ -]{_UNIT}"
    r"(day|week|fortnight|month|quarter|year|hour|minute)s?\b"
)
_ONE: Final = re.compile(
    r"\b(?:this|current|previous|last|past|next) (day|week|fortnight|month|quarter|half|year)\b"
    r"(?! to)"
)
_DAYS_NAMED: Final = frozenset(
    rule.template for rule in RULES.values() if rule.asks == "clock" and not rule.is_instant
)
_SLOT: Final = re.compile(r"\{(\w+)\}[ -]([a-z]+?)s?\b")
_SHORT: Final = re.compile(r"\b(\d{1,4}) ?(d|w|m|q|y)\b")
_SHORTS: Final = {"d": "days", "w": "weeks", "m": "months", "q": "quarters", "y": "years"}
_BESIDE: Final = re.compile(
    r"\b(?:vs\.?|versus|against|compared|than|beside|plan|budget|target)\b.*"
)
_IN_ENGLISH: Final = {
    "day": "tage?n?|jours?|日間?",
    "week": "wochen?|semaines?|週間?",
    "month": "monate?n?|mois|[かヶカ]月間?",
    "quarter": "quartale?n?|trimestres?|四半期",
    "year": "jahre?n?|ans?|années?|年間?",
}
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
    parts = list(definition.walk())
    for slot, unit in _SLOT.findall(label.lower()):
        if wrong := _other_slot(slot, unit, parts):
            return wrong
    text = re.sub(r"\{\w+\}[ -]\w+", " ", label.lower())
    text = _SHORT.sub(lambda found: f"{found[1]} {_SHORTS[found[2]]}", text)
    days = {one.rule.template for one in parts if _is_named_day(one)}
    for name in _DAYS_NAMED:
        if text.strip() == name and days and name not in days:
            return f"says {name!r}, and the phrase is '{definition}'"
    counts = [_size(one.args[0], one.args[1].name) for one in parts if _is_counted(one)]
    units = {_plain(name) for one in parts for name in _units_of(one)}
    for number, unit in _COUNTED.findall(text):
        said = _size(int(_NUMBERS.get(number, 0) or number), unit)
        if counts and said not in counts:
            told = ", ".join(_counted(one) for one in parts if _is_counted(one))
            return f"says {number} {unit}s, and the phrase has {told}"
    for unit in _ONE.findall(text):
        if counts and _size(1, unit) not in counts:
            told = ", ".join(_counted(one) for one in parts if _is_counted(one))
            return f"speaks of one {unit}, and the phrase has {told}"
    if found := _other_reading(text, parts):
        return found
    if not _COUNTED.search(text):
        named = set(_NAMED.findall(text))
        is_one = any(_size(1, one) in counts for one in named)
        if named and units and not is_one and not _are_alike(named, units):
            return f"speaks of a {min(named)}, and the phrase of {_listed(units)}"
    return _other_year(text, result)


def in_english(label: str) -> str:
    """A label of another language with its units in English, so that counts can be told."""
    text = label.lower()
    for unit, words in _IN_ENGLISH.items():
        text = re.sub(
            rf"(\d+)\s?(?:derniers? |dernières? )?(?:{words})(?!\w)", rf"\1 {unit}s", text
        )
    return " ".join(re.findall(r"\d+ [a-z]+s", text))


def _other_slot(slot: str, unit: str, parts: list[Definition]) -> str | None:
    """What a label says of a slot's unit otherwise than the phrase."""
    if unit not in {*_MONTHS, *_DAYS, *_HOURS}:
        return None
    for part in parts:
        if len(part.args) >= 2 and getattr(part.args[0], "slot", None) == slot:
            held = part.args[1]
            if isinstance(held, Unit) and _plain(held.name) != unit:
                return f"counts {{{slot}}} {unit}s, and the phrase {{{slot}}} {held.plural}"
    return None


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
    if _is_named_day(part):
        found.append("day")
    return found


def _is_named_day(part: Definition) -> bool:
    return part.rule.template in _DAYS_NAMED


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
    readings = {one.rule.reading for one in parts if one.rule.family == "last"}
    for reading, words in _READINGS.items():
        said = next((one for one in words if re.search(rf"\b{one}\b", text)), None)
        if said is None:
            continue
        others = readings & set(_READINGS) - {reading}
        is_own = reading in {one.rule.reading for one in parts} or _says(reading, parts)
        if others and not is_own:
            return f"says {said!r}, and the phrase is read as {min(others)}"
    return None


def _says(reading: str, parts: list[Definition]) -> bool:
    return any(f" {reading}" in one.rule.template for one in parts)


def _other_year(text: str, result: Resolution | None) -> str | None:
    # What it is compared with has a year of its own.
    years = [int(one) for one in _YEAR.findall(_BESIDE.sub("", text))]
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

"""What choices, values and dates are called, and dates as plain values."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date
from typing import Any, Final

from ulnager.choices.input_values import Given, Listed
from ulnager.choices.view_shape import DatesTold
from ulnager.core.language.inputs import ListedInput, SwitchInput
from ulnager.core.messages import EMPTY, of_code
from ulnager.core.periods.resolution import Resolution
from ulnager.core.text import pattern
from ulnager.core.units import UNIT_NAMES
from ulnager.core.words import ENGLISH, Words

_COUNTED: Final = pattern(
    rf"\b(\d[\d,]*)((?: [^\W\d_]+)*?) ({'|'.join(sorted(UNIT_NAMES, key=len, reverse=True))})\b",
    re.IGNORECASE,
)


def filled_label(text: str, values: Mapping[str, str]) -> str:
    """A label with values in its slots; a unit behind a number is counted.

    >>> filled_label("Last {n} whole months", {"n": "1"})
    'Last 1 whole month'
    """
    filled = re.sub(r"\{(\w+)\}", lambda slot: values.get(slot[1], slot[0]), text)
    return _COUNTED.sub(_counted, filled)


def _counted(match: re.Match[str]) -> str:
    unit = UNIT_NAMES[match[3].lower()]
    name = unit.name if match[1] == "1" else unit.plural
    return f"{match[1]}{match[2]} {name.capitalize() if match[3][0].isupper() else name}"


def value_label(given: Given, words: Words = ENGLISH) -> str:
    """What was given for an input, for a person to read."""
    if given.value is None:
        return "…"
    if isinstance(given.made, ListedInput):
        known = {one.key: words.unit(one.label) for one in _all(given.options)}
        return ", ".join(known[key] for key in given.value)
    if isinstance(given.value, date):
        return words.day(given.value)
    text = str(given.value)
    if isinstance(given.made, SwitchInput):
        text = "on" if given.value else "off"
    return words.say(text)


def _all(options: tuple[Listed, ...]) -> list[Listed]:
    return [one for outer in options for one in (outer, *outer.options)]


def dates_dict(result: Resolution | None, words: Words = ENGLISH) -> DatesTold | None:
    """The dates of a resolution as plain values; None without one."""
    if result is None:
        return None
    why: Any = None
    if result.is_empty:
        why = next(iter(of_code(result.notes, EMPTY)), None)
    return {
        "label": result.label,
        "start": iso(result.start),
        "end": iso(result.end),
        "days": result.days,
        "empty": result.is_empty,
        "why": None if why is None else words.say(why.arguments[0]),
        "spans": [{"start": iso(span.start), "end": iso(span.end)} for span in result.spans],
        "phrase": str(result.period),
    }


def iso(day: date | None) -> str | None:
    """A day as ISO 8601 text; None for none."""
    return None if day is None else day.isoformat()

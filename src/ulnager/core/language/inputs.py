"""Inputs: the typed slots of a phrase, their settings, and what may be given for them.

A value is a number, a date, a unit or one of the words that are offered; text is read as one of
these and never becomes a part of a phrase.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime
from typing import Any, Final, NamedTuple

from ulnager.core.arguments import shown
from ulnager.core.date_forms import other_dates
from ulnager.core.errors import SettingError, UlnagerError
from ulnager.core.messages import Message
from ulnager.core.text import pattern
from ulnager.core.units import Unit

KINDS: Final = {
    "count": ("min", "max", "step", "opens"),
    "day": ("min", "max", "opens", "step", "only"),
    "unit": ("of", "opens"),
    "word": ("of", "opens"),
    "switch": ("phrase", "opens"),
    "listed": ("unit", "under", "order", "several", "limit", "opens"),
    "anchor": ("of", "opens"),
}
"""The kinds of inputs, and the settings of each."""
BOUNDS, STEP, UNREAD, WANTED = "out-of-bounds", "between-steps", "unreadable", "wanted"
"""The codes of what is wrong with a value: beyond its bounds, off its steps, no value, none yet."""
_ALL: Final = ("label", "kind", "source")
_NAME: Final = pattern(r"[a-z][a-z0-9_]*")


class InputProblem(UlnagerError):  # noqa: N818
    """What is wrong with a value that a viewer gave, in words for viewers."""


class Input(NamedTuple):
    """A typed slot of a phrase with its settings; None for a setting that is not given."""

    name: str
    kind: str
    label: str
    min: Any = None
    max: Any = None
    step: Any = None
    opens: Any = None
    only: str | None = None
    of: tuple[str, ...] = ()
    phrase: str | None = None
    unit: str | None = None
    under: str | None = None
    order: str = "newest"
    several: bool = False
    limit: int | None = None
    source: str | None = None


def settings_of(name: object, given: object) -> Mapping[str, Any]:
    """The settings of an input; SettingError for what are none."""
    if not isinstance(given, Mapping):
        raise SettingError(f"the settings of {{{name}}} are {shown(given)}; give {{'max': 90}}")
    return given


def checked_input(name: str, kind: str, given: Mapping[str, Any]) -> Input:
    """An input of a kind from its settings.

    Raises SettingError for a setting that is none, is not for that kind, or cannot be.
    """
    if not isinstance(name, str) or not _NAME.fullmatch(name):
        raise SettingError(f"{shown(name)} is no name for an input; take small letters and _")
    said = settings_of(name, given).get("kind", kind)
    if said not in KINDS:
        raise SettingError(f"kind is {shown(said)}; choose {', '.join(KINDS)}")
    for setting in given:
        if setting not in (*KINDS[said], *_ALL):
            known = ", ".join((*KINDS[said], *_ALL))
            raise SettingError(f"{setting} is not for an input of kind {said}; it takes {known}")
    settings = dict(given)
    settings.pop("kind", None)
    label = settings.pop("label", None) or name.replace("_", " ").capitalize()
    if "of" in settings:
        settings["of"] = _words(settings["of"])
    for setting in ("several",):
        if not isinstance(settings.get(setting, False), bool):
            raise SettingError(f"{setting} is {shown(settings[setting])}; give true or false")
    for setting in ("unit", "under", "source", "only", "phrase", "order"):
        if setting in settings and not isinstance(settings[setting], str):
            raise SettingError(f"{setting} is {shown(settings[setting])}; give a text")
    if settings.get("order", "newest") not in ("newest", "oldest"):
        raise SettingError(f"order is {shown(settings['order'])}; choose newest or oldest")
    if said == "count":
        for setting in ("min", "max", "step", "opens"):
            _check_count(setting, settings.get(setting))
        settings.setdefault("min", 1)
    made = Input(name, said, str(label), **settings)
    _check_opening(made)
    return made


def _words(of: object) -> tuple[str, ...]:
    if isinstance(of, str) or not isinstance(of, (list, tuple)) or not of:
        raise SettingError(f"of is {shown(of)}; give the ones to choose from: ['day', 'week']")
    if not all(isinstance(one, str) for one in of):
        raise SettingError("of holds something else than text")
    return tuple(of)


def _check_count(setting: str, value: object) -> None:
    if value is None:
        return
    if isinstance(value, bool) or not isinstance(value, int) or value < 1:
        raise SettingError(f"{setting} is {shown(value)}; a count is a whole number from 1 on")


def _check_opening(made: Input) -> None:
    """SettingError for an opening value outside fixed bounds, or none of what is offered."""
    if made.kind == "count":
        if made.max is not None and made.max < made.min:
            raise SettingError(f"max is {made.max}, which is below min, {made.min}")
        if made.opens is not None:
            _in_words(made, lambda: count_of(made, made.opens))
    if made.kind == "day":
        low, high, opens = (fixed_day(value) for value in (made.min, made.max, made.opens))
        if low and high and high < low:
            raise SettingError(f"max is {high}, which is before min, {low}")
        if opens and ((low and opens < low) or (high and opens > high)):
            raise SettingError(f"opens is {opens}, which is outside {low or '…'} to {high or '…'}")
    offered = made.kind in ("unit", "word") and made.opens is not None
    if offered and made.of and str(made.opens) not in made.of:
        raise SettingError(f"opens is {shown(made.opens)}; choose {', '.join(made.of)}")
    if made.kind == "switch" and not isinstance(made.opens, bool | None):
        raise SettingError(f"opens is {shown(made.opens)}; a switch opens with true or false")


def _in_words(made: Input, find: Callable[[], Any]) -> None:
    try:
        find()
    except InputProblem as problem:
        raise SettingError(f"opens is {shown(made.opens)}: {problem}") from None


def fixed_day(value: object) -> date | None:
    """A setting that is a date; None for a point, which moves, and for nothing."""
    if isinstance(value, datetime):
        return value.date()
    if isinstance(value, date):
        return value
    try:
        return date.fromisoformat(value) if isinstance(value, str) else None
    except ValueError:
        return None


# What is given for an input, read as a value of its kind.


def count_of(made: Input, given: object) -> int:
    """The number that was given; InputProblem for none, or one out of bounds."""
    found = _whole_number(given)
    low, high = made.min, made.max
    if found < low or (high is not None and found > high):
        key = "{0} is out of bounds; give a number from {1} to {2}"
        if high is None:
            key = "{0} is out of bounds; give a number from {1} on"
        told = (f"{one:,}" for one in (found, low, high) if one is not None)
        raise InputProblem(Message(key, *told, code=BOUNDS))
    if made.step and (found - low) % made.step:
        below = found - (found - low) % made.step
        near = [n for n in (below, below + made.step) if high is None or n <= high]
        key, told_near = "{0} is between two steps; give {1}", either([f"{n:,}" for n in near])
        raise InputProblem(Message(key, f"{found:,}", told_near, code=STEP))
    return found


def _whole_number(given: object) -> int:
    if isinstance(given, int) and not isinstance(given, bool):
        return given
    if isinstance(given, float) and given.is_integer():
        return int(given)
    text = given.strip() if isinstance(given, str) else ""
    if re.fullmatch(r"[+-]?[0-9]{1,6}", text):
        return int(text)
    if re.fullmatch(r"[+-]?[0-9]+", text):
        raise InputProblem(Message("the number is too large", code=BOUNDS))
    wanted = "a whole number is wanted" if text else "give a whole number"
    raise InputProblem(Message(wanted, code=UNREAD if text else WANTED))


def day_of(given: object) -> date:
    """The date that was given; InputProblem for none."""
    if isinstance(given, datetime):
        return given.date()
    if isinstance(given, date):
        return given
    text = given.strip() if isinstance(given, str) else ""
    try:
        if re.fullmatch(r"\d{4}-\d\d-\d\d", text):
            return date.fromisoformat(text)
    except ValueError:
        raise InputProblem(Message("there is no date {0}", text, code=UNREAD)) from None
    others = other_dates(text[:40])
    if others:
        meant = either([str(day) for day in others[0].days])
        raise InputProblem(Message("a date is wanted; did you mean {0}?", meant, code=UNREAD))
    if text:
        raise InputProblem(Message("a date such as {0} is wanted", "2026-05-20", code=UNREAD))
    raise InputProblem(Message("give a date", code=WANTED))


def one_of(made: Input, given: object) -> str:
    """The one of the words offered that was given; InputProblem for none of them."""
    text = given.name if isinstance(given, Unit) else given
    text = " ".join(text.strip().lower().split()) if isinstance(text, str) else ""
    if made.kind == "unit":
        unit = Unit.named(text)
        text = unit.name if unit is not None else text
    if text not in made.of:
        raise InputProblem(Message("choose one of {0}", ", ".join(made.of), code=UNREAD))
    return text


def switch_of(given: object) -> bool:
    """Whether a switch was turned on; InputProblem for what says neither."""
    if isinstance(given, bool):
        return given
    text = given.strip().lower() if isinstance(given, str) else ""
    if text in ("on", "true", "yes", "1"):
        return True
    if text in ("off", "false", "no", "0"):
        return False
    raise InputProblem(Message("on or off is wanted", code=UNREAD))


def either(texts: Sequence[str]) -> str:
    """One text, or one of two."""
    return Message("{0} or {1}", *texts) if len(texts) == 2 else " or ".join(texts)

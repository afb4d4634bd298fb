"""Inputs: the typed slots of a phrase, each kind a class with the settings of that kind, and how
what is given for one is read.

A value is a number, a date, a unit or one of the words that are offered; text is read as one of
these and never becomes a part of a phrase.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields
from datetime import date, datetime
from typing import Any, ClassVar, Final, Literal

from ulnager.core.arguments import shown
from ulnager.core.date_forms import other_dates
from ulnager.core.errors import SettingError, UlnagerError
from ulnager.core.messages import Message
from ulnager.core.text import pattern
from ulnager.core.units import UNIT_NAMES, Unit

BOUNDS, STEP, UNREAD, WANTED = "out-of-bounds", "between-steps", "unreadable", "wanted"
"""The codes of what is wrong with a value: beyond its bounds, off its steps, no value, none yet."""
_NAME: Final = pattern(r"[a-z][a-z0-9_]*")


class InputProblem(UlnagerError):  # noqa: N818
    """What is wrong with a value that a viewer gave, in words for viewers."""


@dataclass(frozen=True, kw_only=True)
class Input:
    """A typed slot of a phrase with its settings; None for a setting that is not given.

    >>> from ulnager import period
    >>> n = period("last {n} days", inputs={"n": {"max": 90}}).inputs["n"]
    >>> n.kind, n.max, n.read("14")
    ('count', 90, 14)

    Raises SettingError for settings that cannot be, alone or together.
    """

    kind: str = ""
    label: str = ""
    source: str | None = None
    name: str = ""
    opens: Any = None
    wanted: ClassVar[str] = ""
    """What is asked for where nothing is given."""
    needs_opening: ClassVar[bool] = False
    """Whether it opens with nothing unless it is told what."""

    def __post_init__(self) -> None:
        if not self.label:
            object.__setattr__(self, "label", self.name.replace("_", " ").capitalize())
        for one in fields(self):
            value = getattr(self, one.name)
            if one.type in ("str", "str | None") and not isinstance(value, str | None):
                raise SettingError(f"{one.name} is {shown(value)}; give a text")
        self._check()

    def _check(self) -> None:
        """SettingError for settings that cannot be."""

    def read(self, given: object) -> object:
        """What was given as a value of the kind; InputProblem where it cannot be."""
        raise NotImplementedError

    def fill(self, value: Any) -> object:
        """A value as it fills the slot."""
        return value

    def units(self) -> tuple[str, ...]:
        """The units of the calendar that its settings name."""
        return ()

    def _settings(self) -> dict[str, Any]:
        """Its settings by name, less those that are as they usually are."""
        every = ((one.name, getattr(self, one.name), one.default) for one in fields(self))
        held = {key: value for key, value, usual in every if value != usual and value != {}}
        held.pop("name", None)
        return {**held, "kind": self.kind}


@dataclass(frozen=True, kw_only=True)
class CountInput(Input):
    """How many: a whole number."""

    kind: Literal["count"] = "count"
    min: int = 1
    max: int | None = None
    step: int | None = None
    opens: int | None = None
    wanted: ClassVar[str] = "give a whole number"
    needs_opening: ClassVar[bool] = True

    def _check(self) -> None:
        for setting in ("min", "max", "step", "opens"):
            value = getattr(self, setting)
            is_count = isinstance(value, int) and not isinstance(value, bool) and value >= 1
            if value is not None and not is_count:
                told = "a count is a whole number from 1 on"
                raise SettingError(f"{setting} is {shown(value)}; {told}")
        if self.max is not None and self.max < self.min:
            raise SettingError(f"max is {self.max}, which is below min, {self.min}")
        if self.opens is not None:
            try:
                self.read(self.opens)
            except InputProblem as problem:
                raise SettingError(f"opens is {shown(self.opens)}: {problem}") from None

    def read(self, given: object) -> int:
        """The number that was given; InputProblem for none, or one out of bounds."""
        found, low, high = _whole_number(given), self.min, self.max
        if found < low or (high is not None and found > high):
            key = "{0} is out of bounds; give a number from {1} to {2}"
            if high is None:
                key = "{0} is out of bounds; give a number from {1} on"
            told = (f"{one:,}" for one in (found, low, high) if one is not None)
            raise InputProblem(Message(key, *told, code=BOUNDS))
        if self.step and (found - low) % self.step:
            below = found - (found - low) % self.step
            near = [n for n in (below, below + self.step) if high is None or n <= high]
            key, told_near = "{0} is between two steps; give {1}", either([f"{n:,}" for n in near])
            raise InputProblem(Message(key, f"{found:,}", told_near, code=STEP))
        return found


@dataclass(frozen=True, kw_only=True)
class DayInput(Input):
    """A day that is typed or picked; its bounds and what it opens with may be points."""

    kind: Literal["day"] = "day"
    min: date | str | None = None
    max: date | str | None = None
    step: str | None = None
    opens: date | str | None = None
    only: Literal["business days"] | None = None
    wanted: ClassVar[str] = "give a date"
    needs_opening: ClassVar[bool] = True

    def _check(self) -> None:
        if not isinstance(self.only, str | None):
            raise SettingError(f"only is {shown(self.only)}; give a text")
        low, high, opens = (fixed_day(value) for value in (self.min, self.max, self.opens))
        if low and high and high < low:
            raise SettingError(f"max is {high}, which is before min, {low}")
        if opens and ((low and opens < low) or (high and opens > high)):
            raise SettingError(f"opens is {opens}, which is outside {low or '…'} to {high or '…'}")

    def read(self, given: object) -> date:
        """The date that was given; InputProblem for none."""
        return day_of(given)

    def units(self) -> tuple[str, ...]:
        return () if self.step is None else (self.step,)

    @property
    def points(self) -> list[str]:
        """The settings that are points, which move."""
        every = (self.min, self.max, self.opens)
        return [one for one in every if isinstance(one, str) and fixed_day(one) is None]


@dataclass(frozen=True, kw_only=True)
class _OfferedInput(Input):
    of: tuple[str, ...] = ()
    opens: str | None = None
    labels: Mapping[str, str] = field(default_factory=dict, hash=False)
    """What viewers see in place of a word."""
    needs_opening: ClassVar[bool] = True

    def __post_init__(self) -> None:
        object.__setattr__(self, "of", _words(self.of) if self.of != () else ())
        super().__post_init__()

    def told(self, word: str) -> str:
        """What viewers see of a word."""
        return self.labels.get(word) or word.replace("_", " ").capitalize()

    def _check(self) -> None:
        said = self.labels
        if not (isinstance(said, Mapping) and all(isinstance(one, str) for one in said.values())):
            raise SettingError(
                f"labels is {shown(said)}; give a text for a word: {{'whole': 'full'}}"
            )
        for word in said if self.of else ():
            if word not in self.of:
                raise SettingError(f"labels has {shown(word)}; there are: {', '.join(self.of)}")
        if self.opens is not None and self.of and str(self.opens) not in self.of:
            raise SettingError(f"opens is {shown(self.opens)}; choose {', '.join(self.of)}")

    def read(self, given: object) -> object:
        """The one of the words offered that was given; InputProblem for none of them."""
        text = given.name if isinstance(given, Unit) else given
        text = " ".join(text.strip().lower().split()) if isinstance(text, str) else ""
        text = self._found(text)
        if text not in self.of:
            raise InputProblem(Message("choose one of {0}", ", ".join(self.of), code=UNREAD))
        return text

    def _found(self, text: str) -> str:
        return text


@dataclass(frozen=True, kw_only=True)
class UnitInput(_OfferedInput):
    """A unit, of those that are offered."""

    kind: Literal["unit"] = "unit"
    wanted: ClassVar[str] = "choose a unit"

    def _found(self, text: str) -> str:
        unit = Unit.named(text)
        return text if unit is None else unit.name

    def fill(self, value: Any) -> Unit:
        """The unit of a name."""
        return UNIT_NAMES[value]


@dataclass(frozen=True, kw_only=True)
class WordInput(_OfferedInput):
    """A word of the phrase, of those that are offered."""

    kind: Literal["word"] = "word"
    wanted: ClassVar[str] = "choose one"


@dataclass(frozen=True, kw_only=True)
class SwitchInput(Input):
    """On or off: with it on, the phrase is cut by another one."""

    kind: Literal["switch"] = "switch"
    phrase: str = ""
    opens: bool = False
    wanted: ClassVar[str] = "on or off is wanted"

    def _check(self) -> None:
        if not isinstance(self.opens, bool):
            raise SettingError(f"opens is {shown(self.opens)}; a switch opens with true or false")

    def read(self, given: object) -> bool:
        """Whether a switch was turned on; InputProblem for what says neither."""
        if isinstance(given, bool):
            return given
        text = given.strip().lower() if isinstance(given, str) else ""
        if given is None or text in ("off", "false", "no", "0"):
            return False
        if text in ("on", "true", "yes", "1"):
            return True
        raise InputProblem(Message(self.wanted, code=UNREAD))


@dataclass(frozen=True, kw_only=True)
class ListedInput(Input):
    """Units that the data holds, picked from a list, under bigger ones if need be."""

    kind: Literal["listed"] = "listed"
    unit: str | None = None
    under: str | None = None
    order: Literal["newest", "oldest"] = "newest"
    several: bool = False
    limit: int | None = None
    opens: str | None = None
    wanted: ClassVar[str] = "choose at least one"

    def _check(self) -> None:
        if not isinstance(self.several, bool):
            raise SettingError(f"several is {shown(self.several)}; give true or false")
        if self.order not in ("newest", "oldest"):
            raise SettingError(f"order is {shown(self.order)}; choose newest or oldest")

    def read(self, given: object) -> list[str]:
        """The keys of units that were given; InputProblem for none."""
        texts = [given] if isinstance(given, str) else given if isinstance(given, list) else []
        if not texts or not all(isinstance(text, str) for text in texts):
            raise InputProblem("give the key of a unit, such as '2026-W14'")
        return list(texts)

    def units(self) -> tuple[str, ...]:
        return tuple(unit for unit in (self.unit, self.under) if unit is not None)


@dataclass(frozen=True, kw_only=True)
class AnchorInput(_OfferedInput):
    """What it is measured from: anchors of the book by name, or ``day``."""

    kind: Literal["anchor"] = "anchor"
    opens: date | str | None = None  # type: ignore[assignment]
    wanted: ClassVar[str] = "choose what it is measured from"
    needs_opening: ClassVar[bool] = False

    def _check(self) -> None:
        """Its names are the book's, which knows them."""

    @property
    def named(self) -> list[str]:
        """The anchors that are offered, without ``day``."""
        return [name for name in self.of if name != "day"]

    def read(self, given: object) -> date:
        """The date that was given; InputProblem for none."""
        return day_of(given)


KINDS: Final[dict[str, type[Input]]] = {
    one.kind: one
    for one in (CountInput, DayInput, UnitInput, WordInput, SwitchInput, ListedInput, AnchorInput)
}
"""The classes of inputs by their kinds."""


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
    if not isinstance(said, str) or said not in KINDS:
        raise SettingError(f"kind is {shown(said)}; choose {', '.join(KINDS)}")
    shared = ("label", "kind", "source")
    own = [one.name for one in fields(KINDS[said]) if one.name not in (*shared, "name")]
    for setting in given:
        if setting not in (*own, *shared):
            known = ", ".join((*own, *shared))
            raise SettingError(f"{setting} is not for an input of kind {said}; it takes {known}")
    settings = {key: value for key, value in given.items() if key not in ("kind", "label")}
    return KINDS[said](name=name, label=str(given.get("label") or ""), **settings)


def _words(of: object) -> tuple[str, ...]:
    if isinstance(of, str) or not isinstance(of, (list, tuple)) or not of:
        raise SettingError(f"of is {shown(of)}; give the ones to choose from: ['day', 'week']")
    if not all(isinstance(one, str) for one in of):
        raise SettingError("of holds something else than text")
    return tuple(of)


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


def either(texts: Sequence[str]) -> str:
    """One text, or one of two."""
    return Message("{0} or {1}", *texts) if len(texts) == 2 else " or ".join(texts)

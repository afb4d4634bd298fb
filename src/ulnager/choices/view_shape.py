"""The shape of a view as plain values: what a view gives, what its JSON Schema says, and what the
service describes are this one thing."""

from __future__ import annotations

from typing import Annotated, Literal, NotRequired

from pydantic import ConfigDict, Field, with_config
from typing_extensions import TypedDict

Day = str
Code = Annotated[str, Field(description="Its code, for programs, where codes are asked for.")]
_CODES = "Their codes, for programs, in the same order, where codes are asked for."
Codes = Annotated[list[str], Field(description=_CODES)]
_CLOSED = ConfigDict(extra="forbid", use_attribute_docstrings=True)


@with_config(_CLOSED)
class SpanTold(TypedDict):
    """Dates without a gap, both ends in."""

    start: Day | None
    """The first date; null at an open side."""
    end: Day | None
    """The last date; null at an open side."""


@with_config(_CLOSED)
class DatesTold(TypedDict):
    """The dates of a choice."""

    label: str
    """The dates for a person to read."""
    start: Day | None
    """The first date."""
    end: Day | None
    """The last date, which is in."""
    days: int | None
    """How many days; null where a side is open."""
    empty: bool
    """Whether there are no dates."""
    why: str | None
    """Why there are none."""
    spans: list[SpanTold]
    """All spans, in order."""
    phrase: str
    """The phrase with its values, in canonical form."""


@with_config(_CLOSED)
class ChoiceTold(TypedDict):
    """A choice of the picker."""

    key: str
    """Its key, which never changes."""
    label: str
    """Its long label, with the values of its inputs."""
    short: str
    """Its short label."""
    heading: str | None
    """The heading that it stands under."""
    chosen: bool
    """Whether it is the one that is shown."""
    dates: DatesTold | None
    """Its dates; null while it has a problem."""


@with_config(_CLOSED)
class OptionTold(TypedDict):
    """One of the words, units or anchors that are offered."""

    key: str
    """What is sent back."""
    label: str
    """What is shown."""
    chosen: bool
    """Whether it is chosen."""


@with_config(_CLOSED)
class ListedTold(TypedDict):
    """A unit that the data holds."""

    key: str
    """What is sent back."""
    label: str
    """What is shown."""
    chosen: bool
    """Whether it is chosen."""
    start: Day
    """Its first date."""
    end: Day
    """Its last date."""
    whole: bool
    """Whether the data holds all of it."""
    options: list[ListedTold]
    """The finer units under it."""


@with_config(_CLOSED)
class InputTold(TypedDict):
    """An input of the picker, or of the chosen choice."""

    key: str
    """Its name in the phrase."""
    name: str
    """The name of its form field."""
    id: str
    """The same with hyphens."""
    label: str
    """What is shown beside it."""
    kind: Literal["count", "day", "unit", "word", "switch", "listed", "anchor"]
    """What it stands for."""
    value: int | str | bool | list[str] | None
    """Its value; null while it has a problem."""
    typed: str | None
    """What was typed, while that is a problem."""
    problem: str | None
    """What is wrong, in words for viewers."""
    problem_code: NotRequired[Code]
    untouched: bool
    """Whether the viewer left it as it opened."""
    range: int
    """Which range it belongs to, from 1."""
    min: int | Day | None
    """The least value."""
    max: int | Day | None
    """The largest value."""
    step: int | str | None
    """The step between values."""
    several: bool
    """Whether several may be chosen."""
    options: list[ListedTold | OptionTold]
    """What is offered."""


@with_config(_CLOSED)
class UnitTold(TypedDict):
    """A unit that charts may be grouped by."""

    key: str
    """Its name."""
    label: str
    """What is shown."""
    buckets: int | None
    """How many buckets it gives."""
    fits: bool
    """Whether that fits."""
    why: str | None
    """Why it does not fit."""
    why_code: NotRequired[Code]


@with_config(_CLOSED)
class ByTold(TypedDict):
    """How charts are grouped."""

    key: str | None
    """The unit that is grouped by."""
    name: str
    """The name of its form field."""
    id: str
    """The same with hyphens."""
    label: str
    """What is shown beside it."""
    untouched: bool
    """Whether the viewer left it as it opened."""
    options: list[UnitTold]
    """The units."""


@with_config(_CLOSED)
class ComparedTold(TypedDict):
    """What charts may be compared with."""

    key: str
    """What is sent back: a shift, or ``nothing``."""
    label: str
    """What is shown."""
    chosen: bool
    """Whether it is chosen."""
    dates: DatesTold | None
    """The dates that stand beside those shown; null for nothing."""


@with_config(_CLOSED)
class CompareTold(TypedDict):
    """What charts are compared with."""

    key: str
    """The one that is chosen."""
    name: str
    """The name of its form field."""
    id: str
    """The same with hyphens."""
    label: str
    """What is shown beside it."""
    untouched: bool
    """Whether the viewer left it as it opened."""
    options: list[ComparedTold]
    """What is offered."""


@with_config(_CLOSED)
class ViewTold(TypedDict):
    """What a picker shows at one moment; every key but codes is always there."""

    picker: str
    """The picker's name."""
    label: str
    """The picker's label."""
    viewers: Literal["choose", "see", "nothing"]
    """What viewers may do."""
    today: Day
    """The clock's day."""
    choice: str | None
    """The choice that is shown; null for fixed dates."""
    opening: bool
    """Whether it is as it opened."""
    choices: list[ChoiceTold]
    """All choices, in order."""
    inputs: list[InputTold]
    """The picker's inputs, then the choice's."""
    by: ByTold | None
    """How charts are grouped; null without a say in it."""
    compare: NotRequired[CompareTold]
    """What charts are compared with; only where viewers have a say in it."""
    dates: DatesTold | None
    """The dates; null while there is a problem."""
    problems: list[str]
    """Why there are no dates."""
    problem_codes: NotRequired[Codes]
    notes: list[str]
    """What a viewer should know."""
    note_codes: NotRequired[Codes]
    state: dict[str, str]
    """All that the viewer touched, as text."""
    shown: str
    """What is shown and untouched, as a query string."""

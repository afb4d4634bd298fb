"""The JSON Schemas of a book's file and of a view, for editors and front ends."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from ulnager.book.keys import KEYS
from ulnager.book.schema import BookFile
from ulnager.core.arguments import checked
from ulnager.core.errors import SettingError

Day = str
CODE: str = Field("", description="Its code, for programs, where codes are asked for.")
CODES: list[str] = Field(
    [], description="Their codes, for programs, in the same order, where codes are asked for."
)


class _Told(BaseModel):
    model_config = ConfigDict(extra="forbid")


class SpanTold(_Told):
    """Dates without a gap, both ends in."""

    start: Day | None = Field(description="The first date; null at an open side.")
    end: Day | None = Field(description="The last date; null at an open side.")


class DatesTold(_Told):
    """The dates of a choice."""

    label: str = Field(description="The dates for a person to read.")
    start: Day | None = Field(description="The first date.")
    end: Day | None = Field(description="The last date, which is in.")
    days: int | None = Field(description="How many days; null where a side is open.")
    empty: bool = Field(description="Whether there are no dates.")
    why: str | None = Field(description="Why there are none.")
    spans: list[SpanTold] = Field(description="All spans, in order.")
    phrase: str = Field(description="The phrase with its values, in canonical form.")


class ChoiceTold(_Told):
    """A choice of the picker."""

    key: str = Field(description="Its key, which never changes.")
    label: str = Field(description="Its long label, with the values of its inputs.")
    short: str = Field(description="Its short label.")
    heading: str | None = Field(description="The heading that it stands under.")
    chosen: bool = Field(description="Whether it is the one that is shown.")
    dates: DatesTold | None = Field(description="Its dates; null while it has a problem.")


class OptionTold(_Told):
    """One of the words, units or anchors that are offered."""

    key: str = Field(description="What is sent back.")
    label: str = Field(description="What is shown.")
    chosen: bool = Field(description="Whether it is chosen.")


class ListedTold(OptionTold):
    """A unit that the data holds."""

    start: Day = Field(description="Its first date.")
    end: Day = Field(description="Its last date.")
    whole: bool = Field(description="Whether the data holds all of it.")
    options: list[ListedTold] = Field(description="The finer units under it.")


class InputTold(_Told):
    """An input of the picker, or of the chosen choice."""

    key: str = Field(description="Its name in the phrase.")
    name: str = Field(description="The name of its form field.")
    id: str = Field(description="The same with hyphens.")
    label: str = Field(description="What is shown beside it.")
    kind: Literal["count", "day", "unit", "word", "switch", "listed", "anchor"] = Field(
        description="What it stands for."
    )
    value: int | str | bool | list[str] | None = Field(
        description="Its value; null while it has a problem."
    )
    typed: str | None = Field(description="What was typed, while that is a problem.")
    problem: str | None = Field(description="What is wrong, in words for viewers.")
    problem_code: str = CODE
    untouched: bool = Field(description="Whether the viewer left it as it opened.")
    range: int = Field(description="Which range it belongs to, from 1.")
    min: int | Day | None = Field(description="The least value.")
    max: int | Day | None = Field(description="The largest value.")
    step: int | str | None = Field(description="The step between values.")
    several: bool = Field(description="Whether several may be chosen.")
    options: list[ListedTold | OptionTold] = Field(description="What is offered.")


class UnitTold(_Told):
    """A unit that charts may be grouped by."""

    key: str = Field(description="Its name.")
    label: str = Field(description="What is shown.")
    buckets: int | None = Field(description="How many buckets it gives.")
    fits: bool = Field(description="Whether that fits.")
    why: str | None = Field(description="Why it does not fit.")
    why_code: str = CODE


class ByTold(_Told):
    """How charts are grouped."""

    key: str | None = Field(description="The unit that is grouped by.")
    name: str = Field(description="The name of its form field.")
    id: str = Field(description="The same with hyphens.")
    label: str = Field(description="What is shown beside it.")
    untouched: bool = Field(description="Whether the viewer left it as it opened.")
    options: list[UnitTold] = Field(description="The units.")


class ViewTold(_Told):
    """What a picker shows at one moment; every key but codes is always there."""

    picker: str = Field(description="The picker's name.")
    label: str = Field(description="The picker's label.")
    viewers: Literal["choose", "see", "nothing"] = Field(description="What viewers may do.")
    today: Day = Field(description="The clock's day.")
    choice: str | None = Field(description="The choice that is shown; null for fixed dates.")
    opening: bool = Field(description="Whether it is as it opened.")
    choices: list[ChoiceTold] = Field(description="All choices, in order.")
    inputs: list[InputTold] = Field(description="The picker's inputs, then the choice's.")
    by: ByTold | None = Field(description="How charts are grouped; null without a say in it.")
    dates: DatesTold | None = Field(description="The dates; null while there is a problem.")
    problems: list[str] = Field(description="Why there are no dates.")
    problem_codes: list[str] = CODES
    notes: list[str] = Field(description="What a viewer should know.")
    note_codes: list[str] = CODES
    state: dict[str, str] = Field(description="All that the viewer touched, as text.")
    shown: str = Field(description="What is shown and untouched, as a query string.")


_MODELS: dict[str, type[BaseModel]] = {"view": ViewTold, "book": BookFile}


@checked()
def schema(name: str) -> dict[str, Any]:
    """The JSON Schema (2020-12) of a ``view`` or of a ``book``.

    >>> schema("view")["title"]
    'ViewTold'

    Raises SettingError for any other name.
    """
    if name not in _MODELS:
        raise SettingError(f"there is no schema {name!r}; there are: {', '.join(_MODELS)}")
    found = _MODELS[name].model_json_schema(mode="validation")
    found = {"$schema": "https://json-schema.org/draft/2020-12/schema", **found}
    if name == "book":
        _describe(found)
    return found


def _describe(found: dict[str, Any]) -> None:
    """A description on every key of a book."""
    for table in (found, *found.get("$defs", {}).values()):
        for key, one in table.get("properties", {}).items():
            one.setdefault("description", KEYS[key])

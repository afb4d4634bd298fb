"""What a book's file may hold for viewers: pickers, pages and schedules, checked with Pydantic."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

_Name = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$")]
Settings = dict[str, Any]
"""The settings of an input; which there are depends on its kind."""


class Part(BaseModel):
    """A table of a book: only known keys, of the right type."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)


class Accepting(Part):
    """A part with a name, whose findings can be accepted, each by its rule, with a reason."""

    accept: dict[str, str] = {}


class HeadingEntry(Part):
    """A heading for the choices that follow; an empty one ends it."""

    heading: str


class PhraseEntry(Part):
    """A phrase that stands in the list of choices itself, measured from the picker's anchor."""

    phrase: str
    key: str | None = None
    label: str = ""
    short: str = ""
    inputs: dict[_Name, Settings] = {}


class ByEntry(Part):
    """The units that charts may be grouped by, and the one it opens with."""

    of: list[str] = Field(min_length=1)
    opens: str = "fitting"
    max_buckets: int = Field(60, ge=1)
    label: str = "Grouped by"


class PickerEntry(Accepting):
    """Choices in order, the one it opens with, and what viewers may do."""

    label: str = ""
    choices: list[str | HeadingEntry | PhraseEntry] = []
    opens: str | None = None
    anchor: str | None = None
    labels: Literal["long", "short"] = "long"
    viewers: Literal["choose", "see", "nothing"] = "choose"
    tz: str | None = None
    dates_as: str | None = None
    inputs: dict[_Name, Settings] = {}
    by: ByEntry | None = None


class ChartEntry(Accepting):
    """A chart: its source and column, and what governs its dates."""

    source: str
    column: str | None = None
    label: str = ""
    period: str | None = None
    follows: str | None = None
    dates: Literal["none"] | None = None
    shifted: str | None = None
    where: dict[str, str | int | float | list[str | int | float]] = {}
    by: str | None = None
    partial: Literal["mark", "drop", "keep"] = "mark"
    max_buckets: int | None = Field(None, ge=1)
    value: str | None = None
    how: str | None = None
    split: str | None = None
    top: int | None = Field(None, ge=1)
    beside: str | None = None
    running: str | None = None


class PageEntry(Accepting):
    """Charts, the picker that governs them, and the state that the page opens with."""

    label: str = ""
    picker: str | None = None
    anchor: str | None = None
    opens: dict[str, str] = {}
    charts: dict[_Name, ChartEntry] = {}


class ScheduleEntry(Accepting):
    """A page at set times: a rule of RFC 5545, a time of day and its zone, the book's
    unless it is said."""

    page: str
    label: str = ""
    opens: dict[str, str] = {}
    every: str
    at: str = "00:00"
    tz: str | None = None
    starts: date | None = None

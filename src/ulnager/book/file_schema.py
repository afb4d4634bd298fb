"""What a book's file may hold, checked with Pydantic.

Only the shape is checked here; what the phrases mean is checked by ``book.reading``.
"""

from __future__ import annotations

from dataclasses import fields
from datetime import date
from typing import Annotated, Any, Literal, Union, get_type_hints

from pydantic import BaseModel, BeforeValidator, ConfigDict, Discriminator, Field, Tag, create_model
from pydantic_core import PydanticCustomError

from ulnager.choices.picker_base import MOST_BUCKETS
from ulnager.core.language.inputs import KINDS, Input, InputProblem, day_of

Name = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$")]


def _as_said(settings: Any) -> Any:
    return settings


def _as_date(given: Any) -> Any:
    """A date in quotes is the date."""
    if not isinstance(given, str):
        return given
    try:
        return day_of(given)
    except InputProblem as problem:
        raise PydanticCustomError("no_date", "{told}", {"told": str(problem)}) from None


Day = Annotated[date, BeforeValidator(_as_date, json_schema_input_type=date)]
"""A date, with or without quotes."""

Label = Annotated[str, BeforeValidator(_as_said, json_schema_input_type=str | dict[str, str])]
"""What viewers see; in the file one for each language, of which the reader takes one."""


class BookTable(BaseModel):
    """A table of a book: only known keys, of the right type."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)


class Accepting(BookTable):
    """A part with a name, whose findings can be accepted, each by its rule, with a reason."""

    accept: dict[str, str] = {}


def _table_of(kind: type[Input]) -> type[BookTable]:
    hints = get_type_hints(kind)
    keys: dict[str, Any] = {
        one.name: (hints[one.name], ... if one.default == "" else one.default)
        if one.name != "labels"
        else (dict[str, Label], {})
        for one in fields(kind)
        if one.name != "name"
    }
    if not kind.needs_opening:
        keys["kind"] = (hints["kind"], ...)
    keys["label"] = (Label, "")
    return create_model(kind.__name__, __base__=BookTable, __doc__=kind.__doc__, **keys)


INPUTS = tuple(map(_table_of, KINDS.values()))
"""The tables of inputs, with the fields of their classes; a slot without a kind says by its place
which it is."""

_AnyInput: Any = Union[INPUTS]  # noqa: UP007
Settings = Annotated[dict[str, Any], BeforeValidator(_as_said, json_schema_input_type=_AnyInput)]
"""The settings of an input, which depend on its kind; what is wrong with them is told once its slot
is known."""


class HeadingEntry(BookTable):
    """A heading for the choices that follow; an empty one ends it."""

    heading: Label


class PhraseEntry(BookTable):
    """A phrase that stands in the list of choices itself, measured from the picker's anchor; with
    ``build`` a sentence in which viewers put one together."""

    phrase: str = ""
    build: bool = False
    key: str | None = None
    label: Label = ""
    short: Label = ""
    inputs: dict[Name, Settings] = {}


def _sort_of_choice(given: object) -> str:
    if not isinstance(given, dict):
        return "phrase" if isinstance(given, PhraseEntry) else "name"
    return "heading" if "heading" in given else "phrase"


_Choice = Annotated[
    Annotated[str, Tag("name")]
    | Annotated[HeadingEntry, Tag("heading")]
    | Annotated[PhraseEntry, Tag("phrase")],
    Discriminator(_sort_of_choice),
]


class ByEntry(BookTable):
    """The units that charts may be grouped by, and the one it opens with."""

    of: list[str] = Field(min_length=1)
    opens: str = "fitting"
    max_buckets: int = Field(MOST_BUCKETS, ge=1)
    label: Label = "Grouped by"


class CompareEntry(BookTable):
    """What viewers may compare charts with: shifts, or 'nothing'; and the one it opens with."""

    of: list[str] = Field(min_length=1)
    opens: str | None = None
    label: Label = "Compared with"


class PickerEntry(Accepting):
    """Choices in order, the one it opens with, and what viewers may do."""

    label: Label = ""
    choices: list[_Choice] = []
    opens: str | None = None
    anchor: str | None = None
    labels: Literal["long", "short"] = "long"
    viewers: Literal["choose", "see", "nothing"] = "choose"
    tz: str | None = None
    dates_as: str | None = None
    inputs: dict[Name, Settings] = {}
    cuts: list[Literal["no_today", "no_running", "no_future"]] = []
    by: ByEntry | None = None
    compare: CompareEntry | None = None


class ChartEntry(Accepting):
    """A chart: its source and column, and what governs its dates."""

    source: str
    column: str | None = None
    until: str | None = None
    label: Label = ""
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
    split: str | list[str] | None = None
    top: int | None = Field(None, ge=1)
    beside: str | None = None
    running: str | None = None
    per: Literal["day", "business day", "day with rows"] | None = None
    form: Literal["bars", "line", "calendar", "number", "rows"] | None = None
    columns: list[str] = []
    order: list[str] = []
    limit: int = Field(20, ge=1, le=1000)
    csv: bool = False


class ValuesEntry(Accepting):
    """A column whose values viewers choose: what it opens with, and how many are listed."""

    column: str | None = None
    label: Label = ""
    several: bool = True
    opens: str | list[str] = []
    limit: int = Field(50, ge=1, le=1000)


class PageEntry(Accepting):
    """Charts, the picker that governs them, filters by value, and the state that it opens with."""

    label: Label = ""
    picker: str | None = None
    anchor: str | None = None
    values: list[str] = []
    details: Literal["all", "none"] = "all"
    step: str | None = None
    round: bool = False
    plays: bool = False
    refresh: str | None = None
    opens: dict[str, str | list[str]] = {}
    charts: dict[Name, ChartEntry] = {}


class ScheduleEntry(Accepting):
    """A page at set times: a rule of RFC 5545, a time of day and its zone, the book's
    unless it is said."""

    page: str
    label: Label = ""
    opens: dict[str, str | list[str]] = {}
    every: str
    at: str = "00:00"
    tz: str | None = None
    starts: Day | None = None


class CycleEntry(BookTable):
    """A unit of a fixed number of days, counted from a day on which one starts."""

    days: int
    starts: Day


class SharedByCalendars(Accepting):
    """What calendars of all kinds have: business days, and units of their own.

    ``database`` names the source in whose database a ``table`` or ``holiday_table`` is.
    """

    year_named_by: Literal["start", "end"] = "end"
    days_off: list[str] | None = None
    holidays: list[Day] = []
    holiday_file: str | None = None
    holiday_table: str | None = None
    database: str | None = None
    holiday_country: str | None = None
    holiday_region: str | None = None
    working_days: list[Day] = []
    cycles: dict[str, CycleEntry] = {}


class MonthsEntry(SharedByCalendars):
    """A calendar of months, which is the usual kind."""

    kind: Literal["months"] = "months"
    year_starts: str | None = None
    week_starts: str | None = None


class WeeksEntry(SharedByCalendars):
    """A calendar of whole weeks."""

    kind: Literal["weeks"]
    layout: str | None = None
    last_day: str | None = None
    month: str | None = None
    ends: str | None = None
    long_period: int | None = None


class TableEntry(SharedByCalendars):
    """A calendar whose units a file, or a table of a database, lists; a base has those that it
    does not list."""

    kind: Literal["table"]
    file: str | None = None
    table: str | None = None
    base: str | None = None


CALENDARS: dict[str, type[SharedByCalendars]] = {
    "months": MonthsEntry,
    "weeks": WeeksEntry,
    "table": TableEntry,
}


def _kind_of(value: Any) -> Any:
    kind = value.get("kind", "months") if isinstance(value, dict) else "months"
    return kind if isinstance(kind, str) else ""


CalendarEntry = Annotated[
    Annotated[MonthsEntry, Tag("months")]
    | Annotated[WeeksEntry, Tag("weeks")]
    | Annotated[TableEntry, Tag("table")],
    Discriminator(
        _kind_of,
        custom_error_type="calendar_kind",
        custom_error_message="Input should be 'months', 'weeks' or 'table'",
    ),
]
"""A named calendar of one of three kinds."""


class SourceEntry(Accepting):
    """What sources of all kinds have: a date column, where its days are, and whose days off it is
    not missed on.

    ``column_type`` says that the column is a key, ``grain`` and ``stamps`` what one row stands for,
    ``loaded`` how long after their day its rows come: ``3 days later``.
    """

    column: str | None = None
    column_type: Literal["yyyymmdd", "yyyymm", "yyyyww", "iso-week"] | None = None
    grain: str | None = None
    stamps: Literal["first", "last"] | None = None
    rounding: Literal["inward", "outward"] | None = None
    open_ended: list[Day] | None = None
    tz: str | None = None
    calendar: str | None = None
    share: float | None = None
    loaded: str | None = None
    period: str | None = None
    where: dict[str, str | int | float | list[str | int | float]] = {}


class FileSourceEntry(SourceEntry):
    """A file, or several, with how a CSV file is written."""

    file: str | list[str]
    delimiter: str | None = None
    header: bool | None = None
    encoding: str | None = None
    decimal: Literal[",", "."] | None = None
    date_format: str | None = None


class DatabaseSourceEntry(SourceEntry):
    """A table of a database; ``password_env`` names the environment variable that holds its
    password."""

    url: str
    table: str
    password_env: str | None = None


class QuerySourceEntry(SourceEntry):
    """A query over the book's other sources."""

    query: str


SOURCES: dict[str, type[SourceEntry]] = {
    "file": FileSourceEntry,
    "url": DatabaseSourceEntry,
    "query": QuerySourceEntry,
}


def _place_of(value: Any) -> str:
    said = [kind for kind in SOURCES if isinstance(value, dict) and kind in value]
    return said[0] if len(said) == 1 else ""


AnySource = Annotated[
    Annotated[FileSourceEntry, Tag("file")]
    | Annotated[DatabaseSourceEntry, Tag("url")]
    | Annotated[QuerySourceEntry, Tag("query")],
    Discriminator(
        _place_of,
        custom_error_type="source_kind",
        custom_error_message="a source is a file, the url of a database, or a query over others; "
        "give one of them",
    ),
]
"""Data of one of three kinds."""


class AnchorEntry(Accepting):
    """A named point to measure from, in the data of its sources.

    ``day`` overrides whether its day is over. Of several sources the earliest day counts.
    """

    point: str
    day: Literal["over", "running"] | None = None
    sources: list[str] = []


def _short_anchor(value: Any) -> Any:
    return {"point": value} if isinstance(value, str) else value


class PeriodEntry(Accepting):
    """A named phrase, how viewers see it, the anchor it is measured from, and its calendar."""

    phrase: str
    label: Label = ""
    short: Label = ""
    anchor: str | None = None
    calendar: str | None = None
    ranges: int = Field(1, ge=1, le=50)
    inputs: dict[Name, Settings] = {}


def _short_period(value: Any) -> Any:
    return {"phrase": value} if isinstance(value, str) else value


_Anchor = Annotated[
    AnchorEntry, BeforeValidator(_short_anchor, json_schema_input_type=str | AnchorEntry)
]
_Period = Annotated[
    PeriodEntry, BeforeValidator(_short_period, json_schema_input_type=str | PeriodEntry)
]


class ReadingsEntry(BookTable):
    """How ambiguous phrases are read in this book."""

    last: Literal["rolling", "whole", "to date", "to end", "refuse"] = "rolling"
    next: Literal["rolling", "whole", "from date", "from start", "refuse"] = "rolling"


class BookFile(Accepting):
    """The tables of a book's file; ``calendar`` names the one for periods and sources that name
    none, ``tz`` is the zone of all that name none. Days start at ``day_starts``."""

    include: list[str] = []
    calendar: str | None = None
    tz: str | None = None
    day_starts: str = "00:00"
    calendars: dict[Name, CalendarEntry] = {}
    sources: dict[Name, AnySource] = {}
    anchors: dict[Name, _Anchor] = {}
    readings: ReadingsEntry = ReadingsEntry()
    periods: dict[Name, _Period] = {}
    anchor: str | None = None
    picker: str | None = None
    link_key: str | None = None
    offset_file: str | None = None
    locale: str | None = None
    dates_as: str | None = None
    pickers: dict[Name, PickerEntry] = {}
    values: dict[Name, ValuesEntry] = {}
    pages: dict[Name, PageEntry] = {}
    schedules: dict[Name, ScheduleEntry] = {}

"""Prints docs/keys.md from the models of a book's file: ``python docs/keys.py``."""

from __future__ import annotations

import types
from datetime import date
from pathlib import Path
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic.fields import FieldInfo

from ulnager.book import file_schema as shapes
from ulnager.book.json_schemas import KEYS

PAGE = Path(__file__).parent / "keys.md"
INTRODUCTION = """\
# All keys of a book

This page is written by `python docs/keys.py` from the models that a book is checked with, and a test holds it to
them. `ulnager.schema("book")` is the same as JSON Schema, for editors; what each part is for is in
[choices.md](choices.md), [calendars.md](calendars.md) and [work.md](work.md). A key with `!` has to be there.
"""
TABLES = (
    ("At the top", "", shapes.BookFile),
    *(
        (f"A calendar of kind {kind}", "[calendars.NAME]", one)
        for kind, one in shapes.CALENDARS.items()
    ),
    ("A unit of its own", "[calendars.NAME.cycles.NAME]", shapes.CycleEntry),
    *((f"A source with a {kind}", "[sources.NAME]", one) for kind, one in shapes.SOURCES.items()),
    ("An anchor", "[anchors.NAME]", shapes.AnchorEntry),
    ("Readings", "[readings]", shapes.ReadingsEntry),
    ("A period", "[periods.NAME]", shapes.PeriodEntry),
    ("A picker", "[pickers.NAME]", shapes.PickerEntry),
    ("A choice that is a phrase", "in choices", shapes.PhraseEntry),
    ("A heading", "in choices", shapes.HeadingEntry),
    ("Grouping", "[pickers.NAME.by]", shapes.ByEntry),
    ("Comparing", "[pickers.NAME.compare]", shapes.CompareEntry),
    ("A filter by value", "[values.NAME]", shapes.ValuesEntry),
    ("A page", "[pages.NAME]", shapes.PageEntry),
    ("A chart", "[pages.NAME.charts.NAME]", shapes.ChartEntry),
    ("A schedule", "[schedules.NAME]", shapes.ScheduleEntry),
    *(
        (f"An input: {one.model_fields['kind'].annotation.__args__[0]}", "[….inputs.NAME]", one)
        for one in shapes.INPUTS
    ),
)
WORDS = {
    str: "text",
    int: "whole number",
    float: "number",
    bool: "true or false",
    date: "date",
    types.NoneType: "",
    dict: "table",
    Any: "anything",
}


def values(kind: Any) -> str:
    """What a key may hold, in words."""
    origin, args = get_origin(kind), get_args(kind)
    if origin is Annotated:
        return values(args[0])
    if origin is Literal:
        return " or ".join(f"`{one}`" for one in args)
    if origin in (Union, types.UnionType):
        return " or ".join(dict.fromkeys(filter(None, map(values, args))))
    if origin is list:
        return f"list of {values(args[0])}"
    if origin is dict:
        return "table"
    return WORDS.get(kind, "table")


def usual(field: FieldInfo) -> str:
    """What holds where a key is not there."""
    default = field.get_default(call_default_factory=True)
    if field.is_required() or default in (None, "", []) or not isinstance(default, str | int):
        return ""
    return f"`{str(default).lower() if isinstance(default, bool) else default}`"


def keys() -> str:
    """The whole page."""
    parts = [INTRODUCTION]
    for title, place, model in TABLES:
        head = f"## {title}\n\n" + (f"`{place}`" if place else "") + "\n\n" * bool(place)
        rows = ["| key | holds | usually | what it is for |", "| --- | --- | --- | --- |"]
        for name, field in sorted(model.model_fields.items()):
            sign = " !" if field.is_required() else ""
            rows.append(
                f"| `{name}`{sign} | {values(field.annotation)} | {usual(field)} "
                f"| {KEYS[name].replace('|', '/')} |"
            )
        parts.append(head + "\n".join(rows) + "\n")
    return "\n".join(parts)


if __name__ == "__main__":
    PAGE.write_text(keys(), encoding="utf-8")

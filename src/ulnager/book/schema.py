"""What a book's file may hold, checked with Pydantic.

Only the shape is checked here; what the phrases mean is checked by ``book.reading``.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

Name = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$")]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)


class AnchorEntry(_Part):
    """A named point to measure from; ``day`` overrides whether its day is over."""

    point: str
    day: Literal["over", "running"] | None = None


def _short_anchor(value: Any) -> Any:
    return {"point": value} if isinstance(value, str) else value


class PeriodEntry(_Part):
    """A named phrase, how viewers see it, and the anchor it is measured from."""

    phrase: str
    label: str = ""
    anchor: str | None = None


class ReadingsEntry(_Part):
    """How ambiguous phrases are read in this book."""

    last: Literal["rolling", "whole", "to date", "to end", "refuse"] = "rolling"
    next: Literal["rolling", "whole", "from date", "from start", "refuse"] = "rolling"


class BookFile(_Part):
    """The tables of a book's file."""

    anchors: dict[Name, Annotated[AnchorEntry, BeforeValidator(_short_anchor)]] = {}
    readings: ReadingsEntry = ReadingsEntry()
    periods: dict[Name, PeriodEntry] = {}

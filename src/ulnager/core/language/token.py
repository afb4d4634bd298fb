"""A piece of a phrase."""

from __future__ import annotations

from typing import NamedTuple


class Token(NamedTuple):
    """A piece of the text: what sort it is, its canonical wording, and its place."""

    kind: str
    text: str
    start: int
    end: int

"""What views need from outside of the core: conditions, kept rows, parameters of statements."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Filter = Callable[..., Any]
_filters: dict[str, Filter] = {}


def set_filters(**filters: Filter) -> None:
    """What makes conditions and keeps rows, which lies outside of the core."""
    _filters.update(filters)


def filters(name: str) -> Filter:
    """What was put in with :func:`set_filters`."""
    return _filters[name]

"""What the core has to be told by what lies around it: the time, the dates in data, languages.

The core reads no clock, no file and no catalogue of a language. Who puts it to use says once, with
:func:`surround`, who answers; ``ulnager`` does when it is imported.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, tzinfo
from typing import Any, Protocol

from ulnager.core.errors import ResolveError


class Outside(Protocol):
    """Answers what the core cannot know."""

    def present(self, zone: tzinfo | None) -> datetime:
        """The present instant, in a zone or in the one of the system, always with its offset."""

    def extent(self, data: object) -> Any:
        """An Extent: the first and last date in data of any sort; SettingError for what is none."""

    def words(
        self, locale: str, dates_as: str | None, texts: Mapping[str, Mapping[str, str]]
    ) -> Any:
        """The Words of a locale; SettingError where there is no such locale."""

    def field_schema(self, kind: type) -> Any:
        """How a library of models validates a field of this kind, which is read from its phrase and
        written as it."""


_known: list[Outside] = []


def surround(outside: Outside) -> None:
    """From here on ``outside`` answers."""
    _known[:] = [outside]


def outside() -> Outside:
    """Who answers; ResolveError where nobody does."""
    if not _known:
        raise ResolveError("nobody says what time it is; give today or now")
    return _known[0]

"""When a view is opened, and what the data holds then."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, tzinfo
from typing import Any

from ulnager.core.calendars.daynumbers import date_of
from ulnager.core.calendars.instants import moment_of
from ulnager.core.calendars.months import GREGORIAN
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.clock import Clock, extent_of
from ulnager.core.words import ENGLISH, Words

Look = Callable[[str], Extent | None]
"""The dates of a source of the book by its name."""


@dataclass(frozen=True)
class Moment:
    """The clock's day, its instant where that is known, and the dates of the data by source.

    ``data`` under the empty name answers for all sources.
    """

    today: date
    now: datetime | None = None
    tz: str | tzinfo | None = None
    data: Mapping[str, Extent] = field(default_factory=dict)
    look: Look | None = field(default=None, compare=False)
    words: Words = ENGLISH
    """The words of the viewer's language."""
    known: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)
    """What was found at this moment already: dates of sources, days of anchors."""

    def extent(self, sources: Iterable[str]) -> Extent | None:
        """The dates that all of the sources hold; None where nobody knows them.

        Of several sources the earliest latest day counts, and the latest earliest one.
        """
        if "" in self.data:
            return self.data[""]
        found = [extent for name in sources if (extent := self._of(name)) is not None]
        if len(found) < 2:
            return found[0] if found else None
        return Extent(
            max(one.first for one in found),
            min(one.last for one in found),
            min(one.last_whole or one.last for one in found),
            found[0].missing,
        )

    def _of(self, name: str) -> Extent | None:
        if name in self.data or self.look is None:
            return self.data.get(name)
        if ("source", name) not in self.known:
            self.known["source", name] = self.look(name)
        found: Extent | None = self.known["source", name]
        return found

    def has_to_look(self, name: str) -> bool:
        """Whether a source would have to be asked for its dates."""
        is_given = "" in self.data or name in self.data or self.look is None
        return not is_given and ("source", name) not in self.known

    def clock(self, *, in_hours: bool) -> dict[str, Any]:
        """What tells a period what time it is."""
        if in_hours and self.now is not None:
            return {"now": self.now, "tz": self.tz}
        return {"today": self.today}


def moment_from(
    today: object = None,
    now: datetime | str | None = None,
    tz: str | tzinfo | None = None,
    data: object = None,
    look: Look | None = None,
    words: Words = ENGLISH,
) -> Moment:
    """A moment as callers give it; the present one where they say nothing.

    Raises SettingError for what is no day, instant, zone or data.
    """
    basis = Clock(today, now, tz).basis(GREGORIAN)
    instant = None if basis.now is None or basis.zone is None else moment_of(basis.now, basis.zone)
    day: date = date_of(basis.anchor)
    return Moment(day, instant, basis.zone, _by_source(data), look, words)


def _by_source(data: object) -> dict[str, Extent]:
    if data is None:
        return {}
    if isinstance(data, Mapping):
        return {str(name): extent_of(one) for name, one in data.items()}
    return {"": extent_of(data)}

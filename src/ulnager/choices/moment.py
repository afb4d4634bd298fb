"""When something is opened, and what the data holds then: made once, at the edge of a call.

Everything below is handed the moment whole and reads no clock: today or now, the zone, when a day
starts, the dates of the data, and where the moment lies in the past, what was loaded by then.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta, tzinfo
from typing import Any, Protocol

from ulnager.core.calendars.day_numbers import date_of
from ulnager.core.calendars.instants import moment_of
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.errors import ResolveError
from ulnager.core.periods.anchors import Extent, together
from ulnager.core.periods.clock import Clock, extent_of
from ulnager.core.words import ENGLISH, Words


class Look(Protocol):
    """Finds the dates of a source of the book by its name, as they are at a moment."""

    def __call__(self, name: str, moment: Moment, /) -> Extent | None: ...


@dataclass(frozen=True)
class Moment:
    """The clock's day, its instant where that is known, and the dates of the data by source.

    ``data`` under the empty name answers for all sources. ``spare`` answers where no source is
    named at all. ``up_to`` is set for a moment of the past: the last day that any data counts.
    """

    today: date
    now: datetime | None = None
    tz: str | tzinfo | None = None
    data: Mapping[str, Extent] = field(default_factory=dict)
    look: Look | None = field(default=None, compare=False)
    words: Words = ENGLISH
    """The words of the viewer's language."""
    day_starts: str = "00:00"
    up_to: date | None = None
    clock_day: date | None = None
    """The day of the call's own clock, where the moment is another: a source that runs ahead of it
    is never cut."""
    spare: Callable[[], Extent | None] | None = field(default=None, compare=False)
    known: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)
    """What was found at this moment already: dates of sources, days of anchors."""

    def extent(self, sources: Iterable[str]) -> Extent | None:
        """The dates that all of the sources hold; None where nobody knows them.

        Raises ResolveError where they have no day in common.
        """
        if "" in self.data:
            return self.data[""]
        names = tuple(sources)
        if not names and self.spare is not None:
            return self.spare()
        found = together([one for name in names if (one := self._of(name)) is not None])
        if found is not None and found.last < found.first:
            raise ResolveError(f"{' and '.join(names)} have no day in common")
        return found

    def _of(self, name: str) -> Extent | None:
        if name in self.data or self.look is None:
            return self.data.get(name)
        if ("source", name) not in self.known:
            self.known["source", name] = self.look(name, self)
        found: Extent | None = self.known["source", name]
        return found

    def has_to_look(self, name: str) -> bool:
        """Whether a source would have to be asked for its dates."""
        is_given = "" in self.data or name in self.data or self.look is None
        return not is_given and ("source", name) not in self.known

    def clock(self, *, in_hours: bool = False) -> dict[str, Any]:
        """What tells a period what time it is."""
        if in_hours and self.now is not None:
            return {"now": self.now, "tz": self.tz, "day_starts": self.day_starts}
        return {"today": self.today, "day_starts": self.day_starts}

    def cut_after(self, extent: Extent, lag: int) -> date | None:
        """The last day that a source's rows count, when that lies in the past; None where nothing
        is cut: now, where the data was given, and for a source that runs ahead of the clock."""
        if self.up_to is None or "" in self.data:
            return None
        if self.clock_day is not None and extent.last > self.clock_day:
            return None
        return self.up_to - timedelta(days=lag)

    @property
    def is_reconstructed(self) -> bool:
        """Whether any source held more than counts at the moment."""
        return any(was_cut for (what, *_), was_cut in self.known.items() if what == "cut")

    def in_words(self, words: Words) -> Moment:
        """The same in another language."""
        return replace(self, words=words)


def moment_from(
    today: object = None,
    now: datetime | str | None = None,
    tz: str | tzinfo | None = None,
    data: object = None,
    look: Look | None = None,
    words: Words = ENGLISH,
    day_starts: str = "00:00",
) -> Moment:
    """A moment as callers give it; the present one where they say nothing.

    Raises SettingError for what is no day, instant, zone or data.
    """
    basis = Clock(today, now, tz, day_starts).basis(GREGORIAN)
    instant = None if basis.now is None or basis.zone is None else moment_of(basis.now, basis.zone)
    day: date = date_of(basis.anchor)
    return Moment(day, instant, basis.zone, _by_source(data), look, words, day_starts)


def past_moment(moment: Moment, clock: Moment) -> Moment:
    """A moment before the call's clock as it was: the data counts as if it went up to the day
    before."""
    if moment.today == date.min:
        return moment
    before = moment.today - timedelta(days=1)
    return replace(moment, up_to=before, clock_day=clock.today, known={})


def _by_source(data: object) -> dict[str, Extent]:
    if data is None:
        return {}
    if isinstance(data, Mapping):
        return {str(name): extent_of(one) for name, one in data.items()}
    return {"": extent_of(data)}

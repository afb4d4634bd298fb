"""From a definition to its dates, the one way that every door asks: books, pickers, pages,
schedules, checks, the service.

A period is measured from: ``as of`` in its phrase; else what the call or a viewer says; else its
own anchor; else the book's; else the clock. Where it is shown changes nothing.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta, tzinfo
from typing import Any, Protocol

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.instants import moment_of
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.language.period import Period, basis_of
from ulnager.core.periods import phrases
from ulnager.core.periods.anchor_provenance import has_own_anchor
from ulnager.core.periods.anchors import Anchor, Defaults, Extent, together
from ulnager.core.periods.clock import Clock, extent_of
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.resolution import Resolution
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
        told: dict[str, Any] = {"day_starts": self.day_starts}
        if not in_hours:
            return {"today": self.today, **told}
        now = {"today": self.today} if self.now is None else {"now": self.now}
        return {**now, **told, "tz": self.tz}

    def cut_after(self, extent: Extent, lag: int) -> date | None:
        """The last day that a source's rows count, when that lies in the past; None where nothing
        is cut: now, where the data was given, and for a source that runs ahead of the clock."""
        if self.up_to is None or "" in self.data:
            return None
        if self.clock_day is not None and extent.last > self.clock_day:
            return None
        return self.up_to - timedelta(days=lag)

    @property
    def last_date(self) -> date | None:
        """The last date of all sources that were looked at; None where none was."""
        held = [found for (what, *_), found in self.known.items() if what == "source" and found]
        return max((one.last for one in held), default=None)

    @property
    def is_reconstructed(self) -> bool:
        """Whether any source held more than counts at the moment."""
        return any(was_cut for (what, *_), was_cut in self.known.items() if what == "cut")

    def in_words(self, words: Words) -> Moment:
        """The same in another language."""
        return replace(self, words=words)


def moment_from(
    today: date | str | None = None,
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


@dataclass(frozen=True)
class AnchorPoint:
    """A named point to measure from; ``running`` is None where the point itself decides."""

    name: str
    point: Period
    running: bool | None = None
    sources: tuple[str, ...] = ()

    @property
    def definition(self) -> Definition:
        """The point itself."""
        found: Definition = self.point.definition.args[0]
        return found

    @functools.cached_property
    def asks_data(self) -> bool:
        """Whether it speaks of the data."""
        return self.point.definition.asks_data

    @property
    def in_a_phrase(self) -> Definition:
        """The point as a phrase says it; SettingError where its day is called over or running, and
        the point's is not, which no phrase can say."""
        point = self.definition
        running = point.rule.is_running
        if self.running not in (None, running):
            raise SettingError(
                f"the anchor {self.name} says that the day of '{point}' is "
                f"{'over' if running else 'running'}, which no phrase can say; give it as as_of"
            )
        return point


def point_from(definition: Definition) -> AnchorPoint:
    """A point that somebody typed, which has no name in the book."""
    return AnchorPoint("", Period(Definition(phrases.on, (definition,))))


@dataclass(frozen=True)
class Resolver:
    """What a book says that the dates of all its phrases hang on.

    ``anchor`` is the book's own, ``only`` its only source, where it has just one, ``tz`` the zone
    of its clock, whose days start at ``day_starts``.
    """

    calendar: Calendar | None = None
    calendars: Mapping[str, Calendar] = field(default_factory=dict)
    defaults: Defaults | None = None
    anchors: Mapping[str, AnchorPoint] = field(default_factory=dict)
    anchor: AnchorPoint | None = None
    only: tuple[str, ...] = ()
    tz: str | None = None
    day_starts: str = "00:00"
    grained: frozenset[str] = frozenset()
    """The sources of which the book says that a row stands for more than a day, and does not say
    what becomes of a unit that a period cuts."""

    def sources(self, anchor: AnchorPoint | None) -> tuple[str, ...]:
        """Which sources answer for the data: the anchor's, else the book's anchor's, else the only
        one there is."""
        for one in (anchor, self.anchor):
            if one is not None and one.sources:
                return one.sources
        return self.only

    def resolved(
        self,
        definition: Definition,
        moment: Moment,
        own: AnchorPoint | None = None,
        calendar: Calendar | None = None,
        *,
        said: AnchorPoint | Anchor | None = None,
        defaults: Defaults | None = None,
    ) -> Resolution:
        """The dates of a definition at a moment.

        ``own`` is the anchor of its own, ``said`` what the call or a viewer says. Raises
        ResolveError where it has none.
        """
        basis = self.basis(definition, moment, own, calendar, said, defaults)
        return Period(definition)._resolve_on(basis)

    def basis(
        self,
        definition: Definition,
        moment: Moment,
        own: AnchorPoint | None = None,
        calendar: Calendar | None = None,
        said: AnchorPoint | Anchor | None = None,
        defaults: Defaults | None = None,
    ) -> Basis:
        """What a definition is worked out against."""
        # A phrase that says what it is measured from is not measured from anything else before.
        anchor = said or own or self.anchor
        if not definition.is_plain_span and has_own_anchor(definition):
            anchor = None
        point = anchor if isinstance(anchor, AnchorPoint) else None
        sources: tuple[str, ...] = ()
        if asks := definition.asks_data or (point is not None and point.asks_data):
            sources = (point and point.sources) or self.sources(own)
        in_hours, chosen = definition.is_sub_day, calendar or self.calendar
        # Many choices are measured against the same; what that is, is found once for a moment.
        is_named = defaults is None and (anchor is None or (point is not None and point.name != ""))
        name = point and point.name
        key = ("basis", name, id(chosen), sources, asks, in_hours, moment.words, id(self))
        known: Basis | None = moment.known.get(key) if is_named else None
        if known is None:
            given: dict[str, Any] = {
                **moment.clock(in_hours=in_hours),
                "calendar": chosen,
                "calendars": self.calendars,
                "defaults": self.defaults if defaults is None else defaults,
                "data": moment.extent(sources) if asks else None,
                "locale": moment.words,
            }
            known = self._made(given, anchor)
            if is_named:
                moment.known[key] = known
        return known

    def _made(self, given: dict[str, Any], anchor: AnchorPoint | Anchor | None) -> Basis:
        if anchor is None:
            return basis_of(**given)
        if isinstance(anchor, Anchor):
            return basis_of(**given, as_of=anchor)
        if anchor.running is None:
            return basis_of(**given, as_of=anchor.definition)
        day = anchor.point.resolve(**given).start
        assert day is not None
        return basis_of(**given, as_of=Anchor(day, anchor.running, str(anchor.point)))

    def fixed(self, definition: Definition, moment: Moment) -> Resolution:
        """The dates of a definition that nothing has a say in."""
        basis = basis_of(
            **moment.clock(),
            calendar=self.calendar,
            calendars=self.calendars,
            defaults=self.defaults,
            locale=moment.words,
        )
        return Period(definition)._resolve_on(basis)

    def check_grain(self, result: Resolution, moment: Moment, anchor: AnchorPoint | None) -> None:
        """FilterError for dates that cut a unit of the data that answers for them."""
        sources = self.sources(anchor)
        if self.grained.intersection(sources) and not result.period.definition.is_sub_day:
            extent = moment.extent(sources)
            if extent is not None and extent.grain is not None:
                extent.grain.rounded(extent._closing(result.ranges), None, str(result.period))

    def extent(self, moment: Moment, anchor: AnchorPoint | None = None) -> Extent | None:
        """The dates of the data that answers for an anchor, None where nobody knows them."""
        return moment.extent(self.sources(anchor))

"""A book as values: named calendars, sources, anchors and periods that resolve."""

from __future__ import annotations

import functools
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from pathlib import Path
from typing import Any, TypeVar

from ulnager.book.names_in_phrases import expanded
from ulnager.book.schedules import Schedule
from ulnager.book.sources import BookSource
from ulnager.choices.pages import Page
from ulnager.choices.picker import Picker
from ulnager.choices.picker_base import PLAIN, Language
from ulnager.choices.resolver import AnchorPoint, Look, Moment, Resolver, moment_from, point_from
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import BookError, PeriodSyntaxError
from ulnager.core.language.period import Period, PeriodBase
from ulnager.core.language.phrase import period
from ulnager.core.language.reader import read_period, read_point
from ulnager.core.notebook_tables import ShowsItself, Table, table
from ulnager.core.periods import phrases
from ulnager.core.periods.anchor_provenance import hangs_on_anchor
from ulnager.core.periods.anchors import Anchor, Defaults, Extent
from ulnager.core.periods.clock import as_day
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.resolution import Resolution
from ulnager.core.suggest import no_such

Found = TypeVar("Found")
_PeriodT = TypeVar("_PeriodT", bound=PeriodBase)


@dataclass(frozen=True)
class BookAnchor:
    """A named anchor of a book; ``running`` is None when the point itself decides."""

    name: str
    point: Period
    running: bool | None
    sources: tuple[BookSource, ...] = ()

    @property
    def as_point(self) -> AnchorPoint:
        """The anchor as periods are measured from it."""
        names = tuple(source.name for source in self.sources)
        return AnchorPoint(self.name, self.point, self.running, names)

    def __repr__(self) -> str:
        return f"<anchor {self.name}: {self.point}>"


@dataclass(frozen=True)
class BookPeriod:
    """A named period of a book, with its label, its anchor and its calendar."""

    name: str
    period: PeriodBase
    label: str
    anchor: BookAnchor | None
    calendar: Calendar | None = None
    short: str = ""
    ranges: int = 1
    book: Book | None = field(default=None, compare=False, repr=False)

    @property
    def _measured_from(self) -> BookAnchor | None:
        """What it is measured from: its own anchor, else the book's; None for the clock."""
        return self.anchor or (self.book.anchor if self.book is not None else None)

    @property
    def anchored(self) -> PeriodBase:
        """The period with its anchor written into the phrase, as ``PERIOD as of POINT``.

        Raises SettingError when the anchor calls its day over or running and its point does not.
        """
        return _as_of(self.period, self._measured_from)

    def resolve(self, **basis: Any) -> Resolution:
        """Its dates, as :meth:`Book.resolve` gives them."""
        assert self.book is not None
        return self.book.resolve(self.name, **basis)

    def __repr__(self) -> str:
        return f"<period {self.name}: {self.period}>"


@dataclass(frozen=True)
class Book(ShowsItself):
    """Named calendars, sources, anchors and periods, as read from ``file``.

    ``calendar`` is the one for phrases and periods that name none; ``defaults`` is None when the
    book does not say how ambiguous phrases are read.

    >>> from ulnager import read_book
    >>> from ulnager.demo import book_file
    >>> book = read_book(book_file())
    >>> book.resolve("year_so_far", today="2026-05-20").start
    datetime.date(2025, 10, 1)
    """

    file: str
    calendars: dict[str, Calendar] = field(default_factory=dict)
    sources: dict[str, BookSource] = field(default_factory=dict)
    anchors: dict[str, BookAnchor] = field(default_factory=dict)
    periods: dict[str, BookPeriod] = field(default_factory=dict)
    defaults: Defaults | None = None
    calendar: Calendar | None = None
    anchor: BookAnchor | None = None
    tz: str | None = None
    """The zone of all that name none: the clock, sources, pickers and schedules."""
    pickers: dict[str, Picker] = field(default_factory=dict)
    pages: dict[str, Page] = field(default_factory=dict)
    schedules: dict[str, Schedule] = field(default_factory=dict)
    language: Language = PLAIN
    offsets: BookSource | None = None
    """The file of the table of offsets that its live conditions look into."""
    day_starts: str = "00:00"
    """When a new day starts, for the clock and for times in its sources."""
    asks: Look | None = field(default=None, compare=False, repr=False)
    """What is asked for the dates of a source in place of the source itself."""

    def __post_init__(self) -> None:
        # A period taken from here resolves as one that is asked for by its name.
        bound = {name: replace(entry, book=self) for name, entry in self.periods.items()}
        object.__setattr__(self, "periods", bound)

    def picker(self, name: str) -> Picker:
        """The picker of that name; BookError when there is none."""
        return self._one("picker", name, self.pickers)

    def source(self, name: str) -> BookSource:
        """The source of that name, for every call that takes data: it knows its column, its zone
        and its calendar. BookError when there is none."""
        if name not in self.sources:
            raise BookError(self.file, "sources", no_such("source", str(name), self.sources))
        return self.sources[name]

    def page(self, name: str) -> Page:
        """The page of that name; BookError when there is none."""
        return self._one("page", name, self.pages)

    def schedule(self, name: str) -> Schedule:
        """The schedule of that name; BookError when there is none."""
        return self._one("schedule", name, self.schedules)

    def _one(self, what: str, name: str, known: Mapping[str, Found]) -> Found:
        if name not in known:
            raise BookError(self.file, f"{what}s", no_such(what, name, known))
        return known[name]

    @functools.cached_property
    def resolver(self) -> Resolver:
        """What the dates of all its phrases hang on."""
        return Resolver(
            self.calendar,
            self.calendars,
            self.defaults,
            {name: one.as_point for name, one in self.anchors.items()},
            None if self.anchor is None else self.anchor.as_point,
            tuple(self.sources) if len(self.sources) == 1 else (),
            self.tz,
            self.day_starts,
            frozenset(name for name, one in self.sources.items() if one.is_grained),
        )

    def look(self, source: str, moment: Moment) -> Extent | None:
        """The dates that a source holds at a moment; None for one that is not there."""
        if self.asks is not None:
            return self.asks(source, moment)
        found = self.sources.get(source)
        return None if found is None else found.extent(moment)

    def period(self, name: str) -> BookPeriod:
        """The period of that name; BookError when there is none."""
        found = self.periods.get(name)
        if found is None:
            raise BookError(self.file, "periods", no_such("period", name, self.periods))
        return found

    def read(self, phrase: str) -> Period:
        """The period of a phrase, which may speak of any calendar's own units, and of the names of
        the book's periods and anchors: ``quarter, 1 year earlier``."""
        return self._read(phrase)[0]

    def _read(self, phrase: str) -> tuple[Period, tuple[str, ...]]:
        """The period of a phrase, and the names that it speaks of."""
        try:
            return read_phrase(phrase, self.calendars.values()), ()
        except PeriodSyntaxError as error:
            phrases = {
                name: functools.partial(self._written, one) for name, one in self.periods.items()
            }
            points = {name: functools.partial(_point_of, one) for name, one in self.anchors.items()}
            text, names = expanded(phrase, phrases, points)
            if not names:
                raise
            try:
                return read_phrase(text, self.calendars.values()), names
            except PeriodSyntaxError:
                raise error from None

    def _written(self, entry: BookPeriod, is_measured: bool) -> str:
        """A period of the book as a phrase that says all of it, but for an anchor given beside."""
        own = entry.calendar
        phrase = entry.period if is_measured else self.period(entry.name).anchored
        if own is None or own == self.calendar:
            return str(phrase)
        name = next(name for name, one in self.calendars.items() if one == own)
        return f"{phrase} in '{name}'"

    def measured(self, period: _PeriodT) -> _PeriodT:
        """A phrase with the book's anchor written into it, where that has a say."""
        return _as_of(period, self.anchor)

    def moment(
        self,
        today: date | str | None = None,
        now: Any = None,
        tz: Any = None,
        data: object = None,
        locale: object = None,
        day_starts: str | None = None,
    ) -> Moment:
        """A moment as a caller gives it, with the book's sources to ask for dates of data."""
        day_starts = self.day_starts if day_starts is None else day_starts
        words = self.language.words(locale)
        tz = self.tz if tz is None else tz
        return moment_from(today, now, tz, data, self.look, words, day_starts)

    def resolve(self, name: str, **basis: Any) -> Resolution:
        """The dates of a named period, measured from its own anchor in its own calendar.

        A phrase with names of the book in it will do, too. ``basis`` is as for
        :meth:`ulnager.Period.resolve`; an ``as_of``, which may name an anchor of the book, or a
        ``calendar`` given here goes before the book's.
        """
        if name not in self.periods:
            try:
                self._read(name)
            except PeriodSyntaxError:
                if not _NAME.fullmatch(name):
                    raise
                self.period(name)  # Rather a name that is not there than a phrase that is none.
            return self.resolve_text(name, **basis)
        entry = self.period(name)
        return self._resolve_phrase(entry.period, entry=entry, **basis)

    def resolve_text(self, phrase: str, **basis: Any) -> Resolution:
        """The dates of a phrase that may speak of the book's names."""
        period, names = self._read(phrase)
        points = [self.anchors.get(name) or self.period(name)._measured_from for name in names]
        asked = next((one.as_point for one in points if one is not None and one.sources), None)
        return self._resolve_phrase(period, of_names=asked, **basis)

    def _resolve_phrase(
        self,
        phrase: PeriodBase,
        anchor: str | None = None,
        *,
        entry: BookPeriod | None = None,
        moment: Moment | None = None,
        as_of: Any = None,
        calendar: Calendar | None = None,
        defaults: Defaults | None = None,
        of_names: AnchorPoint | None = None,
        spare: Callable[[], Extent | None] | None = None,
        **when: Any,
    ) -> Resolution:
        """The dates of any phrase by the book's rules, measured from the ``anchor`` of that name,
        or in place of a period of the book, ``entry``: with its anchor and its calendar."""
        as_of = as_of if anchor is None else anchor
        if moment is None:
            moment = self.moment(**when)
        if spare is not None:
            moment = replace(moment, spare=spare)
        own = None if entry is None or entry.anchor is None else entry.anchor.as_point
        chosen = calendar or (None if entry is None else entry.calendar)
        said = None if as_of is None else self._said(as_of, chosen)
        resolver = self.resolver
        if of_names is not None and not moment.data and phrase.definition.asks_data:
            # What its names speak of answers for the data, whatever the book's own anchor asks.
            answered = moment.extent(of_names.sources)
            if answered is not None:
                moment = replace(moment, data={"": answered}, known={})
        return resolver.resolved(
            phrase.definition, moment, own, chosen, said=said, defaults=defaults
        )

    def _said(self, as_of: Any, calendar: Calendar | None) -> AnchorPoint | Anchor:
        """What a call is measured from: an anchor of the book by its name, or any other point."""
        if isinstance(as_of, Anchor):
            return as_of
        if isinstance(as_of, str) and as_of in self.anchors:
            return self.anchors[as_of].as_point
        if isinstance(as_of, str):
            known = calendar or self.calendar
            return point_from(read_point(as_of, () if known is None else known.own_units))
        return point_from(Definition(phrases.day, (as_day(as_of, "as_of"),)))

    def __repr__(self) -> str:
        counts = (("period", self.periods), ("picker", self.pickers), ("page", self.pages))
        told = ", ".join(f"{len(some)} {name}{'s' * (len(some) != 1)}" for name, some in counts)
        return f"<book {Path(self.file).name}: {told}>"

    def _table(self) -> Table:
        rows = [(name, one.label, one.period) for name, one in self.periods.items()]
        notes = [
            f"{kind}: {', '.join(some)}"
            for kind, some in (
                ("pickers", self.pickers),
                ("pages", self.pages),
                ("schedules", self.schedules),
                ("sources", self.sources),
                ("calendars", self.calendars),
            )
            if some
        ]
        return table(Path(self.file).name, ("period", "label", "phrase"), rows, notes=notes)


def _as_of(period: _PeriodT, anchor: BookAnchor | None) -> _PeriodT:
    if anchor is None or not hangs_on_anchor(period.definition):
        return period
    return period._as_of(anchor.as_point.in_a_phrase)


def _point_of(anchor: BookAnchor) -> str:
    return str(anchor.as_point.in_a_phrase)


_NAME = re.compile(r"[a-z][a-z0-9_]*")


def read_phrase(phrase: str, calendars: Iterable[Calendar]) -> Period:
    """The period of a phrase, which may speak of any of these calendars' own units."""
    own = {unit.name: unit for calendar in calendars for unit in calendar.own_units}
    return Period(read_period(phrase, tuple(own.values()))) if own else period(phrase)

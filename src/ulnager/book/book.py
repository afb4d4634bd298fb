"""A book as values: named calendars, sources, anchors and periods that resolve."""

from __future__ import annotations

import functools
import os
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any, TypeVar

from ulnager.book.names import expanded
from ulnager.book.schedules import Schedule
from ulnager.core.calendars.base import Calendar
from ulnager.core.choices.opening import Picker
from ulnager.core.choices.pages import Page
from ulnager.core.choices.picker import OF_DATA, PLAIN, Language
from ulnager.core.errors import BookError, PeriodSyntaxError, SettingError, SourceError
from ulnager.core.language.period import Period, period
from ulnager.core.language.reader import read_period
from ulnager.core.periods.anchors import Anchor, Defaults, Extent
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.resolution import Resolution
from ulnager.core.periods.spans import Range
from ulnager.core.suggest import no_such
from ulnager.sources.base import Source
from ulnager.sources.joinedfiles import JoinedFiles, check_parts
from ulnager.sources.opening import opened_source, seconds_for
from ulnager.sources.profile import Profile, profile

Found = TypeVar("Found")


@dataclass(frozen=True)
class BookSource:
    """A named source of a book: ``place`` is its files, looked for beside the book, or a URL."""

    name: str
    place: str | tuple[str, ...]
    column: str | None
    tz: str | None
    calendar: Calendar | None
    share: float
    table: str | None = None
    password_env: str | None = None
    form: tuple[tuple[str, Any], ...] = ()
    limit: Period | None = None
    where: tuple[tuple[str, tuple[Any, ...]], ...] = ()
    query: str | None = None
    others: tuple[BookSource, ...] = ()
    """The sources that a query may speak of."""
    within: Path | None = None
    """The folder outside of which nothing is opened."""

    @property
    def held(self) -> dict[str, Any]:
        """What its column holds, for conditions."""
        types = dict(self.form).get("column_types", {})
        if self.column in types:
            return {"column_type": types[self.column]}
        return {} if self.tz is None else {"column_type": "timestamptz", "tz": self.tz}

    def opened(self, timeout: float | None = None) -> Source:
        """The source, opened; SourceError when it cannot be read."""
        if self.query is not None:
            asked = {one.name: one for one in self.others if mentions(self.query, one.name)}
            parts = {name: one.opened(timeout) for name, one in asked.items()}
            joined = JoinedFiles(
                self.name, self.query, check_parts(self.name, parts), seconds_for(timeout)
            )
            return self._narrowed(joined.read_as(**_reading(self.form)))
        password = None
        if self.password_env is not None:
            password = os.environ.get(self.password_env)
            if password is None:
                raise SourceError(
                    f"the source {self.name!r} takes its password from the environment variable "
                    f"{self.password_env}, which is not set"
                )
        found = opened_source(
            self.place,
            self.table,
            within=self.within,
            timeout=timeout,
            password=password,
            **dict(self.form),
        )
        return self._narrowed(found)

    def _narrowed(self, found: Source) -> Source:
        """The source with the rows that it stands for only."""
        clauses = [found.values_in(name, values) for name, values in self.where]
        if clauses:
            found.narrow(*clauses)
        if self.limit is not None:
            column = found.column(self.column)
            needs = any(part.rule.key in OF_DATA for part in self.limit.definition.walk())
            extent = found.extent(self.column, self.tz, self.calendar) if needs else None
            result = self.limit.resolve(calendar=self.calendar, data=extent)
            found.narrow(found.days_in(column, self.tz, result.ranges))
        return found

    def kept(self, column: str | None, ranges: Sequence[Range]) -> int:
        """How many rows lie in ranges of day numbers."""
        source = self.opened()
        found = source.column(column or self.column)
        return source.kept(found.name, source.days_in(found, self.tz, ranges))[0]

    def profile(self, today: date | None = None) -> Profile:
        """What the source holds; SourceError when it cannot be read."""
        return profile(
            self.opened(),
            self.column,
            today=today,
            tz=self.tz,
            calendar=self.calendar,
            share=self.share,
        )


def mentions(query: str, name: str) -> bool:
    """Whether a query speaks of a name."""
    return re.search(rf"\b{re.escape(name)}\b", query, re.IGNORECASE) is not None


def _reading(form: tuple[tuple[str, Any], ...]) -> dict[str, Any]:
    given = dict(form)
    return {
        "column_types": given.get("column_types", {}),
        "grain": given.get("grain"),
        "stamps": given.get("stamps"),
        "open_ended": given.get("open_ended", ()),
    }


@dataclass(frozen=True)
class BookAnchor:
    """A named anchor of a book; ``running`` is None when the point itself decides."""

    name: str
    point: Period
    running: bool | None
    sources: tuple[BookSource, ...] = ()

    def extent(self, look: Callable[[str], Extent | None]) -> Extent | None:
        """The dates that all its sources hold; None when it has none.

        Of several sources the earliest latest day counts, and the latest earliest one.
        """
        found = (look(source.name) for source in self.sources)
        extents = [one for one in found if one is not None]
        if not extents:
            return None
        return Extent(
            max(extent.first for extent in extents),
            min(extent.last for extent in extents),
            min(extent.last_whole or extent.last for extent in extents),
            extents[0].missing,
        )


@dataclass(frozen=True)
class BookPeriod:
    """A named period of a book, with its label, its anchor and its calendar."""

    name: str
    period: Period
    label: str
    anchor: BookAnchor | None
    calendar: Calendar | None = None
    short: str = ""
    ranges: int = 1

    @property
    def anchored(self) -> Period:
        """The period with its anchor written into the phrase, as ``PERIOD as of POINT``.

        Raises SettingError when the anchor calls its day over or running and its point does not.
        """
        if self.anchor is None:
            return self.period
        point = self.anchor.point.definition.args[0]
        running = point.rule.key == "today"
        if self.anchor.running not in (None, running):
            raise SettingError(
                f"the anchor {self.anchor.name} of {self.name} says that the day of '{point}' is "
                f"{'over' if running else 'running'}, which no phrase can say"
            )
        return Period(Definition(RULES["as_of"], (self.period.definition, point)))


@dataclass(frozen=True)
class Book:
    """Named calendars, sources, anchors and periods, as read from ``file``.

    ``calendar`` is the one for phrases and periods that name none; ``defaults`` is None when the
    book does not say how ambiguous phrases are read.
    """

    file: str
    calendars: dict[str, Calendar] = field(default_factory=dict)
    sources: dict[str, BookSource] = field(default_factory=dict)
    anchors: dict[str, BookAnchor] = field(default_factory=dict)
    periods: dict[str, BookPeriod] = field(default_factory=dict)
    defaults: Defaults | None = None
    calendar: Calendar | None = None
    anchor: BookAnchor | None = None
    pickers: dict[str, Picker] = field(default_factory=dict)
    pages: dict[str, Page] = field(default_factory=dict)
    schedules: dict[str, Schedule] = field(default_factory=dict)
    language: Language = PLAIN
    asks: Callable[[str], Extent | None] | None = field(default=None, compare=False, repr=False)
    """What is asked for the dates of a source in place of the source itself."""

    def picker(self, name: str) -> Picker:
        """The picker of that name; BookError when there is none."""
        return self._one("picker", name, self.pickers)

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

    def look(self, source: str) -> Extent | None:
        """The dates that a source holds, as they are now; None for one that is not there."""
        if self.asks is not None:
            return self.asks(source)
        found = self.sources.get(source)
        return None if found is None else found.profile().extent

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
        own, phrase = entry.calendar, entry.period if is_measured else entry.anchored
        if own is None or own == self.calendar:
            return str(phrase)
        name = next(name for name, one in self.calendars.items() if one == own)
        return f"{phrase} in '{name}'"

    def _data_of(self, names: Iterable[str]) -> Extent | None:
        """The dates that answer for latest where a phrase speaks of these names."""
        for name in names:
            anchor = self.anchors.get(name) or self.periods[name].anchor
            extent = None if anchor is None else anchor.extent(self.look)
            if extent is not None:
                return extent
        return None

    def resolve(self, name: str, **basis: Any) -> Resolution:
        """The dates of a named period, measured from its own anchor in its own calendar.

        A phrase with names of the book in it will do, too. ``basis`` is as for
        :meth:`ulnager.Period.resolve`; an ``as_of`` or a ``calendar`` given here goes before the
        book's.
        """
        if name not in self.periods and not _NAME.fullmatch(name):
            return self.resolve_text(name, **basis)
        entry = self.period(name)
        if basis.get("calendar") is None:
            basis["calendar"] = entry.calendar
        anchor = entry.anchor.name if entry.anchor and basis.get("as_of") is None else None
        return self.resolve_phrase(entry.period, anchor, **basis)

    def resolve_text(self, phrase: str, anchor: str | None = None, **basis: Any) -> Resolution:
        """The dates of a phrase that may speak of the book's names."""
        period, names = self._read(phrase)
        if names and basis.get("data") is None:
            basis["data"] = self._data_of(names)
        return self.resolve_phrase(period, anchor, **basis)

    def resolve_phrase(self, phrase: Period, anchor: str | None, **basis: Any) -> Resolution:
        """The dates of any period with the book's calendars, readings and named anchor."""
        if basis.get("defaults") is None:
            basis["defaults"] = self.defaults
        basis["locale"] = self.language.words(basis.get("locale"))
        basis.setdefault("calendars", self.calendars)
        if basis.get("calendar") is None:
            basis["calendar"] = self.calendar
        if anchor is not None:
            basis |= self._measured(self.anchors[anchor], basis)
        return phrase.resolve(**basis)

    def _measured(self, anchor: BookAnchor, basis: dict[str, Any]) -> dict[str, Any]:
        """The basis with a named anchor, and its data where none was given."""
        basis = {**basis, "as_of": None}
        extent = anchor.extent(self.look)
        if extent is not None:
            basis["data"] = extent
        text = str(anchor.point)
        if anchor.running is None:
            return {**basis, "as_of": text}
        day = anchor.point.resolve(**basis).start
        assert day is not None
        return {**basis, "as_of": Anchor(day, anchor.running, text)}


def _point_of(anchor: BookAnchor) -> str:
    point = anchor.point.definition.args[0]
    if anchor.running not in (None, point.rule.key == "today"):
        raise SettingError(
            f"the anchor {anchor.name} says that the day of '{point}' is "
            f"{'running' if anchor.running else 'over'}, which no phrase can say; give it as as_of"
        )
    return str(point)


_NAME = re.compile(r"[a-z][a-z0-9_]*")


def read_phrase(phrase: str, calendars: Iterable[Calendar]) -> Period:
    """The period of a phrase, which may speak of any of these calendars' own units."""
    own = {unit.name: unit for calendar in calendars for unit in calendar.own_units}
    return Period(read_period(phrase, tuple(own.values()))) if own else period(phrase)

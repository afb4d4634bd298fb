"""Sources of a book: where their data is, and which of their rows count at a moment."""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any, Final, Protocol

from ulnager.choices.resolver import Moment, moment_from
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import SettingError, SourceError
from ulnager.core.language.period import Period
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.spans import Range, intersection
from ulnager.core.text import masked
from ulnager.sources.opening import opened_source, seconds_for
from ulnager.sources.profile import Profile, profile
from ulnager.sources.source import Relation


class SourceOpener(Protocol):
    """Who opens the sources of a book, and keeps what does not change."""

    def __call__(
        self, source: BookSource, newly: Callable[[], Relation], seconds: float | None, /
    ) -> Relation:
        """The source as ``newly`` opens it, or opened it."""

    def extent(self, source: BookSource, moment: Moment, find: Callable[[], Extent], /) -> Extent:
        """Its dates at a moment, found now or before."""


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
    lag: int = 0
    """So many days after a day its rows come."""
    rounding: str | None = None
    """What becomes of a unit of its grain that a period cuts."""
    given: Relation | None = field(default=None, compare=False, repr=False)
    """What a caller opened in its place."""
    opener: SourceOpener | None = field(default=None, compare=False, repr=False)
    """Who opens it, where what is open is kept."""
    has_own_tz: bool = True
    """Whether ``tz`` was said of the source itself, and not of the whole book."""
    day_starts: str = "00:00"
    """When days of times start, unless a moment says otherwise."""

    @property
    def is_grained(self) -> bool:
        """Whether a row is said to stand for more than a day, and nobody says how that is cut."""
        return "grain" in dict(self.form) and self.rounding is None

    @property
    def told_place(self) -> str:
        """Where it is, without a password and without the folder of the book."""
        names = (self.place,) if isinstance(self.place, str) else self.place
        folder = "" if self.within is None else f"{self.within}/"
        told = ", ".join(masked(one).removeprefix(folder) for one in names)
        return f"{told}, {masked(self.table)}" if self.table else told

    def held(self, column: str) -> dict[str, Any]:
        """What a column of it holds, for conditions; SourceError where it has to be looked at and
        cannot be read."""
        types = dict(self.form).get("column_types", {})
        if column in types:
            return {"column_type": types[column]}
        if self.tz is None:
            return {}
        if not self.has_own_tz or column != self.column:
            found = self._raw(None, moment_from()).column(column)
            if not found.held.is_instant:
                return {"column_type": found.column_type} if found.column_type else {}
        return {"column_type": "timestamptz", "tz": self.tz}

    def opened(self, timeout: float | None = None, moment: Moment | None = None) -> Relation:
        """The source with the rows that it stands for at a moment, the present one unless it is
        said; SourceError when it cannot be read."""
        moment = self._now() if moment is None else moment
        found = self._raw(timeout, moment).starting(moment.day_starts)
        clauses = [found.values_in(name, values) for name, values in self.where]
        if clauses:
            found.narrow(*clauses)
        ranges = self._ranges(found, moment)
        if ranges is not None:
            found.narrow(found.days_in(found.column(self.column), self.tz, ranges))
        found.own_column, found.own_calendar = self.column, self.calendar
        found.own_tz = self.tz
        return found

    def _raw(self, timeout: float | None, moment: Moment) -> Relation:
        """All its rows."""
        if self.given is not None:
            return self.given.again()
        if self.query is not None:
            from ulnager.sources.file_source import JoinedFiles, check_parts

            asked = {one.name: one for one in self.others if mentions(self.query, one.name)}
            parts = {name: one.opened(timeout, moment) for name, one in asked.items()}
            joined = JoinedFiles(
                self.name, self.query, check_parts(self.name, parts), seconds_for(timeout)
            )
            return joined.read_as(**_reading(self.form))
        password = password_of(self.name, self.password_env)

        def newly() -> Relation:
            return opened_source(
                self.place,
                self.table,
                within=self.within,
                timeout=timeout,
                password=password,
                **dict(self.form),
            )

        return newly() if self.opener is None else self.opener(self, newly, seconds_for(timeout))

    def _ranges(self, found: Relation, moment: Moment) -> tuple[Range, ...] | None:
        """The days that count at a moment: those of its own period, and none that was not there
        yet. None where nothing is left out. They are found once for a moment."""
        key = ("days", self.name)
        if key not in moment.known:
            moment.known[key] = self._find_ranges(found, moment)
        ranges: tuple[Range, ...] | None = moment.known[key]
        return ranges

    def _find_ranges(self, found: Relation, moment: Moment) -> tuple[Range, ...] | None:
        asks = self.limit is not None and self.limit.definition.asks_data
        if self.limit is None and moment.up_to is None:
            return None
        extent = None
        if asks or moment.up_to is not None:
            extent = found.extent(self.column, self.tz, self.calendar)
        last = None if extent is None else moment.cut_after(extent, self.lag)
        moment.known["cut", self.name] = (
            last is not None and extent is not None and (extent.last > last)
        )
        ranges: tuple[Range, ...] = ((None, None),)
        if last is not None:
            ranges = ((None, last.toordinal() + 1),)
            extent = None if extent is None else extent.ending(last)
        if self.limit is not None:
            given: dict[str, Any] = {} if extent is None else {"data": extent}
            when = moment.clock()
            outer = self.limit.resolve(**when, calendar=self.calendar, **given)
            ranges = intersection(ranges, outer.ranges)
        return None if ranges == ((None, None),) else ranges

    def days_that_count(self, moment: Moment) -> tuple[Range, ...] | None:
        """The days inside of its own period at a moment; None where it has none, or cannot be
        asked."""
        if self.limit is None:
            return None
        try:
            self.opened(moment=moment)
        except SourceError:
            return None
        found: tuple[Range, ...] | None = moment.known.get(("days", self.name))
        return found

    def profile(self, today: date | str | None = None, moment: Moment | None = None) -> Profile:
        """What the source holds on a day, the present one unless it is said; SourceError when it
        cannot be read."""
        moment = self._now(today) if moment is None else moment
        return profile(
            self.opened(moment=moment),
            self.column,
            today=moment.today,
            tz=self.tz,
            calendar=self.calendar,
            share=self.share,
        )

    def extent(self, moment: Moment | None = None) -> Extent:
        """The dates that it holds at a moment; SourceError when it cannot be read."""
        moment = self._now() if moment is None else moment

        def find() -> Extent:
            return self.profile(moment=moment).extent

        return find() if self.opener is None else self.opener.extent(self, moment, find)

    def _now(self, today: date | str | None = None) -> Moment:
        return moment_from(today, day_starts=self.day_starts)

    def __repr__(self) -> str:
        return f"<source {self.name}: {self.told_place}>"


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


_LAG: Final = re.compile(r"(\d{1,4}) days? later")


def lag_of(loaded: str | None) -> int:
    """How many days after their day rows come: ``3 days later``; SettingError for what is none."""
    if loaded is None:
        return 0
    found = _LAG.fullmatch(loaded.strip().lower())
    if found is None:
        raise SettingError(f"loaded is {loaded!r}, which says no time; write '3 days later'")
    return int(found[1])


def password_of(name: str, variable: str | None) -> str | None:
    """The password of a source, from the environment; None where it says no variable."""
    if variable is None:
        return None
    password = os.environ.get(variable)
    if password is None:
        raise SourceError(
            f"the source {name!r} takes its password from the environment variable {variable}, "
            "which is not set"
        )
    return password

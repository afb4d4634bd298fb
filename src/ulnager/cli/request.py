"""What the options that several commands share ask for."""

from __future__ import annotations

import functools
import os
import re
from typing import TYPE_CHECKING, Any, Final

from ulnager.core.calendars.business import BusinessDays
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.month_calendar import MonthCalendar
from ulnager.core.errors import PeriodSyntaxError, SettingError, SourceError, UlnagerError
from ulnager.core.language.period import Period, PeriodBase
from ulnager.core.language.phrase import period, period_or_open
from ulnager.core.periods.anchors import Defaults, Extent
from ulnager.core.periods.clock import as_day
from ulnager.core.periods.phrases.rolling_and_whole import family_readings
from ulnager.core.periods.resolution import Resolution, dates_told
from ulnager.core.suggest import no_such
from ulnager.core.text import masked

if TYPE_CHECKING:
    from ulnager.book.book import Book
    from ulnager.sources.profile import Profile
    from ulnager.sources.source import Relation


HOW_READ: Final = ("delimiter", "header", "encoding", "decimal", "date_format", "open_ended")
"""The options that say how a file is read."""


class Request:
    """What the shared options of a command say; an option that it does not have says nothing."""

    def __init__(self, **options: Any) -> None:
        self.__dict__.update(options)

    def but(self, **options: Any) -> Request:
        """The same with other options."""
        said = {name: getattr(self, name) for name in Request.__annotations__}
        return Request(**{**said, **options})

    today: str | None = None
    as_of: str | None = None
    now: str | None = None
    tz: str | None = None
    day_starts: str | None = None
    year_starts: str | None = None
    week_starts: str | None = None
    days_off: str | None = None
    holiday: tuple[str, ...] = ()
    working_day: tuple[str, ...] = ()
    book: str | None = None
    allow_outside: bool = False
    calendar: str | None = None
    defaults: tuple[str, ...] = ()
    source: str | None = None
    source_column: str | None = None
    table: str | None = None
    timeout: float | None = None
    delimiter: str | None = None
    header: bool | None = None
    encoding: str | None = None
    decimal: str | None = None
    date_format: str | None = None
    grain: str | None = None
    stamps: str | None = None
    open_ended: tuple[str, ...] = ()
    locale: str | None = None

    @functools.cached_property
    def chosen_calendar(self) -> Calendar | None:
        """The calendar that the options name or describe; None when they say nothing of it."""
        if self.calendar is not None:
            calendars = self.open_book.calendars if self.open_book else {}
            if self.calendar not in calendars:
                raise SettingError(f"--calendar: {no_such('calendar', self.calendar, calendars)}")
            return calendars[self.calendar]
        described = (self.year_starts, self.week_starts, self.days_off)
        if described == (None, None, None) and not self.holiday and not self.working_day:
            return self.open_book.calendar if self.open_book else None
        days_off: tuple[str, ...] = ("saturday", "sunday")
        if self.days_off is not None:
            days_off = tuple(name.strip() for name in self.days_off.split(",") if name.strip())
        business = BusinessDays(
            days_off,
            tuple(as_day(text, "--holiday") for text in self.holiday),
            tuple(as_day(text, "--working-day") for text in self.working_day),
        )
        return MonthCalendar(
            self.year_starts or "01-01", self.week_starts or "monday", business=business
        )

    @property
    def said_calendar(self) -> dict[str, Any]:
        """What the options say of a calendar, as a book says it."""
        said: dict[str, Any] = {"year_starts": self.year_starts, "week_starts": self.week_starts}
        if self.days_off is not None:
            said["days_off"] = [one.strip() for one in self.days_off.split(",") if one.strip()]
        said["holidays"] = [as_day(text, "--holiday") for text in self.holiday]
        said["working_days"] = [as_day(text, "--working-day") for text in self.working_day]
        return {key: value for key, value in said.items() if value not in (None, [])}

    @functools.cached_property
    def chosen_defaults(self) -> Defaults | None:
        """How ambiguous phrases are read: as the options say, or as the book does."""
        if not self.defaults:
            return self.open_book.defaults if self.open_book else None
        found = (self.open_book.defaults if self.open_book else None) or Defaults()
        for text in ",".join(self.defaults).split(","):
            family, _, reading = (part.strip() for part in text.partition("="))
            known = [*family_readings(family), "refuse"] if family in ("last", "next") else []
            if reading not in known:
                raise SettingError(
                    f"--defaults is {text!r}; give last=whole or next=whole; last may be "
                    f"{', '.join(family_readings('last'))} or refuse"
                )
            found = found._replace(**{family: reading})
        return found

    @functools.cached_property
    def chosen_start(self) -> str:
        """When a new day starts: as the option says, or as the book does."""
        if self.day_starts is not None:
            return self.day_starts
        return self.open_book.day_starts if self.open_book else "00:00"

    @functools.cached_property
    def open_book(self) -> Book | None:
        """The book that was named, read and checked."""
        if self.book is None:
            return None
        from ulnager.book.book_reader import read_book
        from ulnager.demo import named_book

        return read_book(named_book(self.book), allow_outside=self.allow_outside)

    def check_source(self, *, reads: bool) -> None:
        """SettingError for options about a source where none is named, unless another is read."""
        if self.source is None and self.source_column is not None:
            raise SettingError("--source-column names a column of --source; name that too")
        if self.source is not None or reads:
            return
        if self.table is not None:
            raise SettingError("--table is a table of --source; name that too")
        for option in HOW_READ:
            if getattr(self, option) not in (None, ()):
                flag = option.replace("_", "-")
                raise SettingError(f"--{flag} is of a file that --source names; name that too")

    def basis(
        self,
        text: str,
        data: Relation | None = None,
        column: str | None = None,
        *,
        whole: bool = False,
        tz: str | None = None,
        reads: bool = False,
    ) -> dict[str, Any]:
        """The keywords for resolving ``text``; ``--source`` goes before ``data``, which is looked
        at for its last ``whole`` day. A command that ``reads`` another source may have a table."""
        self.check_source(reads=reads or data is not None)
        basis: dict[str, Any] = {
            "today": self.today,
            "as_of": self.as_of,
            "now": self.now,
            "tz": self.tz,
            "day_starts": self.chosen_start,
            "calendar": self.chosen_calendar,
            "defaults": self.chosen_defaults,
            "locale": self.locale,
        }
        if self.source is not None:
            data = self.opened(self.source)
            column, tz = self.looked_at(self.source, self.source_column)
        if data is not None:
            found, zone = data, tz or self.tz

            def ask() -> Extent:
                return self._extent("whole day" if whole else text, found, column, zone)

            extent = functools.cache(ask)
            if self.open_book is None or self.source is not None:
                basis["data"] = extent()
            if self.open_book is not None and (self.source is None or whole):
                # Of a book its own sources answer; what is looked at or measured only where nobody
                # says which.
                basis["spare"] = extent
        return basis

    def looked_at(self, name: str, column: str | None) -> tuple[str | None, str | None]:
        """The date column and the zone: as the options say, or as the book does of its source."""
        known = self.open_book.sources.get(name) if self.open_book else None
        if known is None:
            return column, self.tz
        return column or known.column, self.tz or known.tz

    def zone_of(self, column_type: str | None) -> str | None:
        """The zone for a column: as the option says, or for instants as the book does."""
        from ulnager.filters.columns import COLUMN_TYPES

        is_instant = column_type is not None and COLUMN_TYPES[column_type].is_instant
        if self.tz is None and is_instant and self.open_book is not None:
            return self.open_book.tz
        return self.tz

    def profiles(
        self,
        names: tuple[str, ...],
        column: str | None,
        share: float | None,
        key: str | None,
        column_type: str | None = None,
    ) -> tuple[list[Profile], list[str]]:
        """What the date columns of a source hold, the one named or all there are; and what
        those of several need that could not be told."""
        from ulnager.sources.profile import SHARE, profile

        source = self.opened(*names, column_types={column: column_type})
        known, name = None, names[0]
        if self.open_book is not None:
            known = self.open_book.sources.get(name)
        column, tz = self.looked_at(name, column)
        usual = known.share if known else SHARE
        calendar = self.chosen_calendar or (known.calendar if known else None)
        named: list[str | None] = [found.name for found in source.date_columns]
        columns = [column] if column else named or [None]
        today = period("today").resolve(today=self.today, now=self.now, tz=tz).start
        found, needed = [], []
        for one in columns:
            try:
                found.append(
                    profile(
                        source,
                        one,
                        today=today,
                        tz=tz,
                        calendar=calendar,
                        key=key,
                        share=usual if share is None else share,
                    )
                )
            except SourceError as error:
                if len(columns) == 1:
                    raise
                needed.append(str(error))
        if not found:
            raise SourceError("\n".join(needed))
        return found, needed

    def opened(
        self,
        *names: str,
        table: str | None = None,
        column_types: dict[str | None, str | None] | None = None,
    ) -> Relation:
        """The files or the database of these names, or a source of the book, with days that start
        as the options say; opened once, however often a command asks."""
        column_types = {one: kind for one, kind in (column_types or {}).items() if kind}
        key = (names, table, tuple(column_types.items()))
        known = self._sources
        if key not in known:
            found = self._opened(*names, table=table, column_types=column_types)
            known[key] = found.starting(self.chosen_start)
        return known[key]

    @functools.cached_property
    def _sources(self) -> dict[Any, Relation]:
        return {}

    def _opened(
        self,
        *names: str,
        table: str | None = None,
        column_types: dict[str | None, str | None] | None = None,
    ) -> Relation:
        """The files or the database of these names, or a source of the book."""
        from ulnager.sources.guard import saved_input
        from ulnager.sources.opening import opened_source

        options = ("timeout", *HOW_READ, "grain", "stamps")
        given: dict[str, Any] = {option: getattr(self, option) for option in options}
        for column, kind in (column_types or {}).items():
            if kind is not None and column is None:
                raise SettingError("--type says what --column holds; name that too")
            if kind is not None:
                given["column_types"] = {column: kind}
        if len(names) > 1:
            for name in names:
                if "://" in name or name.startswith("demo:"):
                    raise SettingError(f"{masked(name)} cannot be one of several; name files only")
            return _once(opened_source(names, self.table, **given))
        (name,) = names
        if name == "-":
            saved = saved_input()
            try:
                found = opened_source(saved, self.table, **given)
            except SourceError as error:
                # The name of our own copy says nothing to anybody.
                raise SourceError(str(error).replace(saved, "standard input")) from None
            found.name = "standard input"
            return _once(found)
        book = self.open_book
        if book is not None and name in book.sources:
            for option in ("table", *given):
                if option == "timeout":
                    continue
                if option == "column_types" or getattr(self, option) not in (None, ()):
                    name_of = option.replace("column_types", "type").replace("_", "-")
                    raise SettingError(f"--{name_of}: how {name} is read is said in the book")
            moment = book.moment(self.today, self.now, self.tz, day_starts=self.chosen_start)
            return book.sources[name].opened(self.timeout, moment)
        scheme, _, rest = name.partition(":")
        if scheme == "demo" and not rest.startswith("//"):
            from ulnager.demo import table as demo_table

            found = opened_source(demo_table(rest), table or self.table, **given)
            found.name = name
            return _once(found)
        password = os.environ.get("ULNAGER_PASSWORD")
        return _once(opened_source(name, table or self.table, password=password, **given))

    def _extent(self, text: str, data: Relation, column: str | None, tz: str | None) -> Extent:
        """The dates of the data; the last whole day, which takes longer, when it is asked for."""
        book = self.open_book
        asked = [text, self.as_of or ""]
        if book is not None:
            asked += [str(anchor.point) for anchor in book.anchors.values()]
            asked += [str(entry.period) for entry in book.periods.values() if entry.name == text]
        if not any("whole day" in phrase for phrase in asked):
            return data.extent(column, tz, self.chosen_calendar)
        from ulnager.sources.profile import profile

        return profile(data, column, tz=tz, calendar=self.chosen_calendar).extent

    def named(self, text: str) -> PeriodBase:
        """The period of that name in the book, or the one that the phrase defines."""
        book = self.open_book
        if book is None:
            try:
                return period_or_open(text, self.chosen_calendar)
            except PeriodSyntaxError as error:
                raise self._dated(error) from None
        if text in book.periods:
            return book.periods[text].period
        try:
            return book.read(text)
        except PeriodSyntaxError as error:
            raise self._dated(_with_names(error, text, list(book.periods))) from None

    def closed(self, text: str) -> Period:
        """The period of that name in the book or of the phrase, where no slot is open."""
        return self.named(text)._closed()

    def _dated(self, error: PeriodSyntaxError) -> PeriodSyntaxError:
        """The same error with the dates of what it offers, as the options say the day."""

        def dates(phrase: str) -> str | None:
            try:
                return dates_told(self.resolve(phrase, self.basis(phrase)))
            except UlnagerError:
                return None

        return error.dated(dates)

    def resolve_as(self, name: str, way: Period, basis: dict[str, Any]) -> Resolution:
        """Another phrase where a name of the book stands: with its anchor and its calendar."""
        book = self.open_book
        if book is None:
            return way.resolve(**basis)
        entry = book.period(name) if name in book.periods else None
        return book._resolve_phrase(way, entry=entry, **self._of_book(entry is not None, basis))

    def resolve(self, text: str, basis: dict[str, Any]) -> Resolution:
        """The dates of a phrase, or of a name in the book."""
        book = self.open_book
        if book is None:
            return self.closed(text).resolve(**basis)
        if text in book.periods:
            return book.resolve(text, **self._of_book(True, basis))
        self.named(text)  # Its error names what the book holds.
        return book.resolve_text(text, **self._of_book(False, basis))

    def _of_book(self, is_name: bool, basis: dict[str, Any]) -> dict[str, Any]:
        """The basis for a book: of a name its own calendar goes before the book's."""
        found = {**basis, "calendar": None} if is_name and not self._says_calendar else {**basis}
        if "spare" in found:
            found.pop("data", None)
        return found

    @property
    def _says_calendar(self) -> bool:
        described = (self.calendar, self.year_starts, self.week_starts, self.days_off)
        return any(one is not None for one in described) or bool(self.holiday or self.working_day)


def _with_names(error: PeriodSyntaxError, text: str, names: list[str]) -> PeriodSyntaxError:
    """The same error, naming what the book holds when the text looks like a name."""
    from ulnager.core.suggest import nearest

    near = nearest(text, names)
    if not re.fullmatch(r"\w+", text):
        return error
    return PeriodSyntaxError(
        text, 0, len(text), "neither a name in the book nor a phrase", names, near
    )


def _once(source: Relation) -> Relation:
    """A source that is asked for one answer: what is known of its days is kept meanwhile."""
    source.known_days = {}
    return source

"""The options that several commands share, and what they ask for."""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import click

from ulnager.core.business import BusinessDays
from ulnager.core.calendars import Calendar, MonthCalendar
from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.resolution import Resolution
from ulnager.language.period import Period, as_day, period

if TYPE_CHECKING:
    from ulnager.book.reading import Book
    from ulnager.sources.files import FileSource

Command = Callable[..., Any]

_BASIS_OPTIONS = (
    click.option("--today", metavar="DATE", help="The clock's day, still running. [default: now]"),
    click.option(
        "--as-of", metavar="POINT", help="Measure from a point whose day is over: a date, latest, …"
    ),
    click.option("--now", metavar="INSTANT", help="The clock's instant, instead of --today."),
    click.option("--tz", metavar="ZONE", help="The time zone of the days, such as Europe/London."),
    click.option("--day-starts", metavar="HH:MM", default="00:00", help="When a new day starts."),
    click.option("--year-starts", metavar="MM-DD", help="When a year starts. [default: 01-01]"),
    click.option("--week-starts", metavar="DAY", help="When a week starts. [default: monday]"),
    click.option(
        "--days-off", metavar="DAYS", help="Weekdays off, with commas. [default: saturday,sunday]"
    ),
    click.option("--holiday", metavar="DATE", multiple=True, help="A holiday; may be repeated."),
    click.option(
        "--working-day", metavar="DATE", multiple=True, help="A business day in spite of that."
    ),
    click.option("--book", metavar="FILE", help="A book; PERIOD may be a name from it."),
)
_DATA_OPTIONS = (
    click.option("--source", metavar="FILE", help="Data that answers for latest and earliest."),
    click.option("--source-column", metavar="C", help="The date column of that data."),
)
json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON.")


@dataclass(frozen=True)
class Request:
    """What the shared options of a command say."""

    today: str | None = None
    as_of: str | None = None
    now: str | None = None
    tz: str | None = None
    day_starts: str = "00:00"
    year_starts: str | None = None
    week_starts: str | None = None
    days_off: str | None = None
    holiday: tuple[str, ...] = ()
    working_day: tuple[str, ...] = ()
    book: str | None = None
    source: str | None = None
    source_column: str | None = None

    @functools.cached_property
    def calendar(self) -> Calendar:
        """The calendar that the options describe."""
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

    @functools.cached_property
    def open_book(self) -> Book | None:
        """The book that was named, read and checked."""
        if self.book is None:
            return None
        from ulnager.book.reading import read_book

        return read_book(self.book)

    def basis(self, data: FileSource | None = None, column: str | None = None) -> dict[str, Any]:
        """The keywords for resolving; ``data`` goes before the option ``--source``."""
        basis: dict[str, Any] = {
            "today": self.today,
            "as_of": self.as_of,
            "now": self.now,
            "tz": self.tz,
            "day_starts": self.day_starts,
            "calendar": self.calendar,
        }
        if self.source is not None:
            data, column = source_named(self.source), self.source_column
        if data is not None:
            basis["data"] = data.extent(column, self.tz)
        return basis

    def named(self, text: str) -> Period:
        """The period of that name in the book, or the one that the phrase defines."""
        book = self.open_book
        if book is None:
            return period(text)
        if text in book.periods:
            return book.periods[text].period
        try:
            return period(text)
        except PeriodSyntaxError as error:
            raise _with_names(error, text, list(book.periods)) from None

    def resolve(self, text: str, basis: dict[str, Any]) -> Resolution:
        """The dates of a phrase, or of a name in the book."""
        book = self.open_book
        if book is None:
            return period(text).resolve(**basis)
        if basis["as_of"] in book.anchors:
            basis = {**basis, "as_of": book.anchored(basis["as_of"], {**basis, "as_of": None})}
        if text in book.periods:
            return book.resolve(text, **basis)
        return self.named(text).resolve(defaults=book.defaults, **basis)


def basis_options(command: Command) -> Command:
    """Adds the options for what a period is measured against, as one ``request``."""

    @functools.wraps(command)
    def packed(**options: Any) -> Any:
        names = Request.__dataclass_fields__
        shared = {key: options.pop(key) for key in tuple(options) if key in names}
        return command(request=Request(**shared), **options)

    return _decorated(packed, _BASIS_OPTIONS)


def data_options(command: Command) -> Command:
    """Adds the options that name data for ``latest`` and ``earliest``."""
    return _decorated(command, _DATA_OPTIONS)


def _decorated(command: Command, options: tuple[Callable[[Command], Command], ...]) -> Command:
    for option in reversed(options):
        command = option(command)
    return command


def source_named(name: str) -> FileSource:
    """The file of that name; ``demo:sailings`` and its like are the demo tables."""
    from ulnager.demo import table
    from ulnager.sources.files import FileSource

    scheme, _, rest = name.partition(":")
    return FileSource(table(rest) if scheme == "demo" and rest else name)


def _with_names(error: PeriodSyntaxError, text: str, names: list[str]) -> PeriodSyntaxError:
    """The same error, naming what the book holds when the text looks like a name."""
    from ulnager.core.suggest import nearest

    near = nearest(text, names)
    if near is None:
        return error
    return PeriodSyntaxError(
        text, 0, len(text), "neither a name in the book nor a phrase", names, near
    )

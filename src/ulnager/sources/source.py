"""What every source of rows can tell, whatever holds them: a file or a table of a database.

Questions are SQLAlchemy selects over the source's ``rows``; a source only has to run them.
Nothing here changes data.
"""

from __future__ import annotations

import contextlib
import copy
import logging
import threading
from bisect import bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar, copy_context
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta, tzinfo
from typing import Any, Final, NamedTuple, Self, TypeVar

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    DateTime,
    Executable,
    FromClause,
    and_,
    bindparam,
    case,
    false,
    func,
    or_,
    select,
    true,
)

from ulnager.core.arguments import Wanted, checked, shown
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import LAST_DAY, day_start, zone_name, zone_named
from ulnager.core.errors import SettingError, SourceError
from ulnager.core.periods.anchors import Extent, is_far, is_stand_in
from ulnager.core.periods.clock import as_days, time_after_midnight
from ulnager.core.periods.grain import FEWEST, Grain, found_grain, grain_named
from ulnager.core.suggest import no_such
from ulnager.core.text import masked
from ulnager.core.units import Unit
from ulnager.filters.columns import COLUMN_TYPES, KEY_TYPES, ColumnType
from ulnager.filters.engines import engine_named
from ulnager.filters.primitives import DayOf, Primitive, value_type
from ulnager.sources.date_text import how_to_read

Found = TypeVar("Found")
GRACE: Final = 1.0
"""So many seconds an engine has to stop after it was told to."""
_MOMENT: Final = 0.05


class GivenUp(SourceError):  # noqa: N818
    """Nobody waits for the answer any more."""


def too_long(name: str, timeout: float | None) -> str:
    """What to say when a question took longer than it may."""
    return (
        f"{name}: no answer within {timeout:g} seconds; allow more with --timeout (timeout=), or "
        "ask a smaller table"
    )


_LOG: Final = logging.getLogger("ulnager")


def told_asked(name: str, statement: object) -> None:
    """Tells the log, at debug level, what a source is asked, without passwords and without the
    values of parameters; a query of the caller's stands in it as it is."""
    if _LOG.isEnabledFor(logging.DEBUG):
        text = " ".join(str(statement).split())
        _LOG.debug("%s is asked: %s", masked(name), masked(text))


class Question:
    """What somebody waits for, whichever engines have to be asked; it can be given up.

    An answer that is worked out for several is given up when the last of them has gone.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._stops: list[Callable[[], None]] = []
        self.is_given_up = False

    def give_up(self) -> None:
        """Stops what the engines are at, and lets nothing more be asked."""
        with self._lock:
            self.is_given_up = True
            stops = list(self._stops)
        for stop in stops:
            with contextlib.suppress(Exception):
                stop()

    @contextmanager
    def stoppable(self, stop: Callable[[], None]) -> Iterator[None]:
        """While an engine is asked, which ``stop`` would stop; GivenUp where it is too late."""
        with self._lock:
            if self.is_given_up:
                raise GivenUp("nobody waits for this answer any more")
            self._stops.append(stop)
        try:
            yield
        finally:
            with self._lock:
                self._stops.remove(stop)


_QUESTION: ContextVar[Question | None] = ContextVar("question", default=None)


@contextmanager
def belonging_to(question: Question) -> Iterator[None]:
    """While all that engines are asked belongs to a question."""
    token = _QUESTION.set(question)
    try:
        yield
    finally:
        _QUESTION.reset(token)


def asked(
    work: Callable[[], Found],
    stop: Callable[[], None],
    seconds: float | None,
    late: Callable[[], SourceError],
) -> Found:
    """What ``work`` gives, which ``stop`` stops from another thread.

    It is told to stop after so many seconds, when its question is given up, and at Ctrl-C, and is
    left to itself where it does not: then the error is ``late``, all the same.
    """
    question = _QUESTION.get()
    if question is None:
        return _aside(work, stop, seconds, late)
    with question.stoppable(stop):
        try:
            return _aside(work, stop, seconds, late)
        except SourceError:
            if question.is_given_up:
                raise GivenUp("nobody waits for this answer any more") from None
            raise


def _aside(
    work: Callable[[], Found],
    stop: Callable[[], None],
    seconds: float | None,
    late: Callable[[], SourceError],
) -> Found:
    done: list[Any] = []
    failed: list[BaseException] = []

    def run() -> None:
        try:
            done.append(work())
        except BaseException as error:  # Raised again below.
            failed.append(error)

    # Aside from the main thread, which hears Ctrl-C at once then, and in the caller's context.
    thread = threading.Thread(target=copy_context().run, args=(run,), daemon=True)
    thread.start()
    try:
        thread.join(seconds)
    except KeyboardInterrupt:
        while thread.is_alive():
            stop()
            thread.join(_MOMENT)
        raise
    if thread.is_alive():
        stop()
        thread.join(GRACE)
        raise late()
    if failed:
        raise failed[0]
    return done[0]  # type: ignore[no-any-return]


def check_key_types(types: object) -> dict[str, str]:
    """The columns that are keys with what they are; SettingError for anything else."""
    if not isinstance(types, Mapping):
        raise SettingError(
            "column_types is a mapping of columns to what they hold, such as {'month': 'yyyymm'}"
        )
    for name, kind in types.items():
        if not isinstance(name, str) or not isinstance(kind, str) or kind not in KEY_TYPES:
            raise SettingError(
                f"column_types: {name!r} cannot be {shown(kind)}; choose {', '.join(KEY_TYPES)}; "
                "dates and timestamps need nothing"
            )
    return dict(types)


_MOST_STAND_INS: Final = 4
MOST_STAMPS: Final = 100_000
"""So many different dates are looked at for a grain."""


class Column(NamedTuple):
    """A column of a source: its name, the engine's type, and what Ulnager makes of it.

    ``column_type`` is ``date``, ``timestamp`` or ``timestamptz``, None for other columns, or what a
    key is: ``yyyymmdd``, ``yyyymm``, ``yyyyww`` or ``iso-week``.
    """

    name: str
    engine_type: str
    column_type: str | None

    @property
    def held(self) -> ColumnType:
        """What is so of what it holds; of other columns as of dates."""
        return COLUMN_TYPES[self.column_type or "date"]


class DaysHeld(NamedTuple):
    """The days that a column holds, of one grouped question: in order, less those that stand for
    none; how many rows each has, with those of None, and the dates that stand for none."""

    days: list[date]
    counts: dict[date | None, int]
    stand_ins: tuple[date, ...]

    @property
    def before_last(self) -> date | None:
        """The last date but one, if it is far from the last."""
        if len(self.days) < 2:
            return None
        before, last = self.days[-2:]
        usual = (before - self.days[-3]).days if len(self.days) > 2 else 0
        return before if is_far(last, before, usual) else None

    def extent(self, grain: Grain | None) -> Extent:
        """The first and last date, and what is known of those between."""
        return Extent(
            self.days[0],
            self.days[-1],
            before_last=self.before_last,
            find=LastUpTo(tuple(self.days)),
            stand_ins=self.stand_ins,
        )._of_grain(grain)


@dataclass(frozen=True)
class LastUpTo:
    """Finds the last of some days, in order, that is not after another one."""

    days: tuple[date, ...]

    def __call__(self, up_to: date, /) -> date | None:
        place = bisect_right(self.days, up_to)
        return self.days[place - 1] if place else None


def _days_held(counts: dict[date | None, int], open_ended: Sequence[date]) -> DaysHeld:
    days = sorted([day for day in counts if day is not None])
    if open_ended:
        left_out = [day for day in days if day in open_ended]
        return DaysHeld([day for day in days if day not in open_ended], counts, tuple(left_out))
    found: list[date] = []
    while len(days) > 1 and len(found) < _MOST_STAND_INS and is_stand_in(days[-1], days[-2]):
        found.append(days.pop())
    while len(days) > 1 and len(found) < _MOST_STAND_INS and is_stand_in(days[0], days[1]):
        found.append(days.pop(0))
    return DaysHeld(days, counts, tuple(sorted(found)))


def named_table(database: str, table: str) -> str:
    """The name of a table, or of a query, which may be long."""
    shown = " ".join(table.split())
    return f"{database}, {shown if len(shown) <= 100 else f'{shown[:100]}…'}"


class Source:
    """Data that was opened with :func:`ulnager.open_source`, for every call that takes a source.

    ``name`` is what messages call it, ``columns`` are its columns with what they hold.

    >>> import ulnager
    >>> from ulnager.demo import table
    >>> ulnager.open_source(table("sailings")).extent("sailed_on").last
    datetime.date(2026, 5, 17)
    """

    name: str
    columns: tuple[Column, ...]

    def extent(
        self,
        name: str | None = None,
        tz: str | tzinfo | None = None,
        calendar: Calendar | None = None,
    ) -> Extent:
        """The first and last date of a column; SourceError when it holds no date at all."""
        raise NotImplementedError

    def __repr__(self) -> str:
        return f"<source {self.name}>"


class Relation(Source):
    """The base of every source: ``rows`` to select from beside what all may ask.

    Subclasses set it and ``dialect_name``, and answer :meth:`run`.
    """

    rows: FromClause
    dialect_name: str
    own_column: str | None = None
    own_tz: str | tzinfo | None = None
    own_calendar: Calendar | None = None
    """What a book says of it, for calls that say nothing else."""
    unsure: Mapping[str, str] = {}
    """Columns of text that are dates in more than one order, each with the question which."""
    date_formats: Mapping[str, str] = {}
    """How the dates of columns of text are written, where their values prove it."""
    said: tuple[str | None, str | None] = (None, None)
    """The grain and the stamps, where somebody said them."""
    monthly: frozenset[str] = frozenset()
    """Its columns of dates that are written without a day, such as ``2026-05``."""

    day_starts: timedelta = timedelta()
    """How long after midnight a day of a column of times starts."""
    open_ended: tuple[date, ...] = ()
    """Dates that stand for none, where somebody said them."""
    is_text: bool = False
    """Whether it is a file of text, of which can be said how its numbers are written."""
    known_days: dict[Any, DaysHeld] | None = None
    """What is kept of its days, of a source that is asked at one moment only."""

    def read_as(
        self,
        column_types: Mapping[str, str],
        grain: str | None,
        stamps: str | None,
        open_ended: Sequence[date | str] = (),
    ) -> Relation:
        """The source with columns that are keys, the grain of its rows, and dates for none.

        Raises SettingError for what is none, SourceError for a column that is not there.
        """
        if grain is None or Unit.named(str(grain)) is not None:
            grain_named(grain, stamps)  # A unit of one's own is looked for in its calendar.
        for name in (types := check_key_types(column_types)):
            self._has(name)
        self.columns = tuple(
            column._replace(column_type=types.get(column.name, column.column_type))
            for column in self.columns
        )
        self.said = (grain, stamps)
        self.open_ended = as_days(open_ended, "open_ended")
        return self

    def again(self) -> Self:
        """The same, to be narrowed or to be asked at another moment."""
        found = copy.copy(self)
        found.known_days = None
        return found

    def run(self, statement: Executable) -> list[tuple[Any, ...]]:
        """The rows of a select; SourceError when the engine refuses it."""
        raise NotImplementedError

    @property
    def date_columns(self) -> tuple[Column, ...]:
        """The columns that hold dates or timestamps."""
        return tuple(column for column in self.columns if column.column_type)

    def column(self, name: str | None) -> Column:
        """The date column of that name, or the only one there is when no name is given.

        Raises SourceError for a column that is not there or holds no dates, naming those
        that do.
        """
        dates = [column.name for column in self.date_columns]
        name = self.own_column if name is None else name
        if name is None:
            if len(dates) == 1:
                return self.date_columns[0]
            if not dates and self.unsure:
                raise SourceError(f"{self.name}: {next(iter(self.unsure.values()))}")
            held = ", ".join(f"{column.name} {column.engine_type}" for column in self.columns)
            found = f"there are {len(dates)}: {', '.join(dates)}" if dates else f"none of {held}"
            why = "" if dates else self.nearly_dates()
            raise SourceError(f"{self.name}: say which date column is meant; {found}{why}")
        self._has(name)
        named = next(column for column in self.columns if column.name == name)
        if name in self.unsure:
            raise SourceError(f"{self.name}: {self.unsure[name]}")
        if named.column_type is None:
            raise SourceError(self._no_dates(named, dates) + self.nearly_dates())
        return named

    def nearly_dates(self) -> str:
        """What is known of why no column holds dates, to be put behind a message."""
        ((rows,),) = self.run(select(func.count()).select_from(self.rows))
        return "" if rows else "; it has a header and no rows"

    def starting(self, day_starts: str) -> Self:
        """The same with days of times that start later than at midnight."""
        self.day_starts = time_after_midnight(day_starts)
        return self

    def narrow(self, *clauses: ColumnElement[bool]) -> None:
        """From here on the source holds the rows only that all of the clauses keep."""
        self.rows = select(*self.rows.columns).where(*clauses).subquery("data")
        self.known_days = None if self.known_days is None else {}

    def values_in(self, name: str, values: Sequence[Any]) -> ColumnElement[bool]:
        """That a column holds one of some values, None for none; SourceError for a column that is
        not there."""
        self._has(name)
        column, there = self.rows.c[name], [one for one in values if one is not None]
        found: ColumnElement[bool] = column.in_(there)
        return found if len(there) == len(values) else or_(found, column.is_(None))

    def days_in(
        self,
        column: Column,
        tz: str | tzinfo | None,
        ranges: Sequence[tuple[int | None, int | None]],
    ) -> ColumnElement[bool]:
        """That the day of a column lies in ranges of day numbers; times are compared as they are,
        so that an index or a partition can be used."""
        held = column.held
        if held.is_instant:
            self.local(column, tz)  # A zone has to be there.
        on = self.value(column.name) if held.has_time else self.day(column, tz)
        kind = value_type((column.column_type if held.has_time else None) or "date")

        def bound(number: int) -> ColumnElement[Any]:
            day: Any = date.fromordinal(number)
            if held.is_instant:
                day = day_start(day, zone_named(tz or "UTC"), self.day_starts)
            elif held.has_time:
                day = datetime.combine(day, time()) + self.day_starts
            return bindparam("day", day, kind, unique=True)

        sides = []
        for start, stop in ranges:
            low = true() if start is None else on >= bound(start)
            high = true() if stop is None or stop > LAST_DAY else on < bound(stop)
            sides.append(and_(low, high) if start or stop else on.is_not(None))
        return or_(false(), *sides)

    @checked(
        name=Wanted((str, type(None)), "the name of a column"),
        calendar=Wanted((Calendar, type(None)), "a calendar"),
    )
    def extent(
        self,
        name: str | None = None,
        tz: str | tzinfo | None = None,
        calendar: Calendar | None = None,
    ) -> Extent:
        """The first and last date of a column; instants are taken to the zone ``tz``.

        Where a row stands for more than a day, the units of ``calendar`` count, from the first day
        of the first one to the last day of the last.

        Raises SourceError when the column holds no date at all.
        """
        column = self.column(name)
        held = self.days_held(column, tz)
        if not held.days:
            rows = sum(held.counts.values())
            what = "has no rows" if not rows else f"has {rows:,} rows and no date in any of them"
            raise SourceError(f"{self.name}: column {column.name!r} {what}")
        return held.extent(self.grain(column, tz, calendar, held))

    def days_held(self, column: Column, tz: str | tzinfo | None) -> DaysHeld:
        """What the days of a column are, of one question; a source that stands for one moment is
        asked once."""
        key = (column.name, None if tz is None else zone_name(tz), self.day_starts)
        found = None if self.known_days is None else self.known_days.get(key)
        if found is None:
            found = _days_held(self.counts(column, tz), self.open_ended)
            if self.known_days is not None:
                self.known_days[key] = found
        return found

    def check_days(self, column: Column, *days: Any) -> None:
        """SourceError for what is no date to Python, such as one after year 9999."""
        for day in days:
            if day is not None and not isinstance(day, date):
                raise SourceError(
                    f"{self.name}: column {column.name!r} holds {str(day)[:40]!r}, which is no "
                    "date of years 1 to 9999; make a view without it"
                )

    def grain(
        self,
        column: Column,
        tz: str | tzinfo | None = None,
        calendar: Calendar | None = None,
        held: DaysHeld | None = None,
    ) -> Grain | None:
        """The unit that a row stands for, as it was said or is found; None for days and moments.

        It is found by at least six different dates, all of them firsts or all of them lasts. What
        the column holds is asked for, unless it is given.
        """
        if column.held.grain is not None:
            return column.held.grain
        if self.said != (None, None):
            return grain_named(*self.said, calendar)
        if column.name in self.monthly:
            return grain_named("month", "first", calendar)
        held = held or self.days_held(column, tz)
        # The first and the last ones say mostly that there is none.
        some = [*held.days[:1], *held.days[1:][1 - FEWEST :]]
        if found_grain(some, calendar) is None:
            return None
        return found_grain(held.days[:MOST_STAMPS], calendar)

    def value(self, name: str) -> ColumnElement[Any]:
        """A column to select or compare."""
        return self.rows.c[name]

    def local(self, column: Column, tz: str | tzinfo | None) -> ColumnElement[Any]:
        """A column's local date or time. SourceError for instants without a zone."""
        value = self.value(column.name)
        if column.held.key:
            return self.day(column, tz)
        if not column.held.is_instant:
            return value
        if tz is None:
            raise SourceError(
                f"column {column.name!r} holds instants, and their days depend on the time zone; "
                "give it as tz or --tz, such as 'Europe/London' or 'UTC'"
            )
        return Primitive("shown_at", value, DateTime(), tz=zone_name(tz))

    def day(self, column: Column, tz: str | tzinfo | None) -> ColumnElement[Any]:
        """A column's local date."""
        if column.held.is_instant:
            self.local(column, tz)  # A zone has to be there.
        minutes = self.day_starts // timedelta(minutes=1) if column.held.has_time else 0
        zone = zone_name(tz) if tz is not None and column.held.is_instant else None
        return DayOf(self.value(column.name), column.column_type or "date", zone, minutes)

    def seconds(self, column: Column) -> ColumnElement[Any]:
        """The full seconds since 1970 of a column of times, in UTC or local as they are."""
        is_other = engine_named(self.dialect_name).full_seconds_local and not column.held.is_instant
        primitive = "full_seconds_local" if is_other else "full_seconds"
        return Primitive(primitive, self.value(column.name), BigInteger())

    def kept(self, name: str, condition: ColumnElement[bool]) -> tuple[int, int]:
        """How many rows a condition on the column of that name keeps, and of how many.

        Raises SourceError when there is no such column, or the engine refuses the condition.
        """
        self._has(name)
        inside = func.coalesce(func.sum(case((condition, 1), else_=0)), 0)
        ((kept, total),) = self.run(select(inside, func.count()).select_from(self.rows))
        return int(kept), int(total)

    def _has(self, name: str) -> None:
        names = [column.name for column in self.columns]
        if name not in names:
            raise SourceError(f"{self.name}: {no_such('column', name, names)}")

    def counts(self, column: Column, tz: str | tzinfo | None) -> dict[date | None, int]:
        """The rows of each day, and under None those without a date."""
        day = self.day(column, tz).label("day")
        found = self.run(select(day, func.count()).select_from(self.rows).group_by(day))
        self.check_days(column, *[found_day for found_day, _ in found])
        return {found_day: int(count) for found_day, count in found}

    def _no_dates(self, column: Column, dates: Sequence[str]) -> str:
        value = self.value(column.name)
        sample = self.run(select(value).where(value.is_not(None)).limit(1))
        such = f", such as {str(sample[0][0])[:40]!r}" if sample else ""
        how = how_to_read(sample[0][0], self.dialect_name, self.is_text) if sample else ""
        others = f"columns with dates are: {', '.join(dates)}" if dates else "no column holds dates"
        return (
            f"{self.name}: column {column.name!r} holds {column.engine_type}{such}, "
            f"not dates{how}; {others}"
        )

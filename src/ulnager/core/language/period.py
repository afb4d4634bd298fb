"""Periods as their users hold them: read once from text, resolved as often as needed.

This is the edge where text, dates of any sort and the clock become typed values; the
rules below never see a string.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, time, timedelta, tzinfo
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from ulnager.core.calendars.base import Calendar
from ulnager.core.calendars.daynumbers import out_of_range
from ulnager.core.calendars.instants import instant_number
from ulnager.core.calendars.months import GREGORIAN
from ulnager.core.calendars.zones import zone_named
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.language.reader import read_period, read_point
from ulnager.core.periods import explain
from ulnager.core.periods.anchors import Anchor, Defaults, Extent
from ulnager.core.periods.definitions import Basis, Definition
from ulnager.core.periods.phrases import RULES
from ulnager.core.periods.phrases.shifts import measured_from
from ulnager.core.periods.resolution import Resolution, resolve
from ulnager.core.units import Unit

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

Day = date | str
"""A date, or its ISO 8601 text. A naive datetime stands for its date."""


def period(phrase: str, calendar: Calendar | None = None) -> Period:
    """The period that a phrase defines; it may speak of units that only ``calendar`` has.

    >>> str(period("MTD"))
    'month to date'

    Raises PeriodSyntaxError, which marks the place and names the nearest known word.
    """
    if not isinstance(phrase, str):
        raise SettingError(f"a phrase is text, not {type(phrase).__name__}: {phrase!r}")
    return _read(phrase, () if calendar is None else _checked(calendar).own_units)


@lru_cache(maxsize=4096)
def _read(phrase: str, own_units: tuple[Unit, ...]) -> Period:
    return Period(read_period(phrase, own_units))


def _checked(calendar: object) -> Calendar:
    if not isinstance(calendar, Calendar):
        raise SettingError(
            f"calendar is {calendar!r}; give a calendar, such as "
            "ulnager.MonthCalendar(year_starts='10-01')"
        )
    return calendar


class Period:
    """A definition of dates that moves with its anchor.

    Immutable, hashable, and equal to every period that says the same. ``str`` gives the
    canonical form; reading that gives the same period back.
    """

    __slots__ = ("definition",)

    definition: Definition

    def __init__(self, definition: Definition) -> None:
        object.__setattr__(self, "definition", definition)

    def resolve(
        self,
        today: Day | None = None,
        as_of: Day | Anchor | None = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        calendar: Calendar | None = None,
        data: Extent | tuple[Day, Day] | None = None,
        *,
        day_starts: str = "00:00",
        defaults: Defaults | None = None,
        calendars: Mapping[str, Calendar] | None = None,
    ) -> Resolution:
        """The dates of this period.

        ``today`` is the clock's day, still running; without it the system clock is read, in
        ``tz`` when that is given, with a new day from ``day_starts`` on. ``now`` is the
        clock's instant instead. ``as_of`` is the anchor: a date, whose day is over, or a
        point such as ``"latest"``; it is measured against the clock and the data.
        ``data`` is the first and last date of the data. ``defaults`` says how ambiguous
        phrases are read.

        >>> result = period("last 3 whole months").resolve(today="2026-06-30")
        >>> result.start, result.end
        (datetime.date(2026, 3, 1), datetime.date(2026, 5, 31))
        >>> period("last 3 whole months").resolve(as_of="2026-06-30").end
        datetime.date(2026, 6, 30)

        Raises ResolveError when it has no dates here, SettingError for a setting that
        cannot be used.
        """
        if calendar is not None:
            calendar = _checked(calendar)
        if type(today) is date and now is None and tz is None:
            basis = Basis(GREGORIAN if calendar is None else calendar, today.toordinal(), True)
            basis.today = basis.anchor
        else:
            basis = _clock_basis(calendar or GREGORIAN, today, now, tz, day_starts)
        if data is not None:
            basis.data = extent_of(data)
        if defaults is not None:
            basis.defaults = defaults
        if calendars is not None:
            basis.calendars = calendars
        if as_of is not None:
            basis = _anchored(basis, as_of)
        return resolve(self.definition, basis, self)

    def resolve_each(
        self,
        anchors: Any,
        running: bool = False,
        calendar: Calendar | None = None,
        *,
        today: Day | None = None,
        data: Extent | tuple[Day, Day] | None = None,
        defaults: Defaults | None = None,
        calendars: Mapping[str, Calendar] | None = None,
    ) -> tuple[NDArray[np.datetime64], NDArray[np.datetime64]]:
        """The starts and stops of this period measured from each day of an array.

        ``anchors`` is anything that NumPy takes for an array of ``datetime64``, timestamps
        standing for their days; the two results are ``datetime64[D]`` of its shape. Where an
        anchor is NaT so are both; an open side is NaT all along; an empty span has its stop
        at its start. With ``running`` each anchor is the clock's day, as ``today`` is in
        :meth:`resolve`; without it the anchors' days are over, as with ``as_of``.

        >>> import numpy as np
        >>> days = np.array(["2026-06-30", "NaT"], dtype="datetime64[D]")
        >>> starts, stops = period("last 3 whole months").resolve_each(days)
        >>> starts, stops
        (array(['2026-04-01', 'NaT'], dtype='datetime64[D]'),
         array(['2026-07-01', 'NaT'], dtype='datetime64[D]'))

        Raises ResolveError for a phrase that may have several spans or is about hours, and
        as :meth:`resolve` does; SettingError for an array that holds no days.
        """
        from ulnager.core.calendars.arrays import ArrayArithmetic, each_span

        arithmetic = ArrayArithmetic(GREGORIAN if calendar is None else _checked(calendar))
        fixed: dict[str, Any] = {}
        if data is not None:
            fixed["data"] = extent_of(data)
        if defaults is not None:
            fixed["defaults"] = defaults
        if calendars is not None:
            fixed["calendars"] = calendars
        clock = None
        if not running:
            clock = _clock_basis(GREGORIAN, today, None, None, "00:00").today

        def span(days: Any) -> tuple[Any, Any]:
            basis = Basis(arithmetic, days, running)
            return self.definition.span(basis.changed(today=days if running else clock, **fixed))

        return each_span(span, anchors)

    def readings(self) -> dict[str, Period]:
        """Every way to read this phrase, by name, the default first.

        A phrase that can be read in one way only has the one reading ``"only"``.

        >>> [str(reading) for reading in period("last 2 weeks").readings().values()]
        ['last 2 rolling weeks', 'last 2 whole weeks', 'last 2 weeks to date',
         'last 2 weeks to end']
        """
        found = explain.other_readings(self.definition)
        return {name: Period(definition) for name, definition in found} or {"only": self}

    def __str__(self) -> str:
        return str(self.definition)

    def __repr__(self) -> str:
        return f"ulnager.period({str(self)!r})"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Period) and self.definition == other.definition

    def __hash__(self) -> int:
        return hash(self.definition)

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError("a period does not change; make another")

    def __reduce__(self) -> tuple[Any, ...]:
        return Period, (self.definition,)


def as_day(value: object, name: str) -> date:
    """A date from a date, a naive datetime or ISO 8601 text; SettingError otherwise."""
    if isinstance(value, datetime):
        if value.tzinfo is not None:
            raise SettingError(
                f"{name} is {value.isoformat()}, an instant, which is another day in other "
                "zones; give a date, or give the instant as now= with tz="
            )
        return value.date()
    if isinstance(value, date):
        return value
    text = value if isinstance(value, str) else str(value)
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise SettingError(f"{name} is {value!r}; give a date such as 2026-06-30") from None


def extent_of(data: object) -> Extent:
    """The first and last date of the data, from an Extent or a pair of days."""
    if isinstance(data, Extent):
        return data
    first: object
    last: object
    try:
        first, last = data  # type: ignore[misc]
    except (TypeError, ValueError):
        raise SettingError(
            f"data is {data!r}; give the first and the last date of the data as a pair"
        ) from None
    extent = Extent(as_day(first, "the first date"), as_day(last, "the last date"))
    if extent.last < extent.first:
        raise SettingError(f"data ends on {extent.last}, before it begins on {extent.first}")
    return extent


def _clock_basis(
    calendar: Calendar,
    today: object,
    now: datetime | str | None,
    tz: str | tzinfo | None,
    day_starts: str,
) -> Basis:
    """The clock's day in the zone, a new one from ``day_starts`` on, and its instant."""
    zone = None if tz is None else zone_named(tz)
    if today is not None:
        if now is not None:
            raise SettingError("give today or now, not both: now already says which day it is")
        basis = Basis(calendar, as_day(today, "today").toordinal(), True)
        basis.today, basis.zone = basis.anchor, zone
        return basis
    moment = datetime.now(zone).astimezone(zone) if now is None else as_instant(now)
    if zone is None:
        zone = moment.tzinfo
    elif moment.tzinfo is None:
        raise SettingError(
            f"now is {moment.isoformat()} without a zone, so it cannot be taken to another; "
            "add its offset, such as +00:00"
        )
    else:
        moment = _taken_to(moment, zone)
    started = _time_of_day(day_starts)
    try:
        day = (moment - timedelta(hours=started.hour, minutes=started.minute)).date()
    except OverflowError:
        raise out_of_range() from None
    basis = Basis(calendar, day.toordinal(), True)
    basis.today, basis.zone = basis.anchor, zone
    if zone is not None:
        basis.now = basis.moment = instant_number(moment)
    return basis


def _taken_to(moment: datetime, zone: tzinfo) -> datetime:
    try:
        return moment.astimezone(zone)
    except OverflowError:
        raise SettingError(
            f"now is {moment.isoformat()}, which is outside years 1 to 9999 in {zone}"
        ) from None


def as_instant(now: datetime | str) -> datetime:
    """An instant from a datetime or ISO 8601 text; SettingError otherwise."""
    if isinstance(now, datetime):
        return now
    try:
        return datetime.fromisoformat(now)
    except (ValueError, TypeError):
        raise SettingError(
            f"now is {now!r}; give an instant such as 2026-05-20T08:30+00:00"
        ) from None


def _time_of_day(text: str) -> time:
    try:
        return time.fromisoformat(text)
    except (ValueError, TypeError):
        raise SettingError(f"day_starts is {text!r}; give a time such as '04:00'") from None


def _anchored(basis: Basis, as_of: Day | Anchor) -> Basis:
    if isinstance(as_of, Anchor):
        return basis.changed(
            anchor=as_of.day.toordinal(),
            running=as_of.running,
            source=as_of.source,
            moment=basis.now if as_of.running else None,
        )
    if isinstance(as_of, str):
        calendar = basis.calendar
        point = read_point(as_of, calendar.own_units if isinstance(calendar, Calendar) else ())
    else:
        point = Definition(RULES["day"], (as_day(as_of, "as_of"),))
    try:
        return measured_from(basis, point)
    except ResolveError as error:
        raise ResolveError(f"as of '{point}': {error}") from None

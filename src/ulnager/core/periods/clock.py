"""The clock and the data as callers give them: dates, instants and zones, checked in one place.

The core looks at no clock by itself: where nobody says what time it is, it asks
:mod:`ulnager.core.outside`.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, time, timedelta, tzinfo
from typing import Final, NamedTuple

from ulnager.core.arguments import shown
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.instants import instant_number
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zones import day_start, is_ambiguous, out_of_range, zone_named
from ulnager.core.errors import ResolveError, SettingError
from ulnager.core.outside import outside
from ulnager.core.periods.anchors import Defaults, Extent
from ulnager.core.periods.definitions import Basis


class Clock(NamedTuple):
    """What time it is, as a caller says: the day or the instant, where, and when a day starts.

    ``today`` is a date or its text, which name the day itself, or a datetime, which is an instant
    as ``now`` is; ``now`` is a datetime or its text.
    """

    today: date | str | None = None
    now: datetime | str | None = None
    tz: str | tzinfo | None = None
    day_starts: str = "00:00"

    def basis(self, calendar: Calendar) -> Basis:
        """The clock's day in the zone, a new one from ``day_starts`` on, and its instant.

        Raises SettingError for what is no date, instant, zone or time of day, ResolveError when
        there is nobody to ask.
        """
        zone = None if self.tz is None else zone_named(self.tz)
        if self.today is not None and self.now is not None:
            raise SettingError("give today or now, not both: now already says which day it is")
        if isinstance(self.today, datetime):
            # An instant: which day it is hangs on the zone, and on when a day starts.
            return self._replace(today=None, now=self.today).basis(calendar)
        if self.today is not None:
            basis = Basis(calendar, as_day(self.today, "today").toordinal(), True)
            basis.today, basis.zone = basis.anchor, zone
            basis.day_starts = time_after_midnight(self.day_starts)
            return basis
        moment = as_instant(self.now) if self.now is not None else outside().present(zone)
        if zone is None:
            zone = moment.tzinfo
        elif moment.tzinfo is None:
            moment = moment.replace(tzinfo=zone)
            if is_ambiguous(moment):
                raise SettingError(
                    f"now is {moment:%Y-%m-%dT%H:%M}, which clocks in {zone} show twice that day; "
                    "add its offset, such as +00:00"
                )
        else:
            moment = _taken_to(moment, zone)
        after = time_after_midnight(self.day_starts)
        try:
            day = (moment - after).date()
        except OverflowError:
            raise out_of_range() from None
        if zone is not None:
            day = _day_that_holds(moment, day, zone, after)
        basis = Basis(calendar, day.toordinal(), True)
        basis.today, basis.zone, basis.day_starts = basis.anchor, zone, after
        if zone is not None:
            basis.now = basis.moment = instant_number(moment)
        return basis


def _day_that_holds(moment: datetime, day: date, zone: tzinfo, after: timedelta) -> date:
    """The day in whose instants a moment lies, where clocks change around its beginning: a midnight
    that comes twice begins it once, and a time that is left out comes later."""
    one = timedelta(days=1)
    try:
        if moment >= day_start(day + one, zone, after):
            return day + one
        return day - one if moment < day_start(day, zone, after) else day
    except (ResolveError, OverflowError):
        return day  # At the edge of time.


def _taken_to(moment: datetime, zone: tzinfo) -> datetime:
    try:
        return moment.astimezone(zone)
    except OverflowError:
        raise SettingError(
            f"now is {moment.isoformat()}, which is outside years 1 to 9999 in {zone}"
        ) from None


def as_instant(now: datetime | str, name: str = "now") -> datetime:
    """An instant from a datetime or ISO 8601 text; SettingError otherwise, with its name."""
    if isinstance(now, datetime):
        return now
    try:
        return datetime.fromisoformat(now)
    except (ValueError, TypeError):
        raise SettingError(
            f"{name} is {shown(now)}; give an instant such as 2026-05-20T08:30+00:00"
        ) from None


def time_of_day(after_midnight: timedelta) -> str:
    """The time so long after midnight, as :func:`time_after_midnight` reads it."""
    return f"{(datetime.min + after_midnight):%H:%M}"


def time_after_midnight(text: str) -> timedelta:
    """How long after midnight a time of day is; SettingError for what is none."""
    try:
        found = time.fromisoformat(text)
        if found.tzinfo is not None or found.second or found.microsecond:
            raise ValueError(text)
    except (ValueError, TypeError):
        raise SettingError(f"day_starts is {shown(text)}; give a time such as '04:00'") from None
    return timedelta(hours=found.hour, minutes=found.minute)


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
        from ulnager.core.date_forms import other_dates

        other = other_dates(text)
        if other:
            raise SettingError(f"{name} is {shown(value)}; write it as {other[0].either}") from None
        raise SettingError(f"{name} is {shown(value)}; give a date such as 2026-06-30") from None


def as_days(values: object, name: str) -> tuple[date, ...]:
    """Dates, one or several, each as :func:`as_day` takes it."""
    several = values if isinstance(values, (list, tuple)) else (values,)
    return tuple(as_day(value, name) for value in several)


def extent_of(data: object) -> Extent:
    """The first and last date of the data: an Extent, a pair of days, or data of any
    other sort. SettingError for what is none of these."""
    if isinstance(data, Extent):
        return data
    is_pair = isinstance(data, (tuple, list)) and len(data) == 2
    if not is_pair or any(_is_place(one) for one in data):  # type: ignore[attr-defined]
        if data is None:
            raise SettingError("data is no pair of dates; give the first and the last date of it")
        found: Extent = outside().extent(data)
        return found
    first, last = list(data)  # type: ignore[call-overload]
    extent = Extent(as_day(first, "the first date"), as_day(last, "the last date"))
    if extent.last < extent.first:
        raise SettingError(f"data ends on {extent.last}, before it begins on {extent.first}")
    return extent


def _is_place(one: object) -> bool:
    """Whether this looks like the path of a file or the URL of a database."""
    return not isinstance(one, (str, date)) or (
        "." in one or "/" in one if isinstance(one, str) else False
    )


class Calendars(NamedTuple):
    """The calendar in use, those that a phrase may name, and how ambiguous phrases are read."""

    chosen: Calendar
    named: Mapping[str, Calendar]
    defaults: Defaults
    decided: bool = False

    def put_into(self, basis: Basis) -> Basis:
        """The same basis, which knows the named calendars and the defaults."""
        basis.calendars, basis.defaults = self.named, self.defaults
        basis.decided = self.decided
        return basis


USUAL: Final = Calendars(GREGORIAN, {}, Defaults())


def checked_calendar(calendar: object) -> Calendar:
    """The calendar itself; SettingError for anything else."""
    if not isinstance(calendar, Calendar):
        raise SettingError(
            f"calendar is {shown(calendar)}; give a calendar, such as "
            "ulnager.MonthCalendar(year_starts='10-01')"
        )
    return calendar


def calendars_of(
    calendar: object = None, calendars: object = None, defaults: object = None
) -> Calendars:
    """What a caller says of the calendars; the Gregorian one and rolling readings otherwise.

    Raises SettingError for what is neither a calendar, a mapping of them, nor Defaults.
    """
    if calendar is None and calendars is None and defaults is None:
        return USUAL
    if calendars is not None and not isinstance(calendars, Mapping):
        raise SettingError(
            f"calendars is of {type(calendars).__name__}; give a mapping of names to calendars"
        )
    if defaults is not None and not isinstance(defaults, Defaults):
        raise SettingError(
            f"defaults is {shown(defaults)}; give them as ulnager.Defaults(last='whole')"
        )
    return Calendars(
        GREGORIAN if calendar is None else checked_calendar(calendar),
        {} if calendars is None else calendars,
        Defaults() if defaults is None else defaults,
        defaults is not None,
    )

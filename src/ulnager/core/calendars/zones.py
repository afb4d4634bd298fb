"""Days and instants: where a local day begins, and which local day an instant is in.

Some local days have no midnight, or two: clocks are put forward or back around it. A
day here begins at the first instant at which the local date is that day or a later one.
"""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta, tzinfo
from functools import cache
from itertools import pairwise

from ulnager.core.arguments import shown
from ulnager.core.errors import ResolveError, SettingError

FIRST_DAY = 1
LAST_DAY = date.max.toordinal()
_CYCLE_DAYS = 146_097
_MONTH_DAYS = (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)


def date_of(number: int) -> date:
    """The date with that day number; ResolveError outside years 1 to 9999."""
    try:
        return date.fromordinal(number)
    except (ValueError, OverflowError):
        raise out_of_range() from None


def number_of(year: int, month: int, day: int) -> int:
    """The day number of a date, also a little outside years 1 to 9999.

    A boundary may lie outside without the period doing so: ``rest of year`` in a fiscal
    year that began in year 0. The Gregorian calendar repeats every 400 years, which
    carries such a boundary; only a date that must be shown has to be in range.
    """
    beyond = -1 if year < 1 else 1 if year > 9999 else 0
    if not -398 <= year <= 10398:
        raise out_of_range()
    return date(year - 400 * beyond, month, day).toordinal() + _CYCLE_DAYS * beyond


def civil_of(number: int) -> tuple[int, int, int]:
    """Year, month and day of a day number; the other way round of :func:`number_of`."""
    beyond = -1 if number < FIRST_DAY else 1 if number > LAST_DAY else 0
    inside = date_of(number - _CYCLE_DAYS * beyond)
    return inside.year + 400 * beyond, inside.month, inside.day


def out_of_range() -> ResolveError:
    return ResolveError(
        "the dates go outside years 1 to 9999; use a smaller count or another anchor"
    )


def days_in_month(year: int, month: int) -> int:
    if month == 2 and year % 4 == 0 and (year % 100 != 0 or year % 400 == 0):
        return 29
    return _MONTH_DAYS[month - 1]


_SECOND = timedelta(seconds=1)
_NOTHING = timedelta()


def day_start(day: date, zone: tzinfo, after: timedelta = _NOTHING) -> datetime:
    """The instant at which a local day begins, as an aware datetime in UTC.

    Days that begin so long ``after`` midnight begin when the clocks first show that time.

    >>> from zoneinfo import ZoneInfo
    >>> day_start(date(2026, 5, 20), ZoneInfo("Europe/London"))
    datetime.datetime(2026, 5, 19, 23, 0, tzinfo=datetime.timezone.utc)

    Where midnight comes twice it is the first one; where it does not exist, the instant at
    which the clocks are put forward (the reading of RFC 5545 for times that do not exist).
    """
    try:
        if after:
            local = datetime(day.year, day.month, day.day, tzinfo=zone) + after
            return local.astimezone(UTC)
        return _day_start(day, zone)
    except OverflowError:
        raise ResolveError(
            f"{day} begins outside years 1 to 9999 in UTC; choose dates a day further in"
        ) from None


def _day_start(day: date, zone: tzinfo) -> datetime:
    local = datetime(day.year, day.month, day.day, tzinfo=zone)
    before, after = local.utcoffset(), local.replace(fold=1).utcoffset()
    if before is None or after is None:
        raise ValueError(f"{zone} gives no offset")
    midnight = local.replace(tzinfo=UTC)
    if after <= before:
        return midnight - before
    # Midnight is skipped: the change lies between these two instants. Search for it.
    low, high = midnight - after - _SECOND, midnight - before
    while high - low > _SECOND:
        middle = low + (high - low) / 2
        middle -= timedelta(microseconds=middle.microsecond)
        if middle.astimezone(zone).date() >= day:
            high = middle
        else:
            low = middle
    return high


def is_shown_twice(moment: datetime) -> bool:
    """Whether local clocks show a time twice, and something else in between.

    Not so the very first of such times: whatever the clocks show from there on is after it.

    >>> from zoneinfo import ZoneInfo
    >>> halifax = ZoneInfo("America/Halifax")
    >>> [is_shown_twice(datetime(2025, 11, 2, *at, tzinfo=halifax)) for at in ((1, 0), (1, 30))]
    [False, True]
    """
    if not is_ambiguous(moment):
        return False
    return bool(moment.fold) or is_ambiguous(moment - timedelta(microseconds=1))


def is_ambiguous(moment: datetime) -> bool:
    """Whether local clocks show that time twice."""
    early, late = moment.replace(fold=0).utcoffset(), moment.replace(fold=1).utcoffset()
    return early is not None and late is not None and early > late


@cache
def skips_days(zone: tzinfo) -> bool:
    """Whether the zone ever moved over the date line, so that a whole day was left out."""
    offsets = [
        datetime(year, month, 1, tzinfo=UTC).astimezone(zone).utcoffset() or _NOTHING
        for year in range(1850, 2101)
        for month in range(1, 13)
    ]
    return any(after - before > timedelta(hours=18) for before, after in pairwise(offsets))


def zone_named(tz: str | tzinfo) -> tzinfo:
    """The time zone of that name in the IANA database; SettingError when there is none.

    >>> zone_named("Europe/London")
    zoneinfo.ZoneInfo(key='Europe/London')
    """
    if isinstance(tz, tzinfo):
        return tz
    from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

    try:
        return ZoneInfo(tz)
    except (ZoneInfoNotFoundError, ValueError, OSError, TypeError):
        raise SettingError(
            f"there is no time zone {shown(tz)}; give a name such as 'Europe/London' or 'UTC'"
        ) from None


def zone_name(tz: str | tzinfo) -> str:
    """The IANA name of a time zone, which is what databases understand.

    Raises SettingError for a zone without one: databases read the sign of an offset such as
    ``UTC-03:00`` in opposite ways (POSIX against ISO 8601).
    """
    key = getattr(zone_named(tz), "key", None)
    if key is None:
        raise SettingError(
            f"the time zone {tz} has no name that databases agree on; give one such as "
            "'America/Halifax' or 'UTC'"
        )
    return str(key)

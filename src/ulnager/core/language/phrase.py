"""From what callers write to periods and their dates: a phrase, a period, or found dates."""

from __future__ import annotations

import functools
from collections.abc import Mapping
from datetime import datetime, tzinfo
from functools import lru_cache
from typing import TYPE_CHECKING, Any, TypedDict, overload

from ulnager.core.arguments import shown, told_names
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import PeriodSyntaxError, ResolveError, SettingError
from ulnager.core.language.period import Day, Period, PeriodBase
from ulnager.core.language.reader import read_period
from ulnager.core.periods.anchors import Anchor, Defaults, Extent
from ulnager.core.periods.clock import checked_calendar, time_of_day
from ulnager.core.periods.explain import of_anchor
from ulnager.core.periods.resolution import Resolution, ResolutionBase, dates_told
from ulnager.core.units import Unit

if TYPE_CHECKING:
    from ulnager.core.language.open_period import OpenPeriod


@overload
def period(phrase: str, calendar: Calendar | None = None) -> Period: ...


@overload
def period(
    phrase: str, calendar: Calendar | None = None, *, inputs: Mapping[str, Mapping[str, Any]]
) -> OpenPeriod: ...


@told_names
def period(
    phrase: str,
    calendar: Calendar | None = None,
    inputs: Mapping[str, Mapping[str, Any]] | None = None,
) -> PeriodBase:
    """The period that a phrase defines; it may speak of units that only ``calendar`` has.

    A phrase with slots, ``last {n} days``, is an :class:`ulnager.OpenPeriod`; ``inputs`` are
    settings of its slots by name, such as ``{"n": {"max": 90}}``, and tell type checkers that it
    is one.

    >>> str(period("MTD"))
    'month to date'

    Raises PeriodSyntaxError, which marks the place and offers the nearest phrases, SettingError for
    settings that fit no slot.
    """
    return period_or_open(phrase, calendar, inputs)


def period_or_open(
    phrase: str,
    calendar: Calendar | None = None,
    inputs: Mapping[str, Mapping[str, Any]] | None = None,
) -> PeriodBase:
    """The period of a phrase, as :func:`period` says, with or without open slots."""
    if not isinstance(phrase, str):
        raise SettingError(f"a phrase is text, not {shown(phrase)}")
    if inputs is not None and not isinstance(inputs, Mapping):
        raise SettingError(f"inputs is {shown(inputs)}; give settings by the names of slots")
    own_units = () if calendar is None else checked_calendar(calendar).own_units
    if inputs or "{" in phrase:
        from ulnager.core.language.open_period import open_period

        return open_period(phrase, inputs, own_units)
    try:
        return _read(phrase, own_units)
    except PeriodSyntaxError as error:
        raise error.dated(functools.partial(_dates_today, calendar)) from None


def _dates_today(calendar: Calendar | None, phrase: str) -> str | None:
    """The dates of a phrase on one line; None where it has none, or is none."""
    try:
        found = _read(phrase, () if calendar is None else calendar.own_units)
        result = found.resolve(calendar=calendar)
    except (PeriodSyntaxError, ResolveError):
        return None
    return dates_told(result)


@lru_cache(maxsize=4096)
def _read(phrase: str, own_units: tuple[Unit, ...]) -> Period:
    return Period(read_period(phrase, own_units))


class Settings(TypedDict, total=False):
    """What a phrase is resolved against, in every call that takes one; see
    :meth:`ulnager.Period.resolve` for each."""

    today: Day | None
    as_of: Day | Anchor | None
    now: datetime | str | None
    tz: str | tzinfo | None
    calendar: Calendar | None
    data: Extent | tuple[Day, Day] | None
    day_starts: str
    defaults: Defaults | None
    calendars: Mapping[str, Calendar] | None


def resolved(what: object, **when: Any) -> Resolution:
    """A resolution itself, or a period or a phrase resolved; ``when`` as for ``resolve``.

    >>> resolved("last 3 whole months", today="2026-06-13").end
    datetime.date(2026, 5, 31)

    Raises SettingError for anything else, and for a resolution that is given a clock as well.
    """
    given = {name: value for name, value in when.items() if value is not None}
    from ulnager.core.periods.buckets import Bucket

    if isinstance(what, Bucket):
        if given.keys() - {"tz"}:
            raise SettingError("a bucket is resolved already; leave the clock and the anchor out")
        days = " plus ".join(f"{span.start}/{span.end}" for span in what.spans)
        return period(days).resolve(tz=given.get("tz"), day_starts=time_of_day(what.day_starts))
    unknown = given.keys() - Settings.__annotations__.keys()
    if unknown:
        known = ", ".join(sorted(Settings.__annotations__))
        raise SettingError(f"there is no setting {min(unknown)!r}; give {known}")
    if isinstance(what, ResolutionBase):
        if given.keys() - {"tz"}:
            raise SettingError(
                f"'{what.period}' is resolved already, so {min(given.keys() - {'tz'})} would do "
                "nothing; give the period, or leave it out"
            )
        return what  # type: ignore[return-value]
    return as_period(what, given.get("calendar")).resolve(**given)


def near_by(said: Period, result: Resolution) -> list[Period]:
    """The phrases near one, measured from the same anchor as its dates."""
    by_clock = result.anchor.source == "today"
    return [one if by_clock else period(of_anchor(str(one))) for one in said._neighbours()]


def as_period(what: object, calendar: Calendar | None = None) -> Period:
    """A period itself, or a phrase as one.

    Raises SettingError for anything else, ResolveError where slots are open.
    """
    if isinstance(what, str):
        what = period_or_open(what, calendar)
    if isinstance(what, PeriodBase):
        return what._closed()
    raise SettingError(
        f"{type(what).__name__} is no period; give a phrase such as 'last 3 whole months', a "
        "period, or a resolution"
    )

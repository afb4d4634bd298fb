"""The calendars that a period is worked out with, as callers give them, checked in one place."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, NamedTuple

from ulnager.core.arguments import shown
from ulnager.core.calendars.base import Calendar
from ulnager.core.calendars.months import GREGORIAN
from ulnager.core.errors import SettingError
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.definitions import Basis


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

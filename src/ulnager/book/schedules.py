"""Schedules: a page at set times, by a rule of RFC 5545."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta, tzinfo
from typing import Any, Final

from ulnager.core.arguments import shown
from ulnager.core.calendars.zones import zone_name, zone_named
from ulnager.core.choices.pages import OpenedPage, Page
from ulnager.core.errors import SettingError
from ulnager.core.periods.clock import as_instant

_FREQUENT: Final = ("YEARLY", "MONTHLY", "WEEKLY", "DAILY")
_FAR: Final = timedelta(days=366 * 30)


@dataclass(frozen=True)
class Schedule:
    """A page at set times in a zone; what goes out is worked out at each moment."""

    name: str
    label: str
    page: Page
    every: str
    at: time
    zone: tzinfo
    starts: date | None = None
    opens: Mapping[str, str] = field(default_factory=dict)

    def next(self, now: datetime | str) -> datetime | None:
        """The first moment after an instant; None when there is none any more."""
        return next(iter(self.moments(now, 1)), None)

    def moments(self, now: datetime | str, count: int) -> list[datetime]:
        """The next moments after an instant, in order."""
        here = _aware(now).astimezone(self.zone)
        rule = rule_of(self.every, self.starts, here.date())
        found: list[datetime] = []
        day = datetime.combine(here.date() - timedelta(days=1), time())
        while len(found) < count:
            nearest = rule.after(day)
            if nearest is None or nearest - day > _FAR:
                break
            day = nearest
            moment = datetime.combine(day.date(), self.at, self.zone)
            if moment > here:
                found.append(moment)
        return found

    def open(self, moment: datetime | str, data: object = None) -> OpenedPage:
        """The page as it goes out at a moment: with its dates, labels and frozen links."""
        local = _aware(moment).astimezone(self.zone)
        zone = zone_name(self.zone)
        return self.page.read(self.opens, now=local, tz=zone, data=data, who="schedule")

    def to_dict(self, moment: datetime | str, data: object = None) -> dict[str, Any]:
        """What goes out at a moment as plain values, for whoever mails it."""
        opened = self.open(moment, data)
        links = {
            name: None if view.resolution is None or view.resolution.is_empty
            else view.link(frozen=True)
            for name, view in opened.views.items()
        }  # fmt: skip
        return {"schedule": self.name, "label": self.label, "moment": _aware(moment).isoformat(),
                **opened.to_dict(), "links": links}  # fmt: skip


def _aware(moment: datetime | str) -> datetime:
    found = as_instant(moment)
    if found.tzinfo is None:
        raise SettingError(f"{found.isoformat()} is a time without a zone; add its offset: +00:00")
    return found


def rule_of(every: str, starts: date | None, around: date) -> Any:
    """The rule as dateutil has it, from its start, or from long before a day.

    Raises SettingError for what is no rule, is more often than daily, or needs a start.
    """
    from dateutil.rrule import rrulestr

    text = every.strip().upper()
    parts = dict(part.partition("=")[::2] for part in text.removeprefix("RRULE:").split(";"))
    if parts.get("FREQ") not in _FREQUENT:
        raise SettingError(
            f"every is {shown(every)}; give a rule such as FREQ=WEEKLY;BYDAY=MO (RFC 5545)"
        )
    if any(key in parts for key in ("BYHOUR", "BYMINUTE", "BYSECOND")):
        raise SettingError("the time of day is said with at: at = '07:00'")
    if parts.get("INTERVAL", "1") != "1" and starts is None:
        raise SettingError("an INTERVAL over 1 counts from somewhere; say starts = 2026-01-05")
    first = starts or date(max(around.year - 1, 1), 1, 1)
    try:
        return rrulestr(text, dtstart=datetime.combine(first, time()))
    except (ValueError, TypeError, KeyError) as error:
        raise SettingError(
            f"every is {shown(every)}, which is no rule of RFC 5545: {error}"
        ) from None


def time_of_day(text: str) -> time:
    """A time of day such as 07:00; SettingError for what is none."""
    if not re.fullmatch(r"\d\d:\d\d", text):
        raise SettingError(f"at is {shown(text)}; give a time such as '07:00'")
    try:
        return time.fromisoformat(text)
    except ValueError:
        raise SettingError(f"at is {shown(text)}; there is no such time of day") from None


def zone_of(name: str) -> tzinfo:
    """The zone of that name; SettingError when there is none."""
    return zone_named(name)

"""Schedules: a page at set times, by a rule of RFC 5545."""

from __future__ import annotations

import hmac
import os
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta, tzinfo
from typing import Any, Final

from ulnager.choices.frozen import bounds_of
from ulnager.choices.pages import OpenedPage, Page
from ulnager.choices.picker_base import Signer
from ulnager.choices.resolver import Moment, moment_from, past_moment
from ulnager.core.arguments import shown, told_names
from ulnager.core.calendars.zones import zone_name, zone_named
from ulnager.core.errors import SettingError
from ulnager.core.periods.clock import as_instant

_SHORTEST: Final = 16
_FEWEST: Final = 5
"""So many different characters a key has at least."""
_MAKES: Final = "python -c 'import secrets; print(secrets.token_urlsafe(32))'"


class KeySigner(Signer):
    """Signs with the key in an environment variable; the key itself is never shown."""

    def __init__(self, variable: str) -> None:
        self.variable = variable

    @property
    def ready(self) -> bool:  # type: ignore[override]
        """Whether the key is there."""
        return bool(os.environ.get(self.variable))

    def check(self) -> None:
        """SettingError for a key that anybody could guess."""
        key = os.environ.get(self.variable)
        if key and (len(key.strip()) < _SHORTEST or len(set(key)) < _FEWEST):
            raise SettingError(
                f"the key in the environment variable {self.variable} could be guessed: it needs "
                f"{_SHORTEST} characters or more, of several sorts; make one with: {_MAKES}"
            )

    def _serializer(self) -> Any:
        from itsdangerous import URLSafeSerializer

        key = os.environ.get(self.variable)
        if not key:
            raise SettingError(
                f"links are signed with the key in the environment variable {self.variable}, which "
                f"is not set; make one with: {_MAKES}"
            )
        self.check()
        return URLSafeSerializer(key, salt="ulnager link")

    def sign(self, value: dict[str, Any]) -> str:
        """The value with a signature; SettingError when there is no key."""
        return str(self._serializer().dumps(value))

    def read(self, text: str) -> dict[str, Any] | None:
        """The value that was signed; None where it was changed, or nobody has the key.

        A value has one spelling: what says the same in other signs was changed.
        """
        from itsdangerous import BadData

        try:
            found = self._serializer().loads(text)
            is_own = isinstance(found, dict) and hmac.compare_digest(
                self.sign(found).encode(), text.encode()
            )
        except (BadData, SettingError, RecursionError, ValueError):
            return None
        return found if is_own else None


_FREQUENT: Final = ("YEARLY", "MONTHLY", "WEEKLY", "DAILY")
_DAY: Final = timedelta(days=1)
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
    opens: Mapping[str, str | list[str]] = field(default_factory=dict)

    def next(self, now: datetime | str) -> datetime | None:
        """The first moment after an instant; None when there is none any more."""
        return next(iter(self.moments(now, 1)), None)

    def due(self, now: datetime | str) -> datetime | None:
        """The last moment that is not after an instant; None where none was yet."""
        here = _aware(now).astimezone(self.zone)
        day = datetime.combine(min(here.date(), date.max - _DAY) + _DAY, time())
        rule = rule_of(self.every, self.starts, here.date())
        while (nearest := rule.before(day)) is not None:
            day = nearest
            moment = datetime.combine(day.date(), self.at, self.zone).astimezone(UTC)
            if moment <= here.astimezone(UTC):
                return moment.astimezone(self.zone)
        return None

    def moments(self, now: datetime | str, count: int) -> list[datetime]:
        """The next moments after an instant, in order.

        A time that clocks show twice is the first of the two, one that they leave out comes as much
        later (RFC 5545, 3.3.5).
        """
        after = _aware(now).astimezone(UTC)
        here = after.astimezone(self.zone)
        rule = rule_of(self.every, self.starts, here.date())
        found: list[datetime] = []
        day = datetime.combine(max(here.date(), date.min + _DAY) - _DAY, time())
        while len(found) < count:
            nearest = rule.after(day)
            if nearest is None or nearest - day > _FAR:
                break
            day = nearest
            # In one zone Python compares what clocks show, and not when that is.
            moment = datetime.combine(day.date(), self.at, self.zone).astimezone(UTC)
            if moment > after:
                found.append(moment.astimezone(self.zone))
        return found

    @told_names
    def open(
        self,
        moment: datetime | str,
        data: object = None,
        *,
        today: date | str | None = None,
        now: datetime | str | None = None,
    ) -> OpenedPage:
        """The page as it goes out at a moment: with its dates, labels and frozen links.

        A moment before the clock (the machine's, or ``today`` or ``now``) is reconstructed: each
        source counts as if it went up to the day before, unless ``data`` is given.
        """
        page, zone = self.page, zone_name(self.zone)
        words = page.language.words()
        local, starts = _aware(moment).astimezone(self.zone), page.resolver.day_starts
        at = moment_from(None, local, zone, data, page.look, words, starts)
        clock = moment_from(today, now, None if today is not None else zone, day_starts=starts)
        if data is None and _is_before(at, clock):
            at = past_moment(at, clock)
        return page._read_at(at, self.opens, "schedule")

    def notes(self, opened: OpenedPage) -> tuple[str, ...]:
        """What is worth knowing of what goes out."""
        moments = (opened.moment, *(view.moment for view in opened.views.values()))
        day = opened.moment.up_to
        if day is None or not any(one.is_reconstructed for one in moments):
            return ("as the data stands",)
        return (
            f"reconstructed: the data counts as if it went up to {day}; late changes to older rows "
            "cannot be undone",
        )

    def to_dict(
        self,
        moment: datetime | str,
        data: object = None,
        *,
        today: date | str | None = None,
        now: datetime | str | None = None,
    ) -> dict[str, Any]:
        """What goes out at a moment as plain values, for whoever mails it."""
        opened = self.open(moment, data, today=today, now=now)
        notes = list(map(opened.said, self.notes(opened)))
        links: dict[str, str | None] = {}
        for name, view in opened.views.items():
            links[name] = None
            if view.resolution is None or not bounds_of(view.resolution):
                continue
            try:
                links[name] = view.link(frozen=True)
            except SettingError as error:
                if not view.locked:
                    raise
                notes.append(opened.said(f"there is no link to {name}: {error}"))
        return {
            "schedule": self.name,
            "label": self.label,
            "moment": _aware(moment).isoformat(),
            **opened.to_dict(),
            "links": links,
            "notes": notes,
        }

    def __repr__(self) -> str:
        return f"<schedule {self.name} of {self.page.name}: {self.every} at {self.at}>"


def _is_before(one: Moment, clock: Moment) -> bool:
    """Whether a moment lies before the clock: by the instant, or the day where that is all."""
    if one.now is not None and clock.now is not None:
        return one.now < clock.now
    return one.today < clock.today


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
    if parts["FREQ"] == "WEEKLY" and "BYDAY" not in parts and starts is None:
        raise SettingError(
            "a rule of weeks needs its day, such as BYDAY=MO, or starts = 2026-01-05"
        )
    counted = next((key for key in ("COUNT", "UNTIL") if key in parts), None)
    if counted is not None and starts is None:
        raise SettingError(f"{counted} counts from somewhere; say starts = 2026-01-05")
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

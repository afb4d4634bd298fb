"""The usual choices of a calendar, which a picker offers that names none of its own."""

from __future__ import annotations

from typing import Final, NamedTuple

from ulnager.choices.picker_base import Choice
from ulnager.choices.resolver import AnchorPoint
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import ResolveError
from ulnager.core.language.phrase import period

USUAL: Final = "usual"
"""What stands for all of them in a list of choices."""
OPENS: Final = "month_so_far"
AHEAD: Final = ("tomorrow", "next_days", "next_week", "next_month", "next_quarter", "next_year")
"""Those that look ahead; a list names them, and 'usual' does not stand for them."""
UNITS: Final = ("week", "month", "quarter", "year")


class Offer(NamedTuple):
    """A usual choice: its phrase, its labels, and what its inputs open with."""

    phrase: str
    label: str
    short: str = ""
    inputs: dict[str, dict[str, object]] | None = None


def is_by_clock(anchor: AnchorPoint | None) -> bool:
    """Whether an anchor is the clock's day, or there is none."""
    return anchor is None or anchor.definition.rule.is_running


def usual_keys(calendar: Calendar, anchor: AnchorPoint | None) -> list[str]:
    """The keys that 'usual' stands for.

    Where they are measured from another day than the clock's, that day and the one before stand in
    place of today and yesterday.
    """
    others = ("anchor_day", "day_before") if is_by_clock(anchor) else ("today", "yesterday")
    return [key for key in usual_offers(calendar, anchor) if key not in (*AHEAD, *others)]


def usual_offers(calendar: Calendar, anchor: AnchorPoint | None) -> dict[str, Offer]:
    """All usual choices by their keys, those that look ahead last."""
    by_clock = is_by_clock(anchor)
    of_data = anchor is not None and anchor.asks_data
    found = {
        "today": Offer("today", "Today"),
        "yesterday": Offer("yesterday", "Yesterday"),
        "anchor_day": Offer("anchor day", "Latest day" if of_data else "{dates}"),
        "day_before": Offer("1 day before anchor day", "The day before"),
    }
    for unit in _units_of(calendar):
        found |= {
            f"this_{unit}": Offer(f"this {unit}", f"This {unit}"),
            f"previous_{unit}": Offer(f"previous {unit}", f"Previous {unit}"),
            f"{unit}_so_far": Offer(f"{unit} to date", f"{unit.capitalize()} so far"),
        }
    days: dict[str, object] = {"label": "Days", "opens": 30, "max": 366}
    last = "today" if by_clock else "anchor day"
    found |= {
        "last_days": Offer("last {n} rolling days", "Last {n} days", "{n} d", {"n": days}),
        "own_dates": Offer("from {first} to {last}", "Dates of your own", "",
                           {"first": {"opens": "start of month"}, "last": {"opens": last}}),
        "tomorrow": (
            Offer("tomorrow", "Tomorrow")
            if by_clock
            else Offer("1 day after anchor day", "The day after")
        ),
        "next_days": Offer("next {n} rolling days", "Next {n} days", "", {"n": days}),
    }  # fmt: skip
    found |= {f"next_{unit}": Offer(f"next {unit}", f"Next {unit}") for unit in _units_of(calendar)}
    return found


def _units_of(calendar: Calendar) -> list[str]:
    found = []
    for unit in UNITS:
        try:
            calendar.unit_start(739_000, calendar.unit_named(unit))
        except ResolveError:
            continue
        found.append(unit)
    return found


def choice_from(
    key: str, offer: Offer, heading: str | None, anchor: AnchorPoint | None, calendar: Calendar
) -> Choice:
    """An offer as a choice of a picker, measured from the picker's anchor.

    Raises PeriodSyntaxError for a phrase that is none, SettingError for settings that fit no slot.
    """
    phrase = period(offer.phrase, calendar, offer.inputs)
    label = offer.label or key.replace("_", " ").capitalize()
    return Choice(key, phrase, label, offer.short or label, heading, phrase.inputs, anchor)

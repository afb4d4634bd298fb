"""What a book of version 0.2 means otherwise now, each with the line that keeps what it was."""

from __future__ import annotations

from datetime import date

from ulnager.book.picker_builder import is_by_clock
from ulnager.checking.inspection import Checking
from ulnager.choices.picker_base import Choice, PickerBase
from ulnager.core.errors import SettingError, UlnagerError
from ulnager.core.language.inputs import DayInput, Input, fixed_day
from ulnager.core.language.phrase import period
from ulnager.core.periods.anchor_provenance import hangs_on_anchor

KNOWN = ("0.2",)


def checked_version(since: str | None) -> None:
    """SettingError for a version of which nothing is known."""
    if since is not None and since not in KNOWN:
        raise SettingError(f"since is {since!r}; what has changed is known since {KNOWN[0]}")


def changed(checking: Checking) -> None:
    """What has other dates, other numbers or another name than in 0.2. What would change in silence
    otherwise is refused when the book is read, and told as a mistake."""
    _periods(checking)
    _sources(checking)
    for name, picker in checking.book.pickers.items():
        _usual(checking, name, picker)
        for choice in picker.choices:
            for made in choice.inputs.values():
                _points(checking, picker, choice, made)
        if picker.labels == "short":
            checking.add(
                "changed",
                ("pickers", name, "labels"),
                "in JSON the label of a choice is its short one, too; 'short' is as it was",
                "Take it out, and show 'short' where it is wanted.",
            )


def _periods(checking: Checking) -> None:
    """Periods that the book's anchor measures, wherever they are asked for."""
    book = checking.book
    anchor = book.anchor
    if anchor is None or is_by_clock(anchor.as_point):
        return
    for name, entry in book.periods.items():
        if entry.anchor is not None or not hangs_on_anchor(entry.period.definition):
            continue
        then = _label(checking, name, as_of="today")
        now = _label(checking, name)
        if then != now:
            checking.add(
                "changed",
                ("periods", name),
                f"'resolve', 'filter', join tables and 'check' took it from the clock, {then}; it "
                f"is measured from {anchor.name} everywhere now, {now}",
                "To keep the clock: [anchors] clock = 'today', and anchor = 'clock' here.",
            )


def _label(checking: Checking, name: str, **basis: str) -> str:
    try:
        return checking.book.resolve(name, moment=checking.moment, **basis).label
    except UlnagerError:
        return "no dates"


def _sources(checking: Checking) -> None:
    """Sources that take the book's calendar, of which they knew nothing."""
    book = checking.book
    if book.calendar is None or not book.calendar.business.describe():
        return
    for name in book.sources:
        if "calendar" not in checking.values.get("sources", {}).get(name, {}):
            checking.add(
                "changed",
                ("sources", name),
                "the days off of the book's calendar are no missing days of it any more, and "
                "'latest whole day' does not count them",
                "To keep them: name a calendar without days off: calendar = '…'.",
            )


def _usual(checking: Checking, name: str, picker: PickerBase) -> None:
    entry = checking.values.get("pickers", {}).get(name, {})
    if entry.get("choices") or is_by_clock(picker.anchor or picker.resolver.anchor):
        return
    checking.add(
        "changed",
        ("pickers", name),
        "its day and the day before it stand in place of 'today' and 'yesterday', as anchor_day "
        "and day_before; links to these open as usual, with a note",
        'To keep them: choices = ["today", "yesterday", "usual"].',
    )


def _points(checking: Checking, picker: PickerBase, choice: Choice, made: Input) -> None:
    """Points that an input opens with or is bounded by, which the clock measured."""
    anchor = picker._anchor_for(choice)
    if (
        not isinstance(made, DayInput)
        or is_by_clock(anchor)
        or choice.key not in checking.book.periods
    ):
        return
    assert anchor is not None
    for key, point in (("opens", made.opens), ("min", made.min), ("max", made.max)):
        if not isinstance(point, str) or fixed_day(point) is not None:
            continue
        definition = period(point).definition
        if definition.asks_data or not hangs_on_anchor(definition):
            continue
        then, now = (_day(checking, choice, point, said) for said in ("today", anchor.name))
        if then != now:
            checking.add(
                "changed",
                ("periods", choice.key, "inputs", made.name, key),
                f"'{point}' is measured from {anchor.name} like its period, {now}; the clock "
                f"measured it, {then}",
                f"To keep the clock: {key} = '{point} as of today'.",
            )


def _day(checking: Checking, choice: Choice, point: str, said: str) -> date | None:
    try:
        entry = checking.book.period(choice.key)
        found = checking.book._resolve_phrase(
            period(point), as_of=said, entry=entry, moment=checking.moment
        )
    except UlnagerError:
        return None
    return found.start

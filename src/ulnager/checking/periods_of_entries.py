"""The periods of a picker, a page or a schedule of a book, each by its name there."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import NamedTuple

from ulnager.book.book import Book
from ulnager.book.picker_builder import choice_of
from ulnager.choices.pages import Page
from ulnager.choices.picker import Picker
from ulnager.choices.picker_base import Choice
from ulnager.choices.resolver import AnchorPoint
from ulnager.core.calendars.calendar import Calendar
from ulnager.core.errors import UlnagerError
from ulnager.core.language.inputs import ListedInput
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.period import Period
from ulnager.core.periods.anchor_provenance import hangs_on_anchor
from ulnager.core.periods.shifting import shifted


class Named(NamedTuple):
    """A period with its calendar, and the rule of its schedule, which counts from a day."""

    period: Period
    calendar: Calendar | None
    every: str | None = None
    starts: date | None = None


def periods_named(book: Book, name: str) -> dict[str, Named]:
    """The periods of the picker, page, schedule, period or anchor of that name; none where there is
    no such. What has that name alone is called by nothing.

    Slots are filled with what they open with; a period whose slots open with nothing is left out.
    """
    if name in book.pickers:
        return _of_picker(book.pickers[name])
    if name in book.pages:
        return _of_page(book.pages[name])
    if name in book.schedules:
        schedule = book.schedules[name]
        page = schedule.page
        return {
            key: one._replace(every=schedule.every, starts=schedule.starts)
            for key, one in _of_page(page, _texts(schedule.opens)).items()
        }
    if name in book.periods:
        entry = book.period(name)
        own = entry._measured_from
        filled = _filled(choice_of(entry), None, {}, None if own is None else own.as_point)
        return {} if filled is None else {"": Named(filled, entry.calendar or book.calendar)}
    if name in book.anchors:
        return {"": Named(book.anchors[name].point, book.calendar)}
    return {}


def _texts(opens: Mapping[str, str | list[str]]) -> dict[str, str]:
    return {name: one if isinstance(one, str) else ",".join(one) for name, one in opens.items()}


def _of_picker(picker: Picker) -> dict[str, Named]:
    found = {}
    for choice in picker.choices:
        period = _filled(choice, picker, {}, picker._anchor_for(choice))
        if period is not None:
            found[choice.key] = Named(period, choice.calendar or picker.calendar)
    return found


def _of_page(page: Page, opens: dict[str, str] | None = None) -> dict[str, Named]:
    """Of each chart that has dates, what it opens with."""
    found = {}
    for chart in page.charts:
        choice, picker, state = chart.pinned, None, {}
        if chart.follows is not None:
            picker = page.pickers[chart.follows]
            state = {**picker.start, **(opens or {})}
            choice = picker.choice(state.get(picker.name, picker.opens))
        if choice is None:
            continue
        period = _filled(choice, picker, state, choice.anchor or page.resolver.anchor)
        if period is None:
            continue
        if chart.shift is not None:
            period = Period(shifted(period.definition, *chart.shift))
        calendar = choice.calendar or (picker.calendar if picker else None)
        found[chart.key] = Named(period, calendar)
    return found


def _filled(
    choice: Choice, picker: Picker | None, state: dict[str, str], anchor: AnchorPoint | None
) -> Period | None:
    """The period of a choice with its anchor in the phrase."""
    period = choice.period
    if isinstance(period, OpenPeriod):
        values = {}
        for name, made in choice.inputs.items():
            said = state.get(f"{picker.name}.{choice.key}.{name}") if picker else None
            values[name] = said if said is not None else made.opens
            if isinstance(made, ListedInput) and values[name] in (None, "latest"):
                values[name] = f"latest {made.unit or 'week'}"
        try:
            period = period.filled(**values)
        except UlnagerError:
            return None
    if anchor is None or not hangs_on_anchor(period.definition):
        return period._closed()
    return period._closed()._as_of(anchor.definition)

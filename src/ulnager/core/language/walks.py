"""A period walked through the data: the same phrase as of one day after another."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from functools import lru_cache
from typing import Any, Final

from ulnager.core.arguments import shown
from ulnager.core.calendars.zones import LAST_DAY, date_of
from ulnager.core.errors import PeriodSyntaxError, ResolveError, SettingError
from ulnager.core.language.reader import read_period
from ulnager.core.messages import Message
from ulnager.core.periods.clock import calendars_of, extent_of
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.resolution import Resolution
from ulnager.core.periods.rule import Kind
from ulnager.core.units import Unit


def step_of(text: object) -> tuple[int, Unit]:
    """How far a step is: ``1 week``, ``-2 months``.

    Raises SettingError for what is no step of days.
    """
    said = " ".join(text.split()) if isinstance(text, str) else ""
    word = "earlier" if said.startswith("-") else "later"
    try:
        found = shift_of(f"{said.lstrip('+-').strip()} {word}")
    except PeriodSyntaxError:
        found = None
    if found is None or found[1].microseconds or not (found[1].days or found[1].months):
        raise SettingError(f"step is {shown(text)}; give days or longer, such as '1 week'")
    return found


@lru_cache(512)
def shift_of(text: str) -> tuple[int, Unit] | None:
    """How far a shift such as ``1 year earlier`` moves, later when positive; None for none or two.

    Raises PeriodSyntaxError for what cannot be read.
    """
    lead = "today, "
    try:
        found = read_period(f"{lead}{text}")
    except PeriodSyntaxError as error:
        # What is told is of what was typed, and not of the phrase that was made of it.
        near = [one.removeprefix(lead) for one in error.suggestions if one.startswith(lead)]
        at = max(0, error.position - len(lead))
        size, expected = error.length, error.expected
        raise PeriodSyntaxError(text, at, size, error.problem, expected, near, (), True) from None
    is_one = found.rule.kind is Kind.SHIFT and found.args[0].rule.kind is not Kind.SHIFT
    return found.shift if is_one else None


def walked(period: Any, step: object, first: object, last: object, when: dict[str, Any]) -> Any:
    """The resolutions of a period as of ``first`` moved by steps, while not after ``last``."""
    count, unit = step_of(step)
    if not moves(period.definition):
        raise SettingError(f"'{period}' does not move with its anchor, so it cannot be walked")
    calendar = calendars_of(when.get("calendar")).chosen
    begin, end = (_day(period, one, when) for one in (first, last))
    return _steps(period, (count, unit), (begin, end), calendar, when)


def moves(definition: Definition) -> bool:
    """Whether a period has other dates as of other days."""
    return not definition.rule.sets_anchor and definition.is_anchored


def _day(period: Any, point: object, when: dict[str, Any]) -> int:
    """The day of a point, measured against the clock and the data."""
    if isinstance(point, date):
        return point.toordinal()
    if not isinstance(point, str):
        raise SettingError(f"{shown(point)} is no day; give a date, or a point such as 'latest'")
    result = type(period)(read_period(point)).resolve(**when)
    if result.start is None or result.days != 1:
        raise SettingError(f"{point!r} is no single day; give a date, or a point such as 'latest'")
    day: int = result.start.toordinal()
    return day


def _steps(
    period: Any, step: tuple[int, Unit], ends: tuple[int, int], calendar: Any, when: dict[str, Any]
) -> Iterator[Resolution]:
    (count, unit), (begin, end) = step, ends
    data = None if when.get("data") is None else extent_of(when["data"])
    place = 0
    while True:
        # Counted from the first day: step by step it would drift off the ends of months.
        try:
            day = calendar._move_day(begin, unit, count * place)
        except ResolveError:
            return
        if (day > end if count > 0 else day < end) or not 1 <= day <= LAST_DAY:
            return
        result = period.resolve(**{**when, "as_of": date_of(day)})
        # Its notes are worked out when asked for; here there are more of them.
        more = tuple(_notes(result, data))
        if more:
            result.__dict__["notes"] = (*result.notes, *more)
        yield result
        place += 1


OUTSIDE: Final = "outside-data"
"""The code of a note on dates that the data does not reach."""


def _notes(result: Resolution, data: Any) -> Iterator[str]:
    if data is None:
        return
    start, end = result.start, result.end
    if end is not None and end > data.last:
        yield Message("it runs past the data, which ends on {0}", data.last, code=OUTSIDE)
    if start is not None and start < data.first:
        yield Message("it begins before the data, which begins on {0}", data.first, code=OUTSIDE)

"""Fixed dates in a link: ``2026-05-07/2026-05-20``, several with commas, ``..`` where open."""

from __future__ import annotations

from datetime import date
from typing import Final

from ulnager.core.periods import phrases
from ulnager.core.periods.anchors import Extent
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.resolution import InstantResolution, Resolution
from ulnager.core.periods.spans import FixedDates, Span
from ulnager.core.text import pattern

_SPAN: Final = pattern(r"(\d{4}-\d\d-\d\d|\.\.)/(\d{4}-\d\d-\d\d|\.\.)")
_MOST: Final = 100

Bounds = tuple[date | None, date | None]
"""The first and the last date of a span, both in; None at an open side."""


def frozen_text(bounds: list[Bounds]) -> str:
    """Spans as the text of a link."""
    return ",".join(f"{first or '..'}/{last or '..'}" for first, last in bounds)


def bounds_of(result: Resolution) -> list[Bounds]:
    """The spans of a resolution, both ends in; none of hours, which no dates can say."""
    if isinstance(result, InstantResolution):
        return []
    return [(span.start, _last(span)) for span in result.spans]


def _last(span: Span) -> date | None:
    return span.end


def read_frozen(text: str) -> list[Bounds] | None:
    """The spans that a text says, in order; None where it is no such text."""
    parts = text.split(",")
    if len(parts) > _MOST:
        return None
    found: list[Bounds] = []
    for part in parts:
        match = _SPAN.fullmatch(part.strip())
        if match is None:
            return None
        try:
            first, last = (
                None if one == ".." else date.fromisoformat(one) for one in match.groups()
            )
        except ValueError:
            return None
        if first and last and last < first:
            return None
        found.append((first, last))
    return found


def cut(bounds: list[Bounds], extent: Extent | None) -> list[Bounds]:
    """The spans without what lies outside the data; nothing is left where all does."""
    if extent is None:
        return bounds
    kept: list[Bounds] = []
    for first, last in bounds:
        low = extent.first if first is None else max(first, extent.first)
        high = extent.last if last is None else min(last, extent.last)
        if low <= high:
            kept.append((low, high))
    return kept


def definition_of(bounds: list[Bounds]) -> Definition:
    """The dates as a phrase says them."""
    found: Definition | None = None
    for first, last in bounds:
        one = _span(first, last)
        found = one if found is None else Definition(phrases.plus, (found, one))
    assert found is not None
    return found


def _span(first: date | None, last: date | None) -> Definition:
    if first is None and last is None:
        return Definition(phrases.all_dates)
    if first is None or last is None:
        day = Definition(phrases.day, (first or last,))
        return Definition(phrases.from_ if last is None else phrases.until, (day,))
    dates = FixedDates(f"{first}/{last}", first.toordinal(), last.toordinal() + 1)
    return Definition(phrases.fixed, (dates,))

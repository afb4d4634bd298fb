"""Resolutions: the dates that came out, with the reasons for them."""

from __future__ import annotations

from datetime import date, datetime, tzinfo
from functools import cached_property
from typing import Any

from ulnager.core import explain
from ulnager.core.calendars import date_of
from ulnager.core.definitions import Anchor, Basis, Definition
from ulnager.core.spans import Range, Span
from ulnager.core.units import MONTH_NAMES
from ulnager.core.zones import day_start


class Resolution:
    """A period worked out: its spans, and the steps that led there.

    ``period`` is what was resolved. All else is worked out from it and from the basis
    when it is asked for.
    """

    def __init__(
        self, definition: Definition, basis: Basis, ranges: tuple[Range, ...], period: Any
    ) -> None:
        self._definition = definition
        self._basis = basis
        self._ranges = ranges
        self.period = period
        # Dates that cannot be shown are found here and not when a page is half drawn.
        for start, stop in ranges:
            if start is not None and start < 1:
                date_of(start)
            if stop is not None and stop > 3_652_059:
                date_of(stop)

    @property
    def start(self) -> date | None:
        """The first date; None when that side is open, or when there is no date at all."""
        ranges = self._ranges
        if not ranges or ranges[0][0] is None:
            return None
        return date.fromordinal(ranges[0][0])

    @property
    def stop(self) -> date | None:
        """The first date after the last one; None as for ``start``."""
        ranges = self._ranges
        if not ranges or ranges[-1][1] is None:
            return None
        return date.fromordinal(ranges[-1][1])

    @property
    def end(self) -> date | None:
        """The last date; None as for ``start``."""
        ranges = self._ranges
        if not ranges or ranges[-1][1] is None:
            return None
        return date.fromordinal(ranges[-1][1] - 1)

    @property
    def days(self) -> int | None:
        """How many days are in; None when a side is open, 0 when it is empty."""
        total = 0
        for start, stop in self._ranges:
            if start is None or stop is None:
                return None
            total += stop - start
        return total

    @property
    def is_empty(self) -> bool:
        """Whether there is no date in it; ``notes`` then says why."""
        return not self._ranges

    @cached_property
    def spans(self) -> tuple[Span, ...]:
        """The spans, disjoint and in order."""
        return tuple(
            Span(
                None if start is None else date.fromordinal(start),
                None if stop is None else date.fromordinal(stop),
            )
            for start, stop in self._ranges
        )

    @cached_property
    def anchor(self) -> Anchor:
        """The day that the phrase was measured from; ``as of`` in the phrase decides."""
        definition, basis = self._definition, self._basis
        while definition.rule.kind.value == "basis":
            basis = definition.rule.find(basis, *definition.args[1:])
            definition = definition.args[0]
        return basis.as_anchor()

    @property
    def calendar(self) -> Any:
        """The calendar that it was resolved with."""
        return self._basis.calendar

    @cached_property
    def label(self) -> str:
        """The dates for a person to read.

        >>> import ulnager
        >>> ulnager.period("last 3 whole months").resolve(today="2026-06-13").label
        '1 Mar to 31 May 2026'
        """
        if not self.spans:
            return "no dates"
        labels = [_label(span) for span in self.spans[:3]]
        more = len(self.spans) - len(labels)
        return ", ".join(labels) + (f" and {more} more spans" if more else "")

    @cached_property
    def notes(self) -> tuple[str, ...]:
        """What a reader should know: other readings, why it is empty."""
        return explain.notes(self._definition, self._basis)

    @cached_property
    def steps(self) -> tuple[str, ...]:
        """What was decided, in words, with the dates."""
        return explain.steps(self._definition, self._basis)

    def contains(self, day: date) -> bool:
        """Whether the day is in one of the spans.

        >>> import ulnager
        >>> march = ulnager.period("2026-03").resolve()
        >>> march.contains(date(2026, 3, 31)), march.contains(date(2026, 4, 1))
        (True, False)
        """
        return any(day in span for span in self.spans)

    def instants(self, zone: tzinfo) -> tuple[tuple[datetime | None, datetime | None], ...]:
        """The instants at which each span starts and stops, in UTC; None at an open side.

        >>> import ulnager
        >>> from zoneinfo import ZoneInfo
        >>> march = ulnager.period("2026-03").resolve()
        >>> [(str(a), str(b)) for a, b in march.instants(ZoneInfo("Europe/London"))]
        [('2026-03-01 00:00:00+00:00', '2026-03-31 23:00:00+00:00')]
        """
        return tuple(
            (
                None if span.start is None else day_start(span.start, zone),
                None if span.stop is None else day_start(span.stop, zone),
            )
            for span in self.spans
        )

    def to_dict(self, *, steps: bool = False) -> dict[str, Any]:
        """The resolution as plain values, dates as ISO 8601 text, ready for JSON."""
        anchor = self.anchor
        found: dict[str, Any] = {
            "period": str(self.period),
            "anchor": {
                "date": anchor.day.isoformat(),
                "running": anchor.running,
                "from": anchor.source,
            },
            "calendar": self.calendar.describe(),
            "spans": [
                {
                    "start": _iso(span.start),
                    "end": _iso(span.end),
                    "stop": _iso(span.stop),
                    "days": span.days,
                }
                for span in self.spans
            ],
            "days": self.days,
            "empty": self.is_empty,
            "label": self.label,
            "notes": list(self.notes),
        }
        if steps:
            found["steps"] = list(self.steps)
        return found

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, Resolution)
            and self._definition == other._definition
            and self._ranges == other._ranges
            and self.anchor == other.anchor
        )

    def __hash__(self) -> int:
        return hash((self._definition, self._ranges))

    def __repr__(self) -> str:
        return f"<{self.period}: {', '.join(str(span) for span in self.spans) or 'empty'}>"


def resolve(definition: Definition, basis: Basis, period: Any = None) -> Resolution:
    """The dates of a definition against a basis.

    Raises ResolveError when the phrase needs data or a clock that the basis does not
    have, a unit that the calendar does not have, or dates outside years 1 to 9999.
    """
    return Resolution(definition, basis, definition.ranges(basis), period or definition)


def _iso(day: date | None) -> str | None:
    return None if day is None else day.isoformat()


def _label(span: Span) -> str:
    start, end = span.start, span.end
    if start is None:
        return "all dates" if end is None else f"up to {_day(end)}"
    if end is None:
        return f"from {_day(start)}"
    if start == end:
        return _day(start)
    if start.year != end.year:
        return f"{_day(start)} to {_day(end)}"
    if start.month != end.month:
        return f"{start.day} {MONTH_NAMES[start.month - 1]} to {_day(end)}"
    return f"{start.day} to {_day(end)}"


def _day(day: date) -> str:
    return f"{day.day} {MONTH_NAMES[day.month - 1]} {day.year}"

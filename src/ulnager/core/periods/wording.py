"""What came out, for people (``1 Mar to 31 May 2026``) and for programs."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from ulnager.core.periods.spans import Span
from ulnager.core.showing import Table, pairs
from ulnager.core.units import MONTH_NAMES
from ulnager.core.words import Words


def spans_label(spans: Sequence[Span], words: Words | None = None) -> str:
    """Several spans for a person to read, in the words of a language."""
    say = (lambda text: text) if words is None else words.say
    if not spans:
        return say("no dates")
    more, each = len(spans) - 3, label_of if words is None else words.span
    labels = ", ".join(map(each, spans[:3]))
    return say(f"{labels} and {more} more span{'s' * (more > 1)}") if more > 0 else labels


def label_of(span: Span) -> str:
    start, end = span.start, span.end
    if isinstance(span.start, datetime) or isinstance(span.stop, datetime):
        return _time_label(span)
    if start is None:
        return "all dates" if end is None else f"up to {day_label(end)}"
    if end is None:
        return f"from {day_label(start)}"
    if start == end:
        return day_label(start)
    if start.year != end.year:
        return f"{day_label(start)} to {day_label(end)}"
    if start.month != end.month:
        return f"{start.day} {MONTH_NAMES[start.month - 1]} to {day_label(end)}"
    return f"{start.day} to {day_label(end)}"


def _time_label(span: Span) -> str:
    start, stop = span.start, span.stop
    if not isinstance(start, datetime):
        assert isinstance(stop, datetime)
        return f"before {day_label(stop)} {_clock(stop)}"
    if not isinstance(stop, datetime):
        return f"from {day_label(start)} {_clock(start)}"
    if start.date() == stop.date():
        return f"{day_label(start)} {_clock(start)} to {_clock(stop)}"
    return f"{day_label(start)} {_clock(start)} to {day_label(stop)} {_clock(stop)}"


def _clock(moment: datetime) -> str:
    return f"{moment:%H:%M:%S}" if moment.second or moment.microsecond else f"{moment:%H:%M}"


def day_label(day: date) -> str:
    """A day for a person to read: ``31 Dec 9999``."""
    return f"{day.day} {MONTH_NAMES[day.month - 1]} {day.year}"


def as_values(result: Any, *, steps: bool) -> dict[str, Any]:
    """A resolution as plain values, dates as ISO 8601 text, ready for JSON."""
    anchor = result.anchor
    found: dict[str, Any] = {
        "period": str(result.period),
        "anchor": {
            "date": anchor.day.isoformat(),
            "running": anchor.running,
            "from": anchor.source,
        },
        "calendar": result.calendar.describe(),
        "spans": [
            {
                "start": _iso(span.start),
                "end": _iso(span.end),
                "stop": _iso(span.stop),
                "days": span.days,
            }
            for span in result.spans
        ],
        "days": result.days,
        "empty": result.is_empty,
        "label": result.label,
        "notes": list(result.notes),
    }
    if steps:
        found["steps"] = list(result.steps)
    return found


def table_of(result: Any) -> Table:
    """A resolution as a small table."""
    spans = list(result.spans)
    dates = [("dates" if not place else "", span) for place, span in enumerate(spans[:12])]
    rows: list[tuple[str, object]] = [*(dates or [("dates", "none")])]
    if len(spans) > 12:
        rows.append(("", f"and {len(spans) - 12} more spans"))
    if result.days is not None:
        rows.append(("days", f"{result.days:,}"))
    rows += [("label", result.label), ("anchor", result.anchor), ("calendar", result.calendar)]
    return pairs(result.period, rows, result.notes)


def _iso(day: date | None) -> str | None:
    return None if day is None else day.isoformat()

"""What came out, for people (``1 Mar to 31 May 2026``) and for programs."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from ulnager.core.notebook_tables import Table, pairs
from ulnager.core.periods.spans import Span
from ulnager.core.words import ENGLISH, Words


def spans_label(spans: Sequence[Span], words: Words = ENGLISH) -> str:
    """Several spans for a person to read, in the words of a language."""
    if not spans:
        return words.say("no dates")
    more, labels = len(spans) - 3, ", ".join(map(words.span, spans[:3]))
    key = "{0} and {1} more spans" if more > 1 else "{0} and {1} more span"
    return words.say(key, labels, more) if more > 0 else labels


def dates_told(result: Any) -> str:
    """The dates of a resolution on one line, for those to whom it is offered."""
    if result.period.definition.is_sub_day:
        return spans_label(result.spans)
    return ", ".join(map(str, result.spans[:3])) or "no dates"


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

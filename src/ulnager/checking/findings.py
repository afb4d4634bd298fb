"""Findings: what is wrong, where, what it does to a viewer, and what would be right."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any, Final, NamedTuple
from urllib.parse import quote

from ulnager.core.values import Json

SEVERITIES: Final = {
    "book": "error",
    "missing": "error",
    "ungoverned": "error",
    "nothing": "error",
    "label": "error",
    "stale": "warning",
    "two-readings": "warning",
    "single-day": "warning",
    "everything": "warning",
    "half-loaded-day": "warning",
    "clock-or-data": "warning",
    "runs-out": "warning",
    "zones": "warning",
    "mixed-anchors": "warning",
    "counted-twice": "warning",
    "left-out": "warning",
    "same-dates": "hint",
    "usual-replaced": "hint",
    "typed-anchor": "hint",
    "unused": "hint",
    "loses-last-day": "warning",
    "equals-timestamp": "warning",
    "hidden-column": "warning",
    "typed-dates": "warning",
    "instant-for-day": "warning",
    "zone-left-out": "warning",
    "year-and-month-apart": "warning",
    "phrase": "hint",
    "changed": "warning",
}
"""The rules with their severities; those of books, of SQL, and of older books."""

TOLD: Final = {
    "book": "a mistake that makes a part of the book unusable",
    "missing": "a column, file or name that is not there",
    "ungoverned": "a chart that no picker and no period reaches",
    "nothing": "a period, a chart or an opening choice that has no row or no dates",
    "label": "a label that says another thing than the phrase",
    "stale": "dates typed by hand that do not move",
    "two-readings": "an ambiguous phrase that nothing decides",
    "single-day": "a single day where a span is likely meant",
    "everything": "a period, other than all dates, that keeps every row",
    "half-loaded-day": "a period that ends with a day that is not loaded whole",
    "clock-or-data": "measured from the clock though the data has stopped, or the reverse",
    "runs-out": "holidays or a table that end before the periods do",
    "zones": "days taken in different zones",
    "mixed-anchors": "choices of one picker measured from different days",
    "counted-twice": "a schedule whose windows overlap",
    "left-out": "a schedule whose windows leave days out",
    "same-dates": "choices that always have the same dates",
    "usual-replaced": "a period that stands in place of a usual choice of the same key",
    "typed-anchor": "a fixed date as anchor, close to the data's last day",
    "unused": "a name, or an acceptance, that nothing uses",
    "loses-last-day": "the last day's rows after midnight are lost",
    "equals-timestamp": "a timestamp compared with a day for equality",
    "hidden-column": "a function around the column hides it from an index",
    "typed-dates": "dates typed into what looks like a moving filter",
    "instant-for-day": "the present instant where a day is meant",
    "zone-left-out": "an instant compared with a day of no zone",
    "year-and-month-apart": "year and month compared apart from each other",
    "phrase": "which phrase a condition is",
    "changed": "what a book of an older version means otherwise now",
}
"""What each rule finds, in a line."""

Key = tuple[str, ...]


class Finding(NamedTuple):
    """One finding; ``key`` is the path in the book, empty for SQL; ``line`` counts from 1.

    >>> import ulnager
    >>> sql = "SELECT 1 FROM t WHERE sold_at <= '2026-05-31'"
    >>> [one.rule for one in ulnager.check_sql(sql, today="2026-05-20")]
    ['loses-last-day', 'typed-dates']
    """

    rule: str
    severity: str
    file: str
    line: int
    key: str
    message: str
    instead: str = ""

    def to_dict(self) -> Json:
        """The finding as plain values, ready for JSON."""
        return self._asdict()


def counted(findings: Iterable[Finding]) -> dict[str, int]:
    """How many findings there are of each severity."""
    found = {"error": 0, "warning": 0, "hint": 0}
    for one in findings:
        found[one.severity] += 1
    return found


def passes(findings: Iterable[Finding], *, strict: bool = False) -> bool:
    """Whether there is no error, and when ``strict`` no warning either."""
    found = counted(findings)
    return not found["error"] and not (strict and found["warning"])


class Findings(tuple[Finding, ...]):
    """What a check found, in order of place: a tuple of findings that can be written for others."""

    __slots__ = ()

    def sarif(self) -> dict[str, object]:
        """The findings in the Static Analysis Results Interchange Format, for code hosts.

        >>> import ulnager
        >>> ulnager.check_sql("SELECT 1 FROM t").sarif()["version"]
        '2.1.0'
        """
        return _sarif(self)


def _sarif(findings: Iterable[Finding]) -> dict[str, Any]:
    """Findings in the Static Analysis Results Interchange Format, SARIF 2.1.0.

    Source: OASIS Standard, SARIF Version 2.1.0, 27 March 2020. A hint is a ``note`` there.
    """
    from importlib.metadata import version

    found = list(findings)
    names = sorted({one.rule for one in found})
    rules = [
        {
            "id": name,
            "shortDescription": {"text": TOLD[name]},
            "defaultConfiguration": {"level": _level(SEVERITIES[name])},
        }
        for name in names
    ]
    results = []
    for one in found:
        text = f"{one.message} Instead: {one.instead}" if one.instead else one.message
        place: dict[str, Any] = {
            "physicalLocation": {
                "artifactLocation": {"uri": _uri(one.file)},
                "region": {"startLine": max(one.line, 1)},
            }
        }
        if one.key:
            place["logicalLocations"] = [{"fullyQualifiedName": one.key}]
        results.append(
            {
                "ruleId": one.rule,
                "ruleIndex": names.index(one.rule),
                "level": _level(one.severity),
                "message": {"text": text},
                "locations": [place],
            }
        )
    return {
        "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
        "version": "2.1.0",
        "runs": [
            {
                "tool": {
                    "driver": {
                        "name": "ulnager",
                        "semanticVersion": version("ulnager"),
                        "rules": rules,
                    }
                },
                "columnKind": "unicodeCodePoints",
                "results": results,
            }
        ],
    }


def _uri(file: str) -> str:
    path = Path(file)
    return path.as_uri() if path.is_absolute() else quote(path.as_posix())


def _level(severity: str) -> str:
    return "note" if severity == "hint" else severity

"""Writes docs/conformance.jsonl: ``python docs/conformance.py``.

The cases come from the tables of the tests and from the oracle, which shares no code with the
library. Each line has ``phrase``, and what it is measured against: ``calendar`` (null for the
Gregorian one), ``today`` or ``as_of`` (a day that is over), ``now`` and ``tz`` where there are hours,
``data`` (first and last date); then ``canonical``, ``spans`` (inclusive dates or half-open instants,
null at an open side), or ``refused``: ``syntax`` or ``dates``.
"""

from __future__ import annotations

import json
import random
import sys
from collections.abc import Iterator
from datetime import date
from itertools import count, islice
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

from test_named import Walker, back  # noqa: E402
from ulnager import MonthCalendar, UlnagerError, WeekCalendar, period  # noqa: E402
from ulnager.core.errors import PeriodSyntaxError  # noqa: E402
from ulnager.core.units import LONG_MONTHS, WEEKDAYS  # noqa: E402

from language_page import EXAMPLES  # noqa: E402
from oracle import MEANINGS, Days, Weeks  # noqa: E402

FILE = ROOT / "docs" / "conformance.jsonl"
WALKS, NAMES = 2_400, 300
BASIS = {
    "now": "2026-05-20T08:30:00-03:00",
    "tz": "America/Halifax",
    "data": ["2023-10-01", "2026-05-17"],
}
UNITS = ["day", "week", "month", "quarter", "half", "year"]


def lines(name: str) -> list[str]:
    return (ROOT / "tests" / name).read_text().strip().splitlines()


def told() -> Iterator[dict[str, Any]]:
    """Phrases as people say them, of the page of the language, and mistakes."""
    phrases = [line.split("\t")[0] for line in lines("phrases.tsv") if not line.startswith("#")]
    phrases += [phrase for phrase, _ in EXAMPLES if "pay period" not in phrase]
    phrases += [line.split(" => ")[0] for line in lines("wordings.txt")]
    phrases += [line.split(" => ")[0] for line in lines("mistakes.txt")]
    for phrase in dict.fromkeys(phrases):
        if " in shop" not in phrase and " in fiscal" not in phrase and "whole day" not in phrase:
            yield {"phrase": phrase, "calendar": None, **BASIS}


def worked() -> Iterator[dict[str, Any]]:
    for line in lines("worked.txt"):
        phrase, anchor, start, end = (part.strip() for part in line.split("|"))
        kind, day = anchor.rsplit(" ", 1)
        basis = {"today": day} if kind == "today" else {"today": "2026-05-20", "as_of": day}
        yield {
            "phrase": phrase,
            "calendar": None,
            **basis,
            "data": BASIS["data"],
            "spans": [[start, end]],
        }


def walked() -> Iterator[dict[str, Any]]:
    """What the oracle finds by walking from day to day, in calendars of months and of weeks."""
    chance = random.Random(20260520)
    months = {"day": 1, "week": 7, "month": 31, "quarter": 92, "half": 184, "year": 366}
    while True:
        template, unit = chance.choice(sorted(MEANINGS)), chance.choice(UNITS)
        number, running = chance.randint(1, 9), chance.random() < 0.5
        anchor = date.fromordinal(
            chance.randint(date(1990, 1, 1).toordinal(), date(2040, 1, 1).toordinal())
        )
        if months[unit] * number > 1500:
            continue
        calendar, labels = (_of_months if chance.random() < 0.7 else _of_weeks)(chance)
        a = anchor.toordinal()
        first, last = MEANINGS[template](labels, a, a if running else a + 1, number, unit)
        many = template.replace("{u}s", "halves" if unit == "half" else f"{unit}s")
        spans = [[first and str(date.fromordinal(first)), last and str(date.fromordinal(last))]]
        is_empty = first is not None and last is not None and last < first
        yield {
            "phrase": many.replace("{u}", unit).replace("{n}", str(number)),
            "calendar": calendar,
            **({"today": str(anchor)} if running else {"as_of": str(anchor)}),
            "spans": [] if is_empty else spans,
        }


def named() -> Iterator[dict[str, Any]]:
    """Months, quarters, halves and weeks by name."""
    chance = random.Random(20260521)
    names = [*LONG_MONTHS, "Q1", "Q2", "Q3", "Q4", "H1", "H2", *(f"week {n}" for n in range(1, 54))]
    while True:
        name, anchor = chance.choice(names), chance.randint(726_000, 744_000)
        calendar, labels = (_of_months if chance.random() < 0.7 else _of_weeks)(chance)
        walk = Walker(labels, name)
        way = chance.choice(["", "last ", "next "])
        days = count(anchor + 1) if way == "next " else back(anchor)
        over = (lambda first: walk.last_of(first) < anchor) if way == "last " else lambda _: True  # noqa: B023
        span = [str(date.fromordinal(day)) for day in walk.found(days, over)]
        yield {
            "phrase": way + name,
            "calendar": calendar,
            "today": str(date.fromordinal(anchor)),
            "spans": [span],
        }


def _of_months(chance: random.Random) -> tuple[dict[str, Any] | None, Days]:
    if chance.random() < 0.3:
        return None, Days()
    month, day = chance.randint(1, 12), chance.choice([1, 1, 6, 28])
    week = chance.randrange(7)
    told = {"kind": "months", "year_starts": f"{month:02}-{day:02}", "week_starts": WEEKDAYS[week]}
    return told, Days(month, day, week)


def _of_weeks(chance: random.Random) -> tuple[dict[str, Any], Days]:
    layout, last_day = chance.choice(["4-4-5", "4-5-4", "5-4-4"]), chance.randrange(7)
    month, nearest = chance.randrange(12), chance.random() < 0.5
    told = {
        "kind": "weeks",
        "layout": layout,
        "ends_on": WEEKDAYS[last_day],
        "month": LONG_MONTHS[month],
        "nearest": nearest,
        "long_period": 12,
    }
    weeks = tuple(map(int, layout.split("-"))) * 4
    return told, Weeks(
        layout=weeks, last_day=last_day, month=month + 1, nearest=nearest, long_period=12
    )


def calendar_of(told: dict[str, Any] | None) -> Any:
    if told is None:
        return None
    if told["kind"] == "months":
        return MonthCalendar(told["year_starts"], told["week_starts"])
    return WeekCalendar(
        told["layout"],
        told["ends_on"],
        told["month"],
        "nearest" if told["nearest"] else "last",
        told["long_period"],
    )


def outcome(case: dict[str, Any]) -> dict[str, Any]:
    """What the library makes of a case: the canonical form and the spans, or the refusal."""
    given = {key: case[key] for key in ("today", "as_of", "now", "tz") if key in case}
    calendar = calendar_of(case["calendar"])
    try:
        said = period(case["phrase"], calendar)
    except PeriodSyntaxError:
        return {"refused": "syntax"}
    try:
        data = tuple(case["data"]) if "data" in case else None
        result = said.resolve(**given, calendar=calendar, data=data)
    except UlnagerError:
        return {"canonical": str(said), "refused": "dates"}
    ends = [
        [span.start, span.stop if result.end is None and said.definition.is_sub_day else span.end]
        for span in result.spans
    ]
    spans = [[one and one.isoformat() for one in pair] for pair in ends]
    return {"canonical": str(said), "spans": spans}


def cases() -> Iterator[dict[str, Any]]:
    """All cases, with what must come out; ``told`` ones are held by the tables of the tests."""
    for case in told():
        yield {**case, **outcome(case)}
    walks = (*islice(walked(), WALKS), *islice(named(), NAMES))
    for case in [*worked(), *walks]:
        found = outcome(case)
        assert found["spans"] == case["spans"], (case, found)
        yield {**case, **found}


if __name__ == "__main__":
    FILE.write_text("".join(json.dumps(case, ensure_ascii=False) + "\n" for case in cases()))

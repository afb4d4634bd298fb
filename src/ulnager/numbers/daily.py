"""What each day of some dates holds, and what they hold together: for pictures of walks."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ulnager.core.periods.resolution import Resolution
from ulnager.core.periods.spans import union
from ulnager.numbers.daily_aggregates import FROM_DAYS, AskedColumn, gathered
from ulnager.numbers.plan import FromDays


def measured_steps(
    asked: AskedColumn, value: str | None, how: str, steps: Sequence[Resolution]
) -> list[tuple[list[int], dict[int, Any], Any]]:
    """Of each step its days, the measure of each day that has one, and of all together.

    All steps are answered by one question. Measures that do not come together from days are counted
    as rows.
    """
    if how not in FROM_DAYS:
        value, how = None, "count"
    closed: list[tuple[tuple[int, int], ...]] = [
        tuple(
            (start, stop) for start, stop in step.ranges if start is not None and stop is not None
        )
        for step in steps
    ]
    held = gathered(asked, [(value, how)], union(one for window in closed for one in window))
    answers = FromDays(held.cells, value, how, False)
    every = sorted(
        {day for window in closed for start, stop in window for day in range(start, stop)}
    )
    rows = answers.days_with_rows([None], [((day, day + 1),) for day in every])
    values = answers.of([None], [((day, day + 1),) for day in every])
    by_day = {
        day: one
        for day, count, one in zip(every, rows, values, strict=True)
        if count and one is not None
    }
    totals = answers.of([None], closed)
    found = []
    for window, total in zip(closed, totals, strict=True):
        days = [day for start, stop in window for day in range(start, stop)]
        found.append((days, {day: by_day[day] for day in days if day in by_day}, total))
    return found

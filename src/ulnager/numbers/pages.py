"""The measures of a page's charts, with as few questions as they need."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

from sqlalchemy import func, select

from ulnager.core.errors import UlnagerError
from ulnager.core.periods.spans import union
from ulnager.numbers.cube import FROM_DAYS, Asked, Gathered, gathered
from ulnager.numbers.plan import FromSource, Plan

_FULL: Final = 0.25
"""Where days times values of a split are this part of the rows, days say nothing shorter."""
_MOST_KEYS: Final = 2_000


def answered_together(plans: Mapping[str, Plan]) -> dict[str, Any]:
    """What comes out of each plan, by its key; the sentence of the error where one cannot be.

    Charts of one source, column, zone and ``where`` are gathered together: all their days, with
    all their measures, by day and, where charts are split, by that column. Medians and counts of
    different values are asked for by what they have in common too.
    """
    found: dict[str, Any] = {}
    for group in _groups(plans, _by_rows).values():
        together = {key: plan for key, plan in group.items() if _is_of_days(plan)}
        alone = {key: plan for key, plan in group.items() if key not in together}
        splits = list(dict.fromkeys(plan.asked.split for plan in together.values()
                                    if plan.asked.split is not None))  # fmt: skip
        for place, split in enumerate(splits or [None]):
            # What is not split is read off the first of those that are.
            some = {
                key: plan
                for key, plan in together.items()
                if plan.asked.split == split or (not place and plan.asked.split is None)
            }
            found |= _gathered(list(some.items()))
        for same in _groups(alone, lambda plan: (plan.asked.split, tuple(plan.windows))).values():
            found |= _exactly(list(same.items()))
    return {key: found[key] for key in plans}


def _groups(plans: Mapping[str, Plan], by: Any) -> dict[Any, dict[str, Plan]]:
    groups: dict[Any, dict[str, Plan]] = {}
    for key, plan in plans.items():
        groups.setdefault(by(plan), {})[key] = plan
    return groups


def _by_rows(plan: Plan) -> Any:
    asked = plan.asked
    return id(asked.source), asked.column.name, str(asked.tz), asked.said


def _is_of_days(plan: Plan) -> bool:
    return plan.gather is None and plan.measure[1] in FROM_DAYS


def _gathered(plans: Sequence[tuple[str, Plan]]) -> dict[str, Any]:
    """Plans of one source that are put together from days."""
    if not plans:
        return {}
    splits = {plan.asked.split for _, plan in plans}
    if len(splits) > 1 and _is_full(plans):
        # So many values of the split: those without it are asked for by themselves.
        return _gathered([pair for pair in plans if pair[1].asked.split is None]) | _gathered(
            [pair for pair in plans if pair[1].asked.split is not None]
        )
    asked = next((plan.asked for _, plan in plans if plan.asked.split is not None),
                 plans[0][1].asked)  # fmt: skip
    ranges = union(one for _, plan in plans for one in plan.ranges)
    try:
        held = gathered(asked, [plan.measure for _, plan in plans], ranges)
    except UlnagerError as error:
        return {key: str(error) for key, _ in plans}
    return {key: _answer(plan, held) for key, plan in plans}


def _is_full(plans: Sequence[tuple[str, Plan]]) -> bool:
    """Whether days times split values come near the number of rows."""
    asked: Asked = next(plan.asked for _, plan in plans if plan.asked.split is not None)
    rows = asked.source.rows
    days = sum((high or 0) - (low or 0)
               for low, high in union(one for _, plan in plans for one in plan.ranges))  # fmt: skip
    try:
        keys = asked.source.run(
            select(asked.split_by).select_from(rows).distinct().limit(_MOST_KEYS)
        )
        if len(keys) >= _MOST_KEYS:
            return True
        ((count,),) = asked.source.run(select(func.count()).select_from(rows))
    except UlnagerError:
        return False
    return bool(days * len(keys) > _FULL * int(count))


def _exactly(plans: Sequence[tuple[str, Plan]]) -> dict[str, Any]:
    """Plans of the same dates and split that are not put together from days."""
    if any(plan.gather is not None for _, plan in plans):
        return {key: _answer(plan, None) for key, plan in plans}
    try:
        first = plans[0][1]
        answers = FromSource(first.asked, [plan.measure for _, plan in plans], first.windows).each()
    except UlnagerError:
        # One that the engine does not have must not take the others with it.
        return {key: _answer(plan, None) for key, plan in plans}
    found = {}
    for (key, plan), answer in zip(plans, answers, strict=True):
        try:
            found[key] = plan.finish(answer)
        except UlnagerError as error:
            found[key] = str(error)
    return found


def _answer(plan: Plan, held: Gathered | None) -> Any:
    try:
        return plan.answered(held)
    except UlnagerError as error:
        return str(error)

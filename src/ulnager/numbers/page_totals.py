"""The measures of a page's charts, with as few questions as they need."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final, NamedTuple

from sqlalchemy import func, select

from ulnager.core.errors import UlnagerError, sentence_of
from ulnager.core.periods.spans import Range, union
from ulnager.numbers.daily_aggregates import FROM_DAYS, AskedColumn, Gathered, Measure, gathered
from ulnager.numbers.plan import FromSource, Plan

_FULL: Final = 0.25
"""Where days times values of a split are this part of the rows, days say nothing shorter."""
_MOST_KEYS: Final = 2_000


_MUCH: Final = 0.5
"""A chart joins a question whose days are at most so much more than its own."""


class Looked(NamedTuple):
    """What all days of a source hold, as its first look told."""

    asked: AskedColumn
    measures: frozenset[Measure]
    held: Gathered


def first_looks(charts: Sequence[tuple[AskedColumn, Measure, int]]) -> Looked | None:
    """The days of a source whose dates are not known yet, with what its widest charts measure.

    Of each chart what it asks, its measure and how many days it has. None where no chart is of
    plain days; then the dates are a question of their own.
    """
    plain = [
        (asked, measure, days)
        for asked, measure, days in charts
        if asked.split is None and not asked.where and measure[1] in FROM_DAYS
    ]
    if not plain:
        return None
    widest = max(days for _, _, days in plain)
    measures = frozenset(measure for _, measure, days in plain if days >= _MUCH * widest)
    asked = plain[0][0]
    return Looked(asked, measures, gathered(asked, measures))


def answered_together(
    plans: Mapping[str, Plan], looked: Mapping[int, Looked] | None = None
) -> dict[str, Any]:
    """What comes out of each plan, by its key; the sentence of the error where one cannot be.

    Charts of one source, column, zone and ``where`` are gathered together: all their days, with
    all their measures, by day and, where charts are split, by that column. Medians and counts of
    different values are asked for by what they have in common too. ``looked`` is what the first
    look at a source (by its ``id``) told.
    """
    found: dict[str, Any] = {}
    left: dict[str, Plan] = {}
    for key, plan in plans.items():
        known = (looked or {}).get(id(plan.asked.source))
        if known is not None and _is_answered_by(plan, known):
            found[key] = _answer(plan, known.held)
        else:
            left[key] = plan
    for group in _groups(left, _by_rows).values():
        together = {key: plan for key, plan in group.items() if _is_of_days(plan)}
        alone = {key: plan for key, plan in group.items() if key not in together}
        splits = list(
            dict.fromkeys(
                plan.asked.split for plan in together.values() if plan.asked.split is not None
            )
        )
        for place, split in enumerate(splits or [None]):
            # What is not split is read off the first of those that are.
            some = {
                key: plan
                for key, plan in together.items()
                if plan.asked.split == split or (not place and plan.asked.split is None)
            }
            for batch in _batches(some):
                found |= _gathered(batch)
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


def _is_answered_by(plan: Plan, known: Looked) -> bool:
    asked = plan.asked
    return (
        _is_of_days(plan)
        and asked.split is None
        and _by_rows(plan) == _by_rows(plan._replace(asked=known.asked))
        and (plan.measure[0] is None or plan.measure in known.measures)
    )


def _batches(plans: Mapping[str, Plan]) -> list[list[tuple[str, Plan]]]:
    """Plans whose days are asked for by one question: the widest first, and those that ask for
    nothing besides, or are not much narrower."""
    days = {key: _days(plan.ranges) for key, plan in plans.items()}
    batches: list[list[tuple[str, Plan]]] = []
    for key in sorted(plans, key=lambda one: -days[one]):
        plan = plans[key]
        for batch in batches:
            has_all = any(
                plan.asked.split in (None, other.asked.split)
                and plan.measure in (other.measure, (None, "count"))
                for _, other in batch
            )
            if has_all or days[key] >= _MUCH * days[batch[0][0]]:
                batch.append((key, plan))
                break
        else:
            batches.append([(key, plan)])
    return batches


def _days(ranges: Sequence[Range]) -> int:
    return sum((high or 0) - (low or 0) for low, high in ranges)


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
    asked = next(
        (plan.asked for _, plan in plans if plan.asked.split is not None), plans[0][1].asked
    )
    ranges = union(one for _, plan in plans for one in plan.ranges)
    try:
        held = gathered(asked, [plan.measure for _, plan in plans], ranges)
    except UlnagerError as error:
        return {key: sentence_of(error) for key, _ in plans}
    return {key: _answer(plan, held) for key, plan in plans}


def _is_full(plans: Sequence[tuple[str, Plan]]) -> bool:
    """Whether days times split values come near the number of rows."""
    asked: AskedColumn = next(plan.asked for _, plan in plans if plan.asked.split is not None)
    rows = asked.source.rows
    days = _days(union(one for _, plan in plans for one in plan.ranges))
    try:
        ((count,),) = asked.source.run(select(func.count()).select_from(rows))
        if days * _MOST_KEYS <= _FULL * int(count):
            return False  # However many values there are, up to these.
        keys = asked.source.run(
            select(asked.split_by).select_from(rows).distinct().limit(_MOST_KEYS)
        )
        if len(keys) >= _MOST_KEYS:
            return True
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
            found[key] = sentence_of(error)
    return found


def _answer(plan: Plan, held: Gathered | None) -> Any:
    try:
        return plan.answered(held)
    except UlnagerError as error:
        return sentence_of(error)

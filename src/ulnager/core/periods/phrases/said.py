"""What people say that the language has other words for: a wording, and what it stands for.

These are read and never printed: one thing has one canonical form.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.rule import RULES, Kind, Rule
from ulnager.core.units import Unit

SAID: Final[list[Rule]] = []
Made = Callable[..., Definition]


def said(kind: Kind, *wordings: str) -> Callable[[Made], Made]:
    """Adds wordings that stand for what the function makes of their slots."""

    def add(made: Made) -> Made:
        for wording in wordings:
            SAID.append(Rule(f"said {wording}", kind, wording, made, stands_for=made))
        return made

    return add


def _rule(key: str, *args: Any) -> Definition:
    return Definition(RULES[key], args)


@said(Kind.POINT, "{count} {units} ago")
def _ago(count: int, unit: Unit) -> Definition:
    return _rule("moved_before", count, unit, _rule("anchor_day"))


@said(Kind.POINT, "{count} {units} from now")
def _from_now(count: int, unit: Unit) -> Definition:
    clock = _rule("now") if unit.microseconds else _rule("today")
    return _rule("moved_after", count, unit, clock)


@said(Kind.POINT, "today minus {count} {units}")
def _minus(count: int, unit: Unit) -> Definition:
    return _rule("moved_before", count, unit, _rule("today"))


@said(Kind.POINT, "today plus {count} {units}")
def _plus(count: int, unit: Unit) -> Definition:
    return _rule("moved_after", count, unit, _rule("today"))


@said(Kind.POINT, "day before {point}")
def _day_before(point: Definition) -> Definition:
    return _rule("moved_before", 1, Unit.DAY, point)


@said(Kind.POINT, "day after {point}")
def _day_after(point: Definition) -> Definition:
    return _rule("moved_after", 1, Unit.DAY, point)


@said(Kind.RANGES, "{period} without future", "{period} except future")
def _without_future(period: Definition) -> Definition:
    return _rule("except", period, _rule("after", _rule("today")))


@said(Kind.SHIFT, "previous {unit} to date", "last {unit} to date")
def _last_to_date(unit: Unit) -> Definition:
    return _rule("earlier", _rule("to_date", unit), 1, unit)


@said(Kind.SPAN, "last whole {unit}")
def _last_whole(unit: Unit) -> Definition:
    return _rule("last_whole", 1, unit)


@said(Kind.SPAN, "next whole {unit}")
def _next_whole(unit: Unit) -> Definition:
    return _rule("next_whole", 1, unit)

"""What people say that the language has other words for: a wording, and what it stands for.

These are read and never printed: one thing has one canonical form.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.names import NUMBERED_WEEK, DayName, NamedUnit, Ordinal, Weekday
from ulnager.core.periods.rule import RULES, Kind, Rule
from ulnager.core.periods.spans import FixedDates
from ulnager.core.units import Unit

SAID: Final[list[Rule]] = []
Made = Callable[..., Definition | None]


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


@said(
    Kind.SPAN,
    "{count} {units} starting now",
    "{count} {units} beginning now",
    "next {count} {units} starting now",
)
def _starting_now(count: int, unit: Unit) -> Definition:
    """As ``2 hours from now`` is a moment, which is its end."""
    now = _rule("now")
    return _rule("between", now, _rule("moved_after", count, unit, now))


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


@said(Kind.POINT, "{weekday} of {period}")
def _weekday_of(weekday: Weekday, period: Definition) -> Definition | None:
    """Of a week there is one; of anything longer it has to be said which."""
    name = DayName(Unit.DAY, weekday.number)
    return _rule("ordinal_day", Ordinal(1), name, period) if _is_week(period) else None


def _is_week(period: Definition) -> bool:
    while period.rule.kind in (Kind.SHIFT, Kind.BASIS):
        period = period.args[0]
    if period.rule.key == "fixed":
        return period.args[0].unit is Unit.WEEK
    if period.rule.key == "labelled":
        return NUMBERED_WEEK.fullmatch(period.args[0].text) is not None
    return period.rule.step == "unit" and period.unit is Unit.WEEK


@said(Kind.SPAN, "last whole {unit}")
def _last_whole(unit: Unit) -> Definition:
    return _rule("last_whole", 1, unit)


@said(Kind.SPAN, "rolling {unit}", "last rolling {unit}")
def _last_rolling(unit: Unit) -> Definition:
    return _rule("last_rolling", 1, unit)


@said(Kind.SPAN, "{monthname} last year", "{monthname} previous year")
def _month_last_year(name: NamedUnit) -> Definition:
    return _rule("month_of_period", name, _rule("previous", Unit.YEAR))


@said(Kind.SPAN, "{unitname} last year", "{unitname} previous year")
def _unit_last_year(name: NamedUnit) -> Definition:
    return _rule("unit_of_period", name, _rule("previous", Unit.YEAR))


@said(Kind.SPAN, "{monthname} this year", "{monthname} current year")
def _month_this_year(name: NamedUnit) -> Definition:
    return _rule("this_month", name)


@said(Kind.SPAN, "{unitname} this year", "{unitname} current year")
def _unit_this_year(name: NamedUnit) -> Definition:
    return _rule("this_unit", name)


@said(Kind.SPAN, "{monthname} next year")
def _month_next_year(name: NamedUnit) -> Definition:
    return _rule("month_of_period", name, _rule("following", Unit.YEAR))


@said(Kind.SPAN, "{unitname} next year")
def _unit_next_year(name: NamedUnit) -> Definition:
    return _rule("unit_of_period", name, _rule("following", Unit.YEAR))


@said(Kind.SPAN, "{ordinal} {unit} {iso}")
def _nth_of_year(ordinal: Ordinal, unit: Unit, dates: FixedDates) -> Definition | None:
    if unit in (Unit.DAY, Unit.BUSINESS_DAY):
        return None
    return _rule("nth_unit", ordinal, unit, _rule("fixed", dates))


@said(Kind.SPAN, "next whole {unit}")
def _next_whole(unit: Unit) -> Definition:
    return _rule("next_whole", 1, unit)

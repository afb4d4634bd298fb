"""Live conditions with slots left open: each is a bound parameter of the statement.

Counts, units and words are listed: every value that is allowed has its own dates in the statement,
and all others keep no row. Days are parameters themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from itertools import product
from typing import Any, Final, NamedTuple

from sqlalchemy import (
    ColumnElement,
    Integer,
    String,
    and_,
    bindparam,
    false,
    func,
    literal_column,
    or_,
)

from ulnager.core.errors import FilterError
from ulnager.core.language.inputs import (
    CountInput,
    DayInput,
    Input,
    ListedInput,
    SwitchInput,
    UnitInput,
    WordInput,
    fixed_day,
)
from ulnager.core.language.open_period import OpenPeriod, last_slots
from ulnager.core.language.period import PeriodBase
from ulnager.core.language.phrase import period
from ulnager.core.periods import phrases
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.open_slots import PARAMETER
from ulnager.core.units import UNIT_NAMES
from ulnager.filters.live_condition import Live
from ulnager.filters.primitives import day_parameter

MOST_WAYS: Final = 2_000
MOST_COUNTED: Final = 400
"""A count without a max is taken up to here."""

Measured = Callable[[Definition], tuple[Definition, dict[str, ColumnElement[Any]]]]
"""A definition as of an anchor, with the parameters that this needs."""


class Way(NamedTuple):
    """A value of an input in a statement: what it fills the slot with, and when it is meant."""

    fill: Any
    when: tuple[ColumnElement[bool], ...]
    parameters: Mapping[str, ColumnElement[Any]] = {}


def open_where(live: Live, said: OpenPeriod, on: Any) -> ColumnElement[bool]:
    """The condition of a phrase with its slots as parameters of their names."""
    given = dict(live.parameters or {})
    ways = {
        name: list(ways_of(live, said, made, given.get(name), name))
        for name, made in said.inputs.items()
    }
    clauses = []
    for values, when, extra in combined(ways):
        definition = said._definition_with(values)
        clause = live._replace(parameters=extra).where(definition, on)
        clauses.append(and_(*when, clause))
    return or_(false(), *clauses)


def combined(
    ways: Mapping[str, list[Way]],
) -> Iterator[tuple[dict[str, Any], list[ColumnElement[bool]], dict[str, ColumnElement[Any]]]]:
    """Every combination of the ways of several inputs; FilterError where there are too many."""
    count = 1
    for some in ways.values():
        count *= max(len(some), 1)
    if count > MOST_WAYS:
        raise FilterError(
            f"its inputs have {count:,} combinations, and a statement lists at most {MOST_WAYS:,}; "
            "give counts a lower max"
        )
    for chosen in product(*ways.values()):
        values = {name: way.fill for name, way in zip(ways, chosen, strict=True)}
        when = [clause for way in chosen for clause in way.when]
        extra = {name: one for way in chosen for name, one in way.parameters.items()}
        yield values, when, extra


def ways_of(
    live: Live,
    said: PeriodBase,
    made: Input,
    given: ColumnElement[Any] | None,
    name: str,
    opens: Any = None,
    measured: Measured | None = None,
) -> Iterator[Way]:
    """The ways of one input; null falls back to ``opens`` where that is given, and ``measured``
    says what the points are measured from that bound it."""
    if isinstance(made, CountInput):
        value = _or_opens(bindparam(name, type_=Integer) if given is None else given, opens)
        high = MOST_COUNTED if made.max is None else made.max
        for number in range(made.min, high + 1, made.step or 1):
            yield Way(number, (value == literal_column(str(number)),))
    elif isinstance(made, UnitInput | WordInput):
        value = _or_opens(bindparam(name, type_=String) if given is None else given, opens)
        for word in made.of:
            yield Way(made.fill(word), (value == constant(word),))
    elif isinstance(made, SwitchInput):
        value = _or_opens(bindparam(name, type_=String) if given is None else given, "off")
        for is_on in (True, False):
            yield Way(is_on, (value == constant("on" if is_on else "off"),))
    elif isinstance(made, DayInput):
        yield from _days(live, said, made, given, name, opens, measured)
    elif isinstance(made, ListedInput):
        yield from _listed(made, name, opens)
    else:
        yield _day_way(day_parameter(name) if given is None else given, name)


def constant(text: str) -> ColumnElement[Any]:
    """A word as it stands in the statement."""
    quoted = text.replace("'", "''").replace(":", "\\:")
    return literal_column(f"'{quoted}'", String)


def _or_opens(value: ColumnElement[Any], opens: Any) -> ColumnElement[Any]:
    if opens is None:
        return value
    other = constant(opens) if isinstance(opens, str) else literal_column(str(int(opens)))
    return func.coalesce(value, other)


def _day_way(value: ColumnElement[Any], name: str, *when: ColumnElement[bool]) -> Way:
    return Way(parameter(name), (value.is_not(None), *when), {name: value})


def parameter(name: str) -> Definition:
    """A day that is a parameter."""
    return Definition(PARAMETER, (name,))


def _point(setting: Any) -> Definition | None:
    """A bound or an opening value as a point."""
    if setting is None:
        return None
    day = fixed_day(setting)
    if day is not None:
        return Definition(phrases.day, (day,))
    found = period(str(setting)).definition
    point: Definition = found.args[0]
    return point


def _days(
    live: Live,
    said: PeriodBase,
    made: DayInput,
    given: ColumnElement[Any] | None,
    name: str,
    opens: Any,
    measured: Measured | None = None,
) -> Iterator[Way]:
    value = day_parameter(name) if given is None else given
    if made.only is not None:
        raise FilterError(f"{{{made.name}}} takes business days only, which no statement checks")
    plain = live._replace(column_type="date", rounding=None, grain=None, anchor=None, running=False)
    has_data = live.latest is not None
    low = _point(made.min) or (Definition(phrases.earliest) if has_data else None)
    high = _point(made.max) or (Definition(phrases.latest) if has_data else None)
    when = []
    if low is not None:
        when.append(_bound(plain, Definition(phrases.from_, (low,)), value, measured))
    if high is not None:
        when.append(_bound(plain, Definition(phrases.until, (high,)), value, measured))
    if made.step is not None:
        is_last = made.name in last_slots(said.definition)
        unit = UNIT_NAMES.get(made.step)
        if unit is None:
            raise FilterError(f"{{{made.name}}} steps by {made.step}, which no statement checks")
        around = Definition(phrases.unit_of, (unit, parameter(name)))
        edge = Definition(phrases.end_of if is_last else phrases.start_of, (around,))
        only = Definition(phrases.on, (edge,))
        when.append(plain._replace(parameters={name: value}).where(only, value))
    yield _day_way(value, name, *when)
    point = _point(opens)
    if point is not None:
        if point in (low, high):
            low = high = None
        if high is not None:
            point = Definition(phrases.earlier_of, (high, point))
        if low is not None:
            point = Definition(phrases.later_of, (low, point))
        yield Way(point, (value.is_(None),))


def _bound(
    live: Live, bound: Definition, value: Any, measured: Measured | None
) -> ColumnElement[bool]:
    definition, more = (bound, {}) if measured is None else measured(bound)
    return live._replace(parameters=more).where(definition, value)


def _listed(made: ListedInput, name: str, opens: Any) -> Iterator[Way]:
    first, last = f"{name}_first", f"{name}_last"
    sides = {one: day_parameter(one) for one in (first, last)}
    between = Definition(phrases.between, (parameter(first), parameter(last)))
    known = tuple(one.is_not(None) for one in sides.values())
    yield Way(between, known, sides)
    if opens is not None:
        unit = UNIT_NAMES.get(made.unit or "")
        if unit is None or opens != "latest":
            raise FilterError(f"{{{made.name}}} opens with {opens}, which no statement works out")
        newest = Definition(phrases.latest_unit, (unit,))
        yield Way(newest, tuple(one.is_(None) for one in sides.values()))

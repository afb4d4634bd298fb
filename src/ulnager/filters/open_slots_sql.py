"""Live conditions with slots left open: each is a bound parameter of the statement.

Counts are counted with, where the engine can; units and words are listed: every value that is
allowed has its own dates in the statement, and all others keep no row. Days are parameters
themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
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
    not_,
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
from ulnager.core.language.open_period import OpenPeriod, cut_by, last_slots
from ulnager.core.language.period import PeriodBase
from ulnager.core.language.phrase import period
from ulnager.core.periods import phrases
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.open_slots import OPENED, PARAMETER, WITHIN, OpenCount
from ulnager.core.units import UNIT_NAMES
from ulnager.filters.chosen_span import (
    Choosable,
    Cut,
    can_be_chosen,
    chosen_where,
    counts_along,
    cut_of,
    other_days,
)
from ulnager.filters.live_condition import Live
from ulnager.filters.primitives import day_parameter

MOST_WAYS: Final = 2_000
MOST_COUNTED: Final = 400
"""A count without a max is taken up to here, where each has to be listed."""
MOST_ADDED: Final = 2_000
"""A count without a max is taken up to here, where it is counted with."""

Measured = Callable[[Definition], tuple[Definition, dict[str, ColumnElement[Any]]]]
"""A definition as of an anchor, with the parameters that this needs."""


class Way(NamedTuple):
    """A value of an input in a statement: what it fills the slot with, when it is meant, and what
    must hold of it besides."""

    fill: Any
    when: tuple[ColumnElement[bool], ...]
    parameters: Mapping[str, ColumnElement[Any]] = {}
    valid: tuple[ColumnElement[bool], ...] = ()


class Combined(NamedTuple):
    """One way of every input: their values, when it is meant, what must hold, and parameters."""

    values: dict[str, Any]
    when: tuple[ColumnElement[bool], ...]
    valid: tuple[ColumnElement[bool], ...]
    parameters: dict[str, ColumnElement[Any]]


def open_where(live: Live, said: OpenPeriod, on: Any) -> ColumnElement[bool]:
    """The condition of a phrase with its slots as parameters of their names."""
    given = dict(live.parameters or {})
    switches = [made for made in said.inputs.values() if isinstance(made, SwitchInput)]
    off = {made.name: False for made in switches}

    def found(along: bool) -> list[Choosable]:
        ways = {
            name: list(ways_of(live, said, made, given.get(name), name, along=along))
            for name, made in said.inputs.items()
            if made not in switches
        }
        return [
            Choosable(
                "",
                one.when,
                one.valid,
                live._replace(parameters=one.parameters),
                said._definition_with({**one.values, **off}),
            )
            for one in combined(ways)
            if said._goes(one.values)
        ]

    def is_on(made: SwitchInput) -> ColumnElement[bool]:
        value = given.get(made.name)
        value = bindparam(made.name, type_=String) if value is None else value
        return _or_opens(value, "off") == constant("on")

    turned = [Switched(is_on(made), made.phrase) for made in switches]
    return switched_where(counted(found), on, None, turned)


class Switched(NamedTuple):
    """A switch of a statement: when it is on, and what it cuts then."""

    is_on: ColumnElement[bool]
    cut: str


def counted(found: Callable[[bool], list[Choosable]]) -> list[Choosable]:
    """Periods whose counts are counted with, or are listed where an engine could not."""
    some = found(True)
    can = all(counts_along(one.live, one.definition) for one in some)
    return some if can else found(False)


def switched_where(
    of: Sequence[Choosable],
    on: Any,
    chosen: ColumnElement[Any] | None,
    switches: Sequence[Switched],
) -> ColumnElement[bool]:
    """The rows of the period that is chosen, less what switches cut out of it where they are on."""
    taken = [[cut_of(one, cut_by(one.definition, switch.cut)) for switch in switches] for one in of]
    # What a cut leaves as it is no one span is written with it and without.
    plain = [n for n, one in enumerate(of) if can_be_chosen(one) and None not in taken[n]]
    found: list[ColumnElement[bool]] = []
    if plain:
        kept = chosen_where([of[n] for n in plain], on, chosen)
        for place, switch in enumerate(switches):
            gone = _gone([(of[n], taken[n][place]) for n in plain], on, chosen)
            kept = and_(kept, *(not_(and_(switch.is_on, one)) for one in gone))
        found.append(kept)
    for n, one in enumerate(of):
        if n in plain:
            continue
        for each in product((False, True), repeat=len(switches)):
            definition, when = one.definition, list(one.when)
            for switch, is_on in zip(switches, each, strict=True):
                when.append(switch.is_on if is_on else not_(switch.is_on))
                definition = cut_by(definition, switch.cut) if is_on else definition
            whole = one._replace(definition=definition, when=tuple(when))
            found.append(chosen_where([whole], on, chosen))
    return found[0] if len(found) == 1 else or_(false(), *found)


def _gone(
    taken: Sequence[tuple[Choosable, Cut | None]], on: Any, chosen: ColumnElement[Any] | None
) -> Iterator[ColumnElement[bool]]:
    """What one switch cuts out of several periods: spans, and days by their sort."""
    spans = [cut.span for _, cut in taken if cut is not None and cut.span is not None]
    if spans:
        yield chosen_where(spans, on, chosen)
    sorts: dict[Any, list[Choosable]] = {}
    for one, cut in taken:
        if cut is not None and cut.sorted is not None:
            key = cut.sorted._replace(one=None), one.live.calendar
            sorts.setdefault(key, []).append(one)
    for (cut_sort, _), some in sorts.items():
        test = other_days(some[0], cut_sort, on)
        if chosen is None or len(some) == len(taken):
            yield test
        else:
            keys = [constant(key) for key in dict.fromkeys(one.key for one in some)]
            yield and_(chosen.in_(keys), test)


def combined(ways: Mapping[str, list[Way]]) -> Iterator[Combined]:
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
        when = tuple(clause for way in chosen for clause in way.when)
        valid = tuple(clause for way in chosen for clause in way.valid)
        extra = {name: one for way in chosen for name, one in way.parameters.items()}
        yield Combined(values, when, valid, extra)


def ways_of(
    live: Live,
    said: PeriodBase,
    made: Input,
    given: ColumnElement[Any] | None,
    name: str,
    opens: Any = None,
    measured: Measured | None = None,
    *,
    along: bool = False,
) -> Iterator[Way]:
    """The ways of one input; null falls back to ``opens`` where that is given, and ``measured``
    says what the points are measured from that bound it. ``along`` counts with a count, and does
    not list it."""
    if isinstance(made, CountInput):
        value = _or_opens(bindparam(name, type_=Integer) if given is None else given, opens)
        if along:
            high = MOST_ADDED if made.max is None else made.max
            valid: list[ColumnElement[bool]] = [
                value.between(literal_column(str(made.min)), literal_column(str(high)))
            ]
            if (made.step or 1) > 1:
                past = (value - literal_column(str(made.min))) % literal_column(str(made.step))
                valid.append(past == literal_column("0"))
            yield Way(OpenCount(name), (), {name: value}, tuple(valid))
            return
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


def _day_way(value: ColumnElement[Any], name: str, *valid: ColumnElement[bool]) -> Way:
    return Way(parameter(name), (), {name: value}, (value.is_not(None), *valid))


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
    point = _point(opens)
    if point is None:
        yield _day_way(value, name, *when)
        return
    if point in (low, high):
        low = high = None
    opened = Definition(OPENED, (name, Definition(WITHIN, (point, low, high))))
    valid = (or_(value.is_(None), and_(*when)),) if when else ()
    yield Way(opened, (), {name: value}, valid)


def _bound(
    live: Live, bound: Definition, value: Any, measured: Measured | None
) -> ColumnElement[bool]:
    definition, more = (bound, {}) if measured is None else measured(bound)
    return live._replace(parameters={**(live.parameters or {}), **more}).where(definition, value)


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

"""One statement for a whole picker: its choices and their inputs as bound parameters."""

from __future__ import annotations

import functools
from collections.abc import Iterator
from itertools import pairwise
from typing import Any, Unpack

from sqlalchemy import ColumnElement, String, bindparam, func

from ulnager.choices.picker_base import Choice, PickerBase
from ulnager.choices.picker_state import PickerState
from ulnager.choices.resolver import AnchorPoint
from ulnager.core.errors import FilterError, ResolveError
from ulnager.core.language.inputs import AnchorInput, Input, ListedInput, SwitchInput
from ulnager.core.language.open_period import OpenPeriod
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import period
from ulnager.core.periods import phrases
from ulnager.core.periods.definitions import Definition
from ulnager.core.periods.open_slots import FIRST_OPENED, OPENED, OVER, RUNNING
from ulnager.filters.chosen_span import Choosable
from ulnager.filters.live_condition import ConditionOptions, Live
from ulnager.filters.open_slots_sql import (
    Switched,
    Way,
    combined,
    constant,
    counted,
    parameter,
    switched_where,
    ways_of,
)
from ulnager.filters.primitives import day_parameter


def picker_where(
    picker: PickerBase, column: str | ColumnElement[Any], **options: Unpack[ConditionOptions]
) -> ColumnElement[bool]:
    """What :meth:`ulnager.Picker.where` gives."""
    if "parameters" in options:
        raise FilterError("the parameters are the picker's own here; leave that out")
    options.setdefault("day_starts", picker.resolver.day_starts)
    name = picker.name
    chosen = func.coalesce(bindparam(name, type_=String), constant(picker.opens))
    of: list[Choosable] = []
    for choice in picker.choices:
        if choice.ranges > 1:
            raise FilterError(
                f"{choice.key} may have {choice.ranges} ranges, which one statement cannot take; "
                "use the condition of the view, or ranges = 1"
            )
        of += counted(functools.partial(_of_choice, picker, choice, column, options))
    switches = [
        Switched(_is_on(picker, made), made.phrase)
        for made in picker.inputs.values()
        if isinstance(made, SwitchInput)
    ]
    return switched_where(of, column, chosen, switches)


def _is_on(picker: PickerBase, made: SwitchInput) -> ColumnElement[bool]:
    value = bindparam(f"{picker.name}_{made.name}", type_=String)
    return func.coalesce(value, constant("on" if made.opens else "off")) == constant("on")


def _of_choice(
    picker: PickerBase, choice: Choice, on: Any, options: ConditionOptions, along: bool
) -> list[Choosable]:
    """The periods that a choice may be, by its inputs."""
    live = Live.of(
        {
            "calendar": choice.calendar or picker.calendar,
            "calendars": picker.calendars,
            "defaults": picker.defaults,
            **options,
        }
    )
    found = []
    said = {
        name: _anchor_ways(picker, made)
        for name, made in picker.inputs.items()
        if isinstance(made, AnchorInput) and name not in choice.inputs
    }
    for way in combined(said):
        # Where several say it, the last one does.
        anchor = next(reversed(way.values.values()), picker._anchor_for(choice))
        # What an input opens with is measured from it, too.
        known = live._replace(parameters=way.parameters)
        for one in _measured_ways(picker, choice, anchor, known, along):
            parameters = {**way.parameters, **(one.live.parameters or {})}
            found.append(
                one._replace(
                    when=(*way.when, *one.when),
                    valid=(*way.valid, *one.valid),
                    live=live._replace(parameters=parameters),
                )
            )
    return found


def _measured_ways(
    picker: PickerBase, choice: Choice, anchor: AnchorPoint | None, live: Live, along: bool
) -> Iterator[Choosable]:
    """What a choice may be for each combination of its inputs, as of an anchor."""
    measured = functools.partial(_measured, picker, anchor=anchor)
    inputs = _inputs(picker, choice)
    own = {made.name: made for made in inputs if isinstance(made, SwitchInput)}
    shared = [name for name in own if name in picker.inputs]
    ways = {
        made.name: list(
            ways_of(
                live,
                choice.period,
                made,
                None,
                parameter_name(picker, choice, made),
                _opens(made),
                measured,
                along=along,
            )
        )
        for made in inputs
        if made.name not in shared
        and (not isinstance(made, AnchorInput) or made.name in choice.inputs)
    }
    for one in combined(ways):
        if isinstance(choice.period, OpenPeriod) and not choice.period._goes(one.values):
            continue
        values = {**one.values, **dict.fromkeys(shared, False)}
        found, more = measured(_opening_pair(choice.definition([values])))
        told = live._replace(parameters={**one.parameters, **more})
        yield Choosable(choice.key, one.when, one.valid, told, found)


def _inputs(picker: PickerBase, choice: Choice) -> list[Input]:
    """The inputs that a choice depends on, the picker's first."""
    own = [
        made
        for name, made in picker.inputs.items()
        if name in choice.inputs or isinstance(made, SwitchInput | AnchorInput)
    ]
    return [*own, *picker._own_inputs(choice).values()]


def parameter_name(picker: PickerBase, choice: Choice, made: Input) -> str:
    """The name of an input as a parameter."""
    if made.name in picker.inputs:
        return f"{picker.name}_{made.name}"
    return f"{picker.name}_{choice.key}_{made.name}"


def _opens(made: Input) -> Any:
    if isinstance(made, SwitchInput):
        return "on" if made.opens else "off"
    return "latest" if isinstance(made, ListedInput) and made.opens is None else made.opens


def _opening_pair(definition: Definition) -> Definition:
    """Where both ends are what they open with, the first is never after the last."""
    if definition.rule.kind.value in ("basis", "shift"):
        inner = _opening_pair(definition.args[0])
        return Definition(definition.rule, (inner, *definition.args[1:]))
    if definition.rule is not phrases.between:
        return definition
    first, last = definition.args
    if first.rule is OPENED and last.rule is OPENED:
        return Definition(definition.rule, (Definition(FIRST_OPENED, (first, last)), last))
    return definition


def _anchor_ways(picker: PickerBase, made: AnchorInput) -> list[Way]:
    name = f"{picker.name}_{made.name}"
    named = made.named
    opens = made.opens if isinstance(made.opens, str) else (named or [""])[0]
    value = func.coalesce(bindparam(name, type_=String), constant(opens))
    ways = [Way(picker.anchors[one], (value == constant(one),)) for one in named]
    if "day" in made.of:
        day = f"{name}_day"
        given = day_parameter(day)
        point = Period(Definition(phrases.on, (parameter(day),)))
        ways.append(Way(AnchorPoint(day, point), (value == constant("day"),), {day: given}))
    return ways


def _measured(
    picker: PickerBase, definition: Definition, anchor: AnchorPoint | None
) -> tuple[Definition, dict[str, ColumnElement[Any]]]:
    """A definition as of an anchor, and the parameter that stands for one that SQL cannot find."""
    if anchor is None:
        return definition, {}
    point = anchor.point.definition.args[0]
    is_running = point.rule.is_running
    more: dict[str, ColumnElement[Any]] = {}
    if any(part.rule.takes_profile for part in point.walk()):
        name = anchor_parameter(picker, anchor)
        more[name] = day_parameter(name)
        point = parameter(name)
    if anchor.running not in (None, is_running):
        point = Definition(RUNNING if anchor.running else OVER, (point,))
    return Definition(phrases.as_of, (definition, point)), more


def anchor_parameter(picker: PickerBase, anchor: AnchorPoint) -> str:
    """The name of the parameter for an anchor that SQL cannot work out."""
    return f"{picker.name}_anchor_{anchor.name}"


def parameters_of(view: PickerState) -> dict[str, Any]:
    """The values of all parameters of a picker's statement, as a view has them."""
    picker = view.picker
    found: dict[str, Any] = {picker.name: view.choice}
    for choice in picker.choices:
        each = view.given(choice)[0]
        for made in _inputs(picker, choice):
            given, name = each[made.name], parameter_name(picker, choice, made)
            if isinstance(made, ListedInput):
                found |= _listed_values(name, given)
            elif isinstance(made, AnchorInput):
                is_name = isinstance(given.value, str)
                found[name] = given.value if is_name else "day"
                if "day" in made.of:
                    found[f"{name}_day"] = None if is_name else given.value
            elif isinstance(made, SwitchInput):
                found[name] = "on" if given.value else "off"
            else:
                found[name] = given.value
        for anchor in _anchors(picker, choice):
            if any(part.rule.takes_profile for part in anchor.point.definition.walk()):
                found[anchor_parameter(picker, anchor)] = _anchor_day(view, choice, anchor)
    return found


def _anchors(picker: PickerBase, choice: Choice) -> list[AnchorPoint]:
    found = [one for one in (picker._anchor_for(choice),) if one is not None]
    for made in picker.inputs.values():
        if isinstance(made, AnchorInput):
            found += [picker.anchors[name] for name in made.named]
    return found


def _anchor_day(view: PickerState, choice: Choice, anchor: AnchorPoint) -> Any:
    clock = AnchorPoint("", period("today"), None, anchor.sources)
    try:
        return view.picker.resolver.resolved(
            anchor.point.definition, view.moment, choice.anchor, choice.calendar, said=clock
        ).start
    except ResolveError:
        return None


def _listed_values(name: str, given: Any) -> dict[str, Any]:
    from ulnager.choices.input_values import flat

    known = flat(given.options)
    chosen = sorted((known[key] for key in given.value or ()), key=lambda one: one.start)
    for one, other in pairwise(chosen):
        if (other.start - one.end).days > 1:
            raise ResolveError("several units apart from each other are no two dates")
    first, last = (chosen[0].start, chosen[-1].end) if chosen else (None, None)
    return {f"{name}_first": first, f"{name}_last": last}

"""A view as plain values, and as the fields of a form."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any, NamedTuple, cast
from urllib.parse import urlencode

from ulnager.choices.input_values import Given, Listed, offered
from ulnager.choices.labels import dates_dict, iso
from ulnager.choices.picker_state import PickerState, ShownChoice
from ulnager.choices.view_shape import (
    ByTold,
    ChoiceTold,
    InputTold,
    ListedTold,
    OptionTold,
    ViewTold,
)
from ulnager.core.language.inputs import (
    AnchorInput,
    CountInput,
    ListedInput,
    SwitchInput,
    UnitInput,
    WordInput,
)
from ulnager.core.words import Words


class Field(NamedTuple):
    """A field of a form: what it is called, shown and sent as.

    ``kind`` is ``choice``, ``by``, ``compare``, ``values`` (a filter by value), or the kind of an
    input; ``text`` is what the form sends back if nobody touches it, ``options`` are keys with
    their labels, where there are any. ``low`` and ``high`` are the bounds of a number or of a day,
    ``step`` its step; ``dates`` says the dates of each choice by its key, ``keys`` the chosen ones
    where a text cannot hold them, and ``is_short`` whether its labels are short enough for buttons.
    """

    name: str
    label: str
    kind: str
    text: str
    options: tuple[tuple[str, str], ...] = ()
    several: bool = False
    problem: str | None = None
    low: int | str | None = None
    high: int | str | None = None
    step: int | str | None = None
    dates: tuple[tuple[str, str], ...] = ()
    keys: tuple[str, ...] = ()
    is_short: bool = False

    @property
    def id(self) -> str:
        """The name with hyphens in place of dots."""
        return self.name.replace(".", "-")

    @property
    def labels(self) -> dict[str, str]:
        """The labels of options by their keys, with the dates of those that have some."""
        dates = dict(self.dates)
        return {
            key: f"{label}: {dates[key]}" if key in dates else label for key, label in self.options
        }

    @property
    def chosen(self) -> tuple[str, ...]:
        """The keys of options that are chosen, of those that are offered."""
        known = {key for key, _ in self.options}
        said = self.keys or (self.text.split(",") if self.several else (self.text,))
        return tuple(key for key in said if key in known)


def fields_of(view: PickerState) -> tuple[Field, ...]:
    """What a form of a view consists of, whatever draws it."""
    told = view_dict(view)
    choices = tuple((one["key"], one["label"]) for one in told["choices"])
    if view.choice is None:
        text = view.state.get(view.picker.name, "")
        choices = ((text, view.choice_label), *choices)
    else:
        text = view.choice
    dates = tuple(
        (one["key"], one["dates"]["label"]) for one in told["choices"] if one["dates"] is not None
    )
    short = view.picker.labels == "short"
    name = view.picker.name
    found = [Field(name, told["label"], "choice", text, choices, dates=dates, is_short=short)]
    for given, one in zip(view.inputs, told["inputs"], strict=True):
        options = tuple(_flat(one["options"]))
        if isinstance(given.made, SwitchInput):
            options = tuple((one, view._in_words(one)) for one in ("on", "off"))
        label = one["label"] if one["range"] == 1 else f"{one['label']} ({one['range']})"
        found.append(
            Field(
                one["name"],
                label,
                one["kind"],
                given.shown,
                options,
                one["several"],
                one["problem"],
                one["min"],
                one["max"],
                one["step"],
            )
        )
    if told["by"] is not None and view.by is not None:
        units = tuple(
            (one["key"], one["label"] if one["fits"] else f"{one['label']}: {one['why']}")
            for one in told["by"]["options"]
        )
        found.append(Field(told["by"]["name"], told["by"]["label"], "by", view.by, units))
    compare = told.get("compare")
    if compare is not None:
        beside = tuple((one["key"], one["label"]) for one in compare["options"])
        days = tuple(
            (one["key"], one["dates"]["label"])
            for one in compare["options"]
            if one["dates"] is not None
        )
        name, key = compare["name"], compare["key"]
        found.append(Field(name, compare["label"], "compare", key, beside, dates=days))
    return tuple(found)


def _flat(options: Sequence[ListedTold | OptionTold]) -> Iterator[tuple[str, str]]:
    for one in options:
        yield one["key"], one["label"]
        yield from _flat(cast("ListedTold", one).get("options", ()))


def view_dict(view: PickerState) -> ViewTold:
    """A view as plain values: see docs/choices.md."""
    picker = view.picker
    viewers = picker.viewers if picker.viewers != "choose" or not view.locked else "see"
    found: dict[str, Any] = {
        "picker": picker.name,
        "label": view._labelled(picker.label),
        "viewers": cast("Any", viewers),
        "today": view.moment.today.isoformat(),
        "choice": view.choice,
        "opening": view.opening,
        "choices": [_choice(one, view.words) for one in view.choices],
        "inputs": [_input(view, given) for given in view.inputs],
        "by": _by(view),
        **_compare(view),
        "dates": None if view.problems else dates_dict(view.resolution, view.words),
        "problems": list(view.problems),
        "notes": list(view.notes),
        "state": view.state,
        "shown": urlencode(view.shown, safe="/,"),
    }
    return cast("ViewTold", found)


def _choice(one: ShownChoice, words: Words) -> ChoiceTold:
    return {
        "key": one.key,
        "label": one.label,
        "short": one.short,
        "heading": one.heading,
        "chosen": one.chosen,
        "dates": dates_dict(one.resolution, words),
    }


def _input(view: PickerState, given: Given) -> InputTold:
    made = given.made
    value = given.value
    if isinstance(value, date):
        value = value.isoformat()
    elif isinstance(made, ListedInput) and value is not None and not made.several:
        value = value[0]
    bounds = [iso(one) if isinstance(one, date) else one for one in (given.low, given.high)]
    return {
        "key": made.name,
        "name": given.name,
        "id": given.name.replace(".", "-"),
        "label": view._labelled(made.label),
        "kind": cast("Any", made.kind),
        "value": value,
        "typed": given.text if given.problem else None,
        "problem": given.problem and view._in_words(given.problem),
        "untouched": given.name not in view.state,
        "range": given.range,
        "min": bounds[0],
        "max": bounds[1],
        "step": (made.step or 1) if isinstance(made, CountInput) else getattr(made, "step", None),
        "several": isinstance(made, ListedInput) and made.several,
        "options": _options(view, given),
    }


def _options(view: PickerState, given: Given) -> list[ListedTold | OptionTold]:
    made, value = given.made, given.value
    if isinstance(made, ListedInput):
        chosen = frozenset(value or ())
        return [_listed(one, chosen, view.words) for one in offered(made, given.options, chosen)]
    if not isinstance(made, UnitInput | WordInput | AnchorInput):
        return []
    key = "day" if isinstance(value, date) else value
    return [{"key": one, "label": _word(view, given, one), "chosen": one == key} for one in made.of]


def _word(view: PickerState, given: Given, word: str) -> str:
    """A word that is offered, as viewers see it; what it does not go with is said there."""
    made = given.made
    if not isinstance(made, UnitInput | WordInput):
        return view._labelled(word.replace("_", " ").capitalize())
    label = view._labelled(made.told(word))
    apart = view._apart(given, word)
    return view._in_words("{0} (not with: {1})", label, ", ".join(apart)) if apart else label


def _listed(one: Listed, chosen: frozenset[str], words: Words) -> ListedTold:
    return {
        "key": one.key,
        "label": words.unit(one.label),
        "start": one.start.isoformat(),
        "end": one.end.isoformat(),
        "whole": one.whole,
        "chosen": one.key in chosen,
        "options": [_listed(inner, chosen, words) for inner in one.options],
    }


def _compare(view: PickerState) -> dict[str, Any]:
    """What charts may be compared with, where viewers have a say in it."""
    compare = view.picker.compare
    if compare is None:
        return {}
    name = f"{view.picker.name}.compare"
    return {
        "compare": {
            "key": view._comparison,
            "name": name,
            "id": name.replace(".", "-"),
            "label": view._labelled(compare.label),
            "untouched": name not in view.state,
            "options": [
                {
                    "key": one.key,
                    "label": one.label,
                    "chosen": one.chosen,
                    "dates": dates_dict(one.resolution, view.words),
                }
                for one in view.comparisons
            ],
        }
    }


def _by(view: PickerState) -> ByTold | None:
    if view.picker.by is None:
        return None
    name = f"{view.picker.name}.by"
    return {
        "key": view.by,
        "name": name,
        "id": name.replace(".", "-"),
        "label": view._labelled(view.picker.by.label),
        "untouched": name not in view.state,
        "options": [
            {
                "key": one.key,
                "label": view._labelled(one.label),
                "buckets": one.buckets,
                "fits": one.fits,
                "why": one.why and view._in_words(one.why),
            }
            for one in view.units
        ],
    }

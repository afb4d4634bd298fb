"""A view in words and as plain values."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any, Final, NamedTuple
from urllib.parse import urlencode

from ulnager.core.choices.given import Given
from ulnager.core.choices.listing import Listed, offered
from ulnager.core.choices.picker import Choice
from ulnager.core.patterns import pattern
from ulnager.core.periods.resolution import Resolution
from ulnager.core.units import UNIT_NAMES
from ulnager.core.words import ENGLISH, Words

_COUNTED: Final = pattern(
    rf"\b(\d[\d,]*)((?: [^\W\d_]+)*?) ({'|'.join(sorted(UNIT_NAMES, key=len, reverse=True))})\b",
    re.IGNORECASE,
)


def choice_label(view: Any, choice: Choice | None, *, short: bool = False) -> str:
    """What a choice is called, with the values of its inputs and its dates."""
    if choice is None:
        return view.resolution.label if view.resolution else ""
    text: str = view.labelled(choice.short if short else choice.label)
    if "{" not in text:
        return text
    values = {name: _shown(given, view.words) for name, given in view.given(choice)[0].items()}
    if "{dates}" in text:
        result = view.result_of(choice)
        values["dates"] = result.label if result else "…"
    return filled_label(text, values)


def filled_label(text: str, values: Mapping[str, str]) -> str:
    """A label with values in its slots; a unit behind a number is counted.

    >>> filled_label("Last {n} whole months", {"n": "1"})
    'Last 1 whole month'
    """
    filled = re.sub(r"\{(\w+)\}", lambda slot: values.get(slot[1], slot[0]), text)
    return _COUNTED.sub(_counted, filled)


def _counted(match: re.Match[str]) -> str:
    unit = UNIT_NAMES[match[3].lower()]
    name = unit.name if match[1] == "1" else unit.plural
    return f"{match[1]}{match[2]} {name.capitalize() if match[3][0].isupper() else name}"


def _shown(given: Given, words: Words = ENGLISH) -> str:
    if given.value is None:
        return "…"
    if given.made.kind == "listed":
        known = {one.key: words.unit(one.label) for one in _all(given.options)}
        return ", ".join(known[key] for key in given.value)
    if isinstance(given.value, date):
        return words.day(given.value)
    text = str(given.value)
    if given.made.kind == "switch":
        text = "on" if given.value else "off"
    return words.say(text)


def _all(options: tuple[Listed, ...]) -> list[Listed]:
    return [one for outer in options for one in (outer, *outer.options)]


def dates_dict(result: Resolution | None, words: Words = ENGLISH) -> dict[str, Any] | None:
    """The dates of a resolution as plain values; None without one."""
    if result is None:
        return None
    why = None
    if result.is_empty:
        told = (note for note in result.notes if note.startswith("the period is empty: "))
        why = next(told, None)
    return {
        "label": result.label,
        "start": _iso(result.start),
        "end": _iso(result.end),
        "days": result.days,
        "empty": result.is_empty,
        "why": why and words.say(why.removeprefix("the period is empty: ")),
        "spans": [{"start": _iso(span.start), "end": _iso(span.end)} for span in result.spans],
        "phrase": str(result.period),
    }


def _iso(day: date | None) -> str | None:
    return None if day is None else day.isoformat()


class Field(NamedTuple):
    """A field of a form: what it is called, shown and sent as.

    ``kind`` is ``choice``, ``by``, or the kind of an input; ``text`` is what the form sends back if
    nobody touches it, ``options`` are keys with their labels, where there are any.
    """

    name: str
    label: str
    kind: str
    text: str
    options: tuple[tuple[str, str], ...] = ()
    several: bool = False
    problem: str | None = None


def fields_of(view: Any) -> tuple[Field, ...]:
    """What a form of a view consists of, whatever draws it."""
    told = view_dict(view)
    choices = tuple((one["key"], one["label"]) for one in told["choices"])
    if view.choice is None:
        text = view.state.get(view.picker.name, "")
        choices = ((text, view.choice_label), *choices)
    else:
        text = view.choice
    found = [Field(view.picker.name, told["label"], "choice", text, choices)]
    for given, one in zip(view.inputs, told["inputs"], strict=True):
        options = tuple(_flat(one["options"]))
        if given.made.kind == "switch":
            options = tuple((one, view.in_words(one)) for one in ("on", "off"))
        label = one["label"] if one["range"] == 1 else f"{one['label']} ({one['range']})"
        found.append(Field(one["name"], label, one["kind"], given.shown, options, one["several"],
                           one["problem"]))  # fmt: skip
    if told["by"] is not None and view.by is not None:
        units = tuple(
            (one["key"], one["label"] if one["fits"] else f"{one['label']}: {one['why']}")
            for one in told["by"]["options"]
        )
        found.append(Field(told["by"]["name"], told["by"]["label"], "by", view.by, units))
    return tuple(found)


def _flat(options: list[dict[str, Any]]) -> Iterator[tuple[str, str]]:
    for one in options:
        yield one["key"], one["label"]
        yield from _flat(one.get("options", []))


def view_dict(view: Any) -> dict[str, Any]:
    """A view as plain values: see docs/choices.md."""
    picker = view.picker
    return {
        "picker": picker.name,
        "label": view.labelled(picker.label),
        "viewers": picker.viewers if picker.viewers != "choose" or not view.locked else "see",
        "today": view.moment.today.isoformat(),
        "choice": view.choice,
        "opening": view.opening,
        "choices": [_choice(one, view.words) for one in view.choices],
        "inputs": [_input(view, given) for given in view.inputs],
        "by": _by(view),
        "dates": None if view.problems else dates_dict(view.resolution, view.words),
        "problems": list(view.problems),
        "notes": list(view.notes),
        "state": view.state,
        "shown": urlencode(view.shown, safe="/,"),
    }


def _choice(one: Any, words: Words) -> dict[str, Any]:
    return {
        "key": one.key,
        "label": one.label,
        "short": one.short,
        "heading": one.heading,
        "chosen": one.chosen,
        "dates": dates_dict(one.resolution, words),
    }


def _input(view: Any, given: Given) -> dict[str, Any]:
    made = given.made
    value = given.value
    if isinstance(value, date):
        value = value.isoformat()
    elif made.kind == "listed" and value is not None and not made.several:
        value = value[0]
    bounds = [_iso(one) if isinstance(one, date) else one for one in (given.low, given.high)]
    return {
        "key": made.name,
        "name": given.name,
        "id": given.name.replace(".", "-"),
        "label": view.labelled(made.label),
        "kind": made.kind,
        "value": value,
        "typed": given.text if given.problem else None,
        "problem": given.problem and view.in_words(given.problem),
        "untouched": given.name not in view.state,
        "range": given.range,
        "min": bounds[0],
        "max": bounds[1],
        "step": made.step if made.step is not None else 1 if made.kind == "count" else None,
        "several": made.several,
        "options": _options(view, given),
    }


def _options(view: Any, given: Given) -> list[dict[str, Any]]:
    made, value = given.made, given.value
    if made.kind == "listed":
        chosen = frozenset(value or ())
        return [_listed(one, chosen, view.words) for one in offered(made, given.options, chosen)]
    if made.kind not in ("unit", "word", "anchor"):
        return []
    key = "day" if isinstance(value, date) else value
    return [
        {
            "key": one,
            "label": view.labelled(one.replace("_", " ").capitalize()),
            "chosen": one == key,
        }
        for one in made.of
    ]


def _listed(one: Listed, chosen: frozenset[str], words: Words) -> dict[str, Any]:
    return {
        "key": one.key,
        "label": words.unit(one.label),
        "start": one.start.isoformat(),
        "end": one.end.isoformat(),
        "whole": one.whole,
        "chosen": one.key in chosen,
        "options": [_listed(inner, chosen, words) for inner in one.options],
    }


def _by(view: Any) -> dict[str, Any] | None:
    if view.picker.by is None:
        return None
    name = f"{view.picker.name}.by"
    return {
        "key": view.by,
        "name": name,
        "id": name.replace(".", "-"),
        "label": view.labelled(view.picker.by.label),
        "untouched": name not in view.state,
        "options": [
            {"key": one.key, "label": view.labelled(one.label), "buckets": one.buckets,
             "fits": one.fits, "why": one.why and view.in_words(one.why)}
            for one in view.units
        ],
    }  # fmt: skip

"""A picker in a notebook, with ipywidgets."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

import ipywidgets as widgets

from ulnager.bind.fields import Bound, Shown
from ulnager.choices.pages import Page
from ulnager.choices.picker import Picker
from ulnager.choices.serialization import Field


class NotebookBox(Bound):
    """The fields of a picker or a page as widgets, in ``box``."""

    def __init__(self, x: Picker | Page, when: Mapping[str, Any]) -> None:
        self.box = widgets.VBox()
        super().__init__(x, when, {})

    def _widget(self, one: Field) -> Any:
        made = _widget(one)
        made.observe(self._changed, "value")
        return made

    def _text(self, text: str) -> Any:
        return widgets.Label(text)

    def _put(self, rows: list[Any], found: Shown) -> None:
        self.box.children = rows

    def _repr_mimebundle_(self, **given: Any) -> Any:
        return self.box._repr_mimebundle_(**given)


def _widget(one: Field) -> Any:
    if one.kind == "switch":
        return widgets.Checkbox(one.text == "on", description=one.label)
    if one.options:
        options = [(label, key) for key, label in one.labels.items()]
        if one.several:
            return widgets.SelectMultiple(
                options=options, value=list(one.chosen), description=one.label
            )
        if one.is_short and len(options) <= 8:
            made = widgets.ToggleButtons
        else:
            is_few = one.kind == "choice" and len(options) <= 8
            made = widgets.RadioButtons if is_few else widgets.Dropdown
        return made(options=options, value=one.text, description=one.label)
    if one.kind == "count" and not one.problem:
        low = 1 if one.low is None else int(one.low)
        high = 1_000_000 if one.high is None else int(one.high)
        step = int(one.step or 1)
        return widgets.BoundedIntText(
            int(one.text), min=low, max=high, step=step, description=one.label
        )
    if one.kind == "day" and not one.problem:
        return widgets.DatePicker(value=date.fromisoformat(one.text), description=one.label)
    return widgets.Text(one.text, description=one.label, continuous_update=False)

"""A picker in a notebook, with ipywidgets."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date
from typing import Any

import ipywidgets as widgets

from ulnager.bind.fields import chosen, sent_text, shown
from ulnager.choices.pages import OpenedPage, Page
from ulnager.choices.picker import Picker
from ulnager.choices.serialization import Field
from ulnager.choices.view import View


class NotebookBox:
    """The fields of a picker or a page as widgets, in ``box``; ``view`` is what is shown, and
    ``controls`` are the widgets by the names of their fields."""

    def __init__(self, x: Picker | Page, when: Mapping[str, Any]) -> None:
        self.x, self.when, self.box = x, dict(when), widgets.VBox()
        self.controls: dict[str, Any] = {}
        self._called: list[Callable[[Any], None]] = []
        self.view: View | OpenedPage
        self._show({})

    def on_change(self, function: Callable[[Any], None]) -> None:
        """Calls a function with each new view."""
        self._called.append(function)

    def refresh(self, **when: Any) -> None:
        """Draws it anew, at another moment or with other data where these are said; what viewers
        chose stays."""
        self.when |= when
        self._changed(None)

    def _show(self, sent: Mapping[str, Any]) -> None:
        found = shown(self.x, sent, self.when)
        self.view, self._along = found.view, found.sent_along
        self.controls = {one.name: _widget(one) for one in found.fields}
        for widget in self.controls.values():
            widget.observe(self._changed, "value")
        rows: list[Any] = []
        for one in found.fields:
            rows.append(self.controls[one.name])
            rows += [widgets.Label(f"! {one.problem}")] if one.problem else []
        rows += [widgets.Label(f"{label}: {dates}") for label, dates in found.dates.items()]
        self.box.children = [*rows, *(widgets.Label(text) for text in found.told)]

    def _changed(self, _: Any) -> None:
        sent = {name: sent_text(widget.value) for name, widget in self.controls.items()}
        self._show(self._along | sent)
        for function in self._called:
            function(self.view)

    def _repr_mimebundle_(self, **given: Any) -> Any:
        return self.box._repr_mimebundle_(**given)


def _widget(one: Field) -> Any:
    if one.kind == "switch":
        return widgets.Checkbox(one.text == "on", description=one.label)
    if one.options:
        dates = dict(one.dates)
        options = [
            (f"{label}: {dates[key]}" if key in dates else label, key) for key, label in one.options
        ]
        if one.several:
            return widgets.SelectMultiple(options=options, value=chosen(one), description=one.label)
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

"""A picker in Panel."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date
from typing import Any

import panel as pn

from ulnager.bind.fields import chosen, sent_text, shown
from ulnager.choices.pages import OpenedPage, Page
from ulnager.choices.picker import Picker
from ulnager.choices.serialization import Field
from ulnager.choices.view import View


class PanelColumn:
    """The fields of a picker or a page as widgets, in ``column``; ``view`` is what is shown, and
    ``controls`` are the widgets by the names of their fields."""

    def __init__(self, x: Picker | Page, when: Mapping[str, Any]) -> None:
        self.x, self.when, self.column = x, dict(when), pn.Column()
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
            widget.param.watch(self._changed, "value")
        rows: list[Any] = []
        for one in found.fields:
            rows.append(self.controls[one.name])
            rows += [pn.pane.Str(f"! {one.problem}")] if one.problem else []
        rows += [pn.pane.Str(f"{label}: {dates}") for label, dates in found.dates.items()]
        self.column.objects = [*rows, *(pn.pane.Str(text) for text in found.told)]

    def _changed(self, _: Any) -> None:
        sent = {name: sent_text(widget.value) for name, widget in self.controls.items()}
        self._show(self._along | sent)
        for function in self._called:
            function(self.view)

    def __panel__(self) -> Any:
        return self.column


def _widget(one: Field) -> Any:
    if one.kind == "switch":
        return pn.widgets.Checkbox(name=one.label, value=one.text == "on")
    if one.options:
        dates = dict(one.dates)
        options = {
            f"{label}: {dates[key]}" if key in dates else label: key for key, label in one.options
        }
        if one.several:
            return pn.widgets.MultiChoice(name=one.label, options=options, value=chosen(one))
        if one.kind == "choice" and len(options) <= 8:
            made = pn.widgets.RadioButtonGroup if one.is_short else pn.widgets.RadioBoxGroup
            return made(name=one.label, options=options, value=one.text)
        return pn.widgets.Select(name=one.label, options=options, value=one.text)
    if one.kind == "count" and not one.problem:
        return pn.widgets.IntInput(
            name=one.label,
            value=int(one.text),
            start=one.low,
            end=one.high,
            step=int(one.step or 1),
        )
    if one.kind == "day" and not one.problem:
        low, high = (date.fromisoformat(str(day)) if day else None for day in (one.low, one.high))
        return pn.widgets.DatePicker(
            name=one.label, value=date.fromisoformat(one.text), start=low, end=high
        )
    return pn.widgets.TextInput(name=one.label, value=one.text)

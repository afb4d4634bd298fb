"""A picker in Panel."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any
from urllib.parse import parse_qs, urlencode

import panel as pn

from ulnager.bind.fields import Bound, Shown
from ulnager.choices.pages import Page
from ulnager.choices.picker import Picker
from ulnager.choices.serialization import Field


class PanelColumn(Bound):
    """The fields of a picker or a page as widgets, in ``column``. In an app that is served the
    address carries what is chosen."""

    def __init__(self, x: Picker | Page, when: Mapping[str, Any]) -> None:
        self.column = pn.Column()
        # Where it is served, and not drawn in a notebook, there is an address.
        self._address = getattr(pn.state, "location", None)
        query = "" if self._address is None else str(self._address.search or "")
        super().__init__(x, when, parse_qs(query.removeprefix("?"), keep_blank_values=True))

    def _widget(self, one: Field) -> Any:
        made = _widget(one)
        made.param.watch(self._changed, "value")
        return made

    def _text(self, text: str) -> Any:
        return pn.pane.Str(text)

    def _put(self, rows: list[Any], found: Shown) -> None:
        self.column.objects = rows
        if self._address is not None:
            self._address.search = "?" + urlencode(found.state, doseq=True)

    def __panel__(self) -> Any:
        return self.column


def _widget(one: Field) -> Any:
    if one.kind == "switch":
        return pn.widgets.Checkbox(name=one.label, value=one.text == "on")
    if one.options:
        options = {label: key for key, label in one.labels.items()}
        if one.several:
            return pn.widgets.MultiChoice(name=one.label, options=options, value=list(one.chosen))
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

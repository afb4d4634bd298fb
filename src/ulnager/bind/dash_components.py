"""A picker in Dash: one callback takes all fields and draws them anew."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import urlencode

from dash import ALL, Input, Output, State, ctx, dcc, html

from ulnager.bind.fields import Shown, sent_text, shown
from ulnager.choices.pages import OpenedPage, Page
from ulnager.choices.picker import Picker
from ulnager.choices.serialization import Field
from ulnager.choices.view import View


class DashFields:
    """The fields of a picker or a page in Dash.

    ``layout`` is the component; ``store`` is the id of what callbacks take as
    ``Input(fields.store, "data")``, and ``read(data)`` gives the view for that. The address of the
    app carries what is chosen.
    """

    def __init__(self, x: Picker | Page, app: Any, when: Mapping[str, Any]) -> None:
        self.x, self.when = x, dict(when)
        self.kind, self.store = f"ulnager-{x.name}", f"ulnager-{x.name}-sent"
        self.address = f"ulnager-{x.name}-address"
        found = shown(x, {}, self.when)
        self.layout = html.Div(
            [
                html.Div(self.drawn(found), id=f"{self.kind}-fields"),
                dcc.Store(self.store, data=found.sent_along),
                dcc.Location(self.address, refresh=False),
            ]
        )
        at = {"type": self.kind, "name": ALL}
        days = {"type": f"{self.kind}-day", "name": ALL}
        app.callback(
            Output(f"{self.kind}-fields", "children"),
            Output(self.store, "data"),
            Output(self.address, "search"),
            Input(at, "value"),
            Input(days, "date"),
            Input(self.address, "search"),
            State(at, "id"),
            State(days, "id"),
            State(self.store, "data"),
            prevent_initial_call=True,
        )(self.changed)

    def changed(
        self,
        values: Sequence[Any],
        days: Sequence[Any],
        search: str | None,
        ids: Sequence[Mapping[str, str]],
        day_ids: Sequence[Mapping[str, str]],
        along: dict[str, Any],
    ) -> tuple[list[Any], dict[str, Any], str]:
        """What the callback gives: the fields for what stands in them, what goes along, and the
        query of the address."""
        if ctx.triggered_id == self.address:
            # The app was opened by a link, or somebody went back in the browser.
            return self._told(shown(self.x, search or "", self.when))
        sent = {
            one["name"].replace("/", "."): sent_text(value)
            for one, value in zip([*ids, *day_ids], [*values, *days], strict=True)
        }
        return self._told(shown(self.x, {**(along or {}), **sent}, self.when))

    def _told(self, found: Shown) -> tuple[list[Any], dict[str, Any], str]:
        query = urlencode(found.state, doseq=True)
        return self.drawn(found), found.sent_along, f"?{query}" if query else ""

    def read(self, data: Mapping[str, Any] | None) -> View | OpenedPage:
        """The view for what the store holds."""
        return shown(self.x, dict(data or {}), self.when).view

    def drawn(self, found: Shown) -> list[Any]:
        """A component for each field, the dates, and what is to be said."""
        parts: list[Any] = []
        for one in found.fields:
            kind = f"{self.kind}-day" if _is_day(one) else self.kind
            at = {"type": kind, "name": one.name.replace(".", "/")}
            parts += [html.Label(one.label), _control(one, at)]
            if one.problem:
                parts.append(html.Em(one.problem, role="alert"))
        for label, dates in found.dates.items():
            parts.append(html.P([f"{label}: ", html.Strong(dates)]))
        return [*parts, *(html.P(text) for text in found.told)]


def _is_day(one: Field) -> bool:
    return one.kind == "day" and not one.problem


def _control(one: Field, at: Any) -> Any:
    if one.kind == "switch":
        options = [{"value": key, "label": label} for key, label in one.options]
        return dcc.RadioItems(options, one.text, id=at, inline=True)
    if one.options:
        options = [{"value": key, "label": label} for key, label in one.labels.items()]
        if one.several:
            return dcc.Dropdown(options, list(one.chosen), id=at, multi=True)
        if one.is_short and len(options) <= 8:
            plain = [{"value": key, "label": label} for key, label in one.options]
            return dcc.RadioItems(plain, one.text, id=at, inline=True)
        if one.kind == "choice" and len(options) <= 8:
            return dcc.RadioItems(options, one.text, id=at)
        return dcc.Dropdown(options, one.text, id=at, clearable=False)
    if one.kind == "count" and not one.problem:
        return dcc.Input(
            int(one.text),
            type="number",
            min=one.low,
            max=one.high,
            step=one.step or 1,
            id=at,
            debounce=True,
        )
    if _is_day(one):
        low, high = (str(day) if day else None for day in (one.low, one.high))
        return dcc.DatePickerSingle(
            date=one.text, min_date_allowed=low, max_date_allowed=high, id=at
        )
    return dcc.Input(one.text, type="text", id=at, debounce=True)

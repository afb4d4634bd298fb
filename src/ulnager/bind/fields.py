"""What every binding draws: the fields of a picker or a page, and what goes along with them.

A field is a public value (:class:`ulnager.choices.serialization.Field`), so that anyone can bind
another framework: draw ``shown(x, sent, when).fields``, and give back what stands in them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from ulnager.choices.pages import OpenedPage, Page
from ulnager.choices.picker import Picker
from ulnager.choices.serialization import Field
from ulnager.choices.value_filters import ALL, OpenedValues
from ulnager.choices.view import View


class Shown(NamedTuple):
    """A view or an opened page, its fields in order, what a form sends along unseen (what stands in
    the fields goes before it), what is to be said, and the dates of each picker by its label."""

    view: View | OpenedPage
    fields: tuple[Field, ...]
    sent_along: dict[str, Any]
    told: tuple[str, ...]
    dates: dict[str, str]

    @property
    def state(self) -> dict[str, Any]:
        """All that was chosen and typed, as a link to it says it."""
        view = self.view
        if isinstance(view, View):
            return dict(view.state)
        state: dict[str, Any] = {}
        for name in view.offered:
            state |= view.views[name].state
        return state | view.values_state


class Bound:
    """The fields of a picker or a page as widgets that live in this process; ``view`` is what is
    shown, and ``controls`` are the widgets by the names of their fields."""

    def __init__(self, x: Picker | Page, when: Mapping[str, Any], sent: Mapping[str, Any]) -> None:
        self.x, self.when = x, dict(when)
        self.controls: dict[str, Any] = {}
        self._called: list[Callable[[Any], None]] = []
        self.view: View | OpenedPage
        self._show(sent)

    def on_change(self, function: Callable[[Any], None]) -> None:
        """Calls a function with each new view."""
        self._called.append(function)

    def refresh(self, **when: Any) -> None:
        """Draws it anew, at another moment or with other data where these are said; what viewers
        chose stays."""
        self.when |= when
        self._changed(None)

    def _widget(self, one: Field) -> Any:
        """A control for a field, which tells ``_changed`` when its value is another."""
        raise NotImplementedError

    def _text(self, text: str) -> Any:
        """A line of text."""
        raise NotImplementedError

    def _put(self, rows: list[Any], found: Shown) -> None:
        """Shows these in place of what was shown."""
        raise NotImplementedError

    def _show(self, sent: Mapping[str, Any]) -> None:
        found = shown(self.x, sent, self.when)
        self.view, self._along = found.view, found.sent_along
        self.controls = {one.name: self._widget(one) for one in found.fields}
        rows: list[Any] = []
        for one in found.fields:
            rows.append(self.controls[one.name])
            rows += [self._text(f"! {one.problem}")] if one.problem else []
        rows += [self._text(f"{label}: {dates}") for label, dates in found.dates.items()]
        self._put([*rows, *map(self._text, found.told)], found)

    def _changed(self, _: Any) -> None:
        sent = {name: sent_text(widget.value) for name, widget in self.controls.items()}
        self._show(self._along | sent)
        for function in self._called:
            function(self.view)


def shown(x: Picker | Page, sent: Mapping[str, Any] | str, when: Mapping[str, Any]) -> Shown:
    """A picker or a page for what was sent, which may be nothing."""
    found: View | OpenedPage = x.read(sent, **when)
    return shown_of(found)


def shown_of(found: View | OpenedPage) -> Shown:
    """What is drawn of a view, or of an opened page."""
    if isinstance(found, OpenedPage):
        views = [found.views[name] for name in found.offered]
        filters = list(found.filters.values())
    else:
        views, filters = [found], []
    fields: list[Field] = []
    along: dict[str, Any] = {}
    told: list[str] = []
    dates: dict[str, str] = {}
    for one in filters:
        fields.append(_field(one))
        for name, text in one.sent_along:
            along.setdefault(name, []).append(text)
        # Without the field itself what goes along says what is chosen.
        along[one.name] = list(fields[-1].keys)
        told += one.notes
    for view in views:
        if view.picker.viewers == "choose" and not view.locked:
            fields += view.fields
        along |= view.sent_along
        said = {field.problem for field in view.fields}
        told += [one for one in view.problems if one.partition(": ")[2] not in said]
        told += view.notes
        label = view._labelled(view.picker.label)
        no_dates = view._in_words("no dates")
        dates[label] = view.resolution.label if view.resolution is not None else no_dates
    return Shown(found, tuple(fields), along, tuple(dict.fromkeys(told)), dates)


def _field(one: OpenedValues) -> Field:
    """A filter by value as a field: all, and each value that is offered."""
    keys = [ALL] if one.keys is None else list(one.keys)
    options = [(ALL, one.words.say("all")), *((o.key, o.label) for o in one.options)]
    known = {key for key, _ in options}
    options += [(key, key) for key in keys if key not in known]
    return Field(
        one.name,
        one.label,
        "values",
        ",".join(keys),
        tuple(options),
        one.made.several,
        None if one.problem is None else str(one.problem),
        keys=tuple(keys),
    )


def sent_text(value: Any) -> Any:
    """The value of a widget as a form sends it: text, or a list of texts."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, (list, tuple)):
        return [str(one) for one in value]
    if value is None:
        return ""
    isoformat = getattr(value, "isoformat", None)
    return isoformat()[:10] if isoformat is not None else str(value)

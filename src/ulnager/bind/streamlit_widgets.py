"""A picker in Streamlit."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

import streamlit as st

from ulnager.bind.fields import sent_text, shown
from ulnager.choices.pages import OpenedPage, Page
from ulnager.choices.picker import Picker
from ulnager.choices.serialization import Field
from ulnager.choices.view import View


def drawn(x: Picker | Page, when: Mapping[str, Any]) -> View | OpenedPage:
    """Draws the fields, and gives the view for what stands in them."""
    memory = f"ulnager {x.name}"
    known = st.session_state.get(memory)
    if known is None:
        # What the address says, when the app is opened.
        sent: dict[str, Any] = {name: st.query_params.get_all(name) for name in st.query_params}
    else:
        along, names = known
        sent = {
            name: sent_text(st.session_state[name]) for name in names if name in st.session_state
        }
        sent = {**along, **sent}
    found = shown(x, sent, when)
    for one in found.fields:
        st.session_state[one.name] = _value(one)
        _widget(one)
        if one.problem:
            st.error(one.problem)
    for text in found.told:
        st.info(text)
    st.session_state[memory] = (found.sent_along, [one.name for one in found.fields])
    # The address carries what is chosen, and so does a link to it.
    st.query_params.from_dict(found.state)
    return found.view


def _widget(one: Field) -> None:
    """A control for a field; it takes its value from the session."""
    kind = _kind(one)
    if kind == "switch":
        st.checkbox(one.label, key=one.name)
    elif kind == "number":
        low, high, step = (None if n is None else int(n) for n in (one.low, one.high, one.step))
        st.number_input(one.label, 1 if low is None else low, high, step=step or 1, key=one.name)
    elif kind == "day":
        first = date.fromisoformat(str(one.low)) if one.low else date.min
        last = date.fromisoformat(str(one.high)) if one.high else date.max
        st.date_input(one.label, min_value=first, max_value=last, key=one.name)
    elif kind == "options":
        labels, told = dict(one.options), one.labels
        if one.several:
            st.multiselect(one.label, list(told), format_func=told.__getitem__, key=one.name)
        elif one.is_short and len(told) <= 8:
            st.segmented_control(
                one.label, list(labels), format_func=labels.__getitem__, key=one.name
            )
        elif one.kind == "choice" and len(told) <= 8:
            st.radio(one.label, list(told), format_func=told.__getitem__, key=one.name)
        else:
            st.selectbox(one.label, list(told), format_func=told.__getitem__, key=one.name)
    else:
        st.text_input(one.label, key=one.name)


def _kind(one: Field) -> str:
    """Which control a field has: of a value that a number or a day cannot show it is text."""
    if one.kind == "switch":
        return "switch"
    if one.options:
        return "options"
    if one.problem:
        return "text"
    return {"count": "number", "day": "day"}.get(one.kind, "text")


def _value(one: Field) -> Any:
    """What a field shows as the value of its control."""
    kind = _kind(one)
    if kind == "switch":
        return one.text == "on"
    if kind == "options":
        return list(one.chosen) if one.several else one.text
    if kind == "number":
        return int(one.text)
    return date.fromisoformat(one.text) if kind == "day" else one.text

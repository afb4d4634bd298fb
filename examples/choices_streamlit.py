"""A picker in Streamlit: ``streamlit run examples/choices_streamlit.py``. Needs streamlit.

The view is the truth, not the widgets: each is drawn with what the view shows, and what differs
from that on the next run is what the viewer did.
"""

import sys

try:
    import streamlit as st
except ImportError as error:
    sys.exit(f"{error}: pip install streamlit")

import ulnager
from ulnager.demo import CLOCK, book_file


def bind(picker, **now):
    """Draws the picker and gives its view."""
    memory = st.session_state.setdefault(f"{picker.name} sent along", {})
    drawn = st.session_state.get(f"{picker.name} drawn", [])
    sent = {name: text_of(st.session_state[name]) for name in drawn if name in st.session_state}
    view = picker.read(sent | memory, **now)
    for one in view.fields:
        st.session_state[one.name] = value_of(one)
        draw(one)
        if one.problem:
            st.error(one.problem)
    for note in view.notes:
        st.info(note)
    st.session_state[f"{picker.name} sent along"] = view.sent_along
    st.session_state[f"{picker.name} drawn"] = [one.name for one in view.fields]
    return view


def draw(one):
    """A widget for a field; it takes its value from the session."""
    if one.kind == "switch":
        st.checkbox(one.label, key=one.name)
    elif one.options:
        labels = dict(one.options)
        many = st.multiselect if one.several else st.selectbox
        many(one.label, list(labels), format_func=labels.get, key=one.name)
    else:
        st.text_input(one.label, key=one.name)


def value_of(one):
    """What a field shows as the value of its widget."""
    if one.kind == "switch":
        return one.text == "on"
    return one.text.split(",") if one.several else one.text


def text_of(value):
    """The value of a widget as a form sends it."""
    if isinstance(value, bool):
        return "on" if value else "off"
    return ",".join(value) if isinstance(value, list) else str(value)


def app(today=CLOCK, data=None):
    """The page."""
    view = bind(ulnager.read_book(book_file()).picker("dates"), today=today, data=data)
    st.write(view.resolution.label if view.resolution else "no dates")


if __name__ == "__main__":
    if st.runtime.exists():
        app()
    else:
        print("streamlit run", __file__)

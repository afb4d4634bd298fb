"""A picker in Streamlit: ``streamlit run examples/choices_streamlit.py``."""

import ulnager
from ulnager.demo import CLOCK

picker = ulnager.read_book("demo:ferries").picker("dates")


def app(**now):
    """The app."""
    import streamlit as st

    view = ulnager.bind.streamlit(picker, **(now or {"today": CLOCK}))
    st.write(view.resolution.label if view.resolution else "no dates")


if __name__ == "__main__":
    try:
        from streamlit import runtime
    except ImportError as error:
        raise SystemExit(f"{error}: pip install streamlit") from None
    if runtime.exists():
        app()
    else:
        print("streamlit run", __file__)

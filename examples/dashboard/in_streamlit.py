"""The demo's page of routes in Streamlit: ``streamlit run examples/dashboard/in_streamlit.py``.

Needs ``pip install "ulnager[demo,streamlit]"``.
"""

import ulnager
from ulnager.demo import CLOCK

page = ulnager.read_book("demo:ferries").page("routes")


def app():
    """The app: one line binds the page, the rest draws what it shows."""
    import streamlit as st

    st.title(page.label)
    opened = ulnager.bind.streamlit(page, today=CLOCK)
    values = opened.values()
    if not isinstance(values["all"], str):
        st.metric(opened.charts["all"].dates, f"{values['all'].rows[0].value:,}")
        st.line_chart({str(row.day): row.value for row in values["trend"].rows})


if __name__ == "__main__":
    try:
        from streamlit import runtime
    except ImportError as error:
        raise SystemExit(f"{error}: pip install streamlit") from None
    if runtime.exists():
        app()
    else:
        print("streamlit run", __file__)

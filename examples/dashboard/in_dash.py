"""The demo's page of routes in Dash: ``python examples/dashboard/in_dash.py serve``.

Needs ``pip install "ulnager[demo,dash]"``.
"""

import sys

import ulnager
from ulnager.demo import CLOCK

page = ulnager.read_book("demo:ferries").page("routes")


def made():
    """The app: one line binds the page, a callback draws what it shows."""
    from dash import Dash, Input, Output, dcc, html

    app = Dash(__name__)
    fields = ulnager.bind.dash(page, app, today=CLOCK)
    app.layout = html.Div([html.H1(page.label), fields.layout, dcc.Graph("trend")])

    @app.callback(Output("trend", "figure"), Input(fields.store, "data"))
    def drawn(data):
        opened = fields.read(data)
        rows = [] if opened.charts["trend"].filtered else opened.values()["trend"].rows
        line = {"x": [row.day for row in rows], "y": [row.value for row in rows]}
        return {"data": [line], "layout": {"title": opened.charts["trend"].dates}}

    return app


if __name__ == "__main__":
    try:
        app = made()
    except ImportError as error:
        raise SystemExit(f"{error}: pip install dash") from None
    if "serve" in sys.argv:
        app.run()
    print("python", __file__, "serve")

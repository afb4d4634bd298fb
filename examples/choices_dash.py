"""A picker in Dash: ``python examples/choices_dash.py serve``."""

import sys

import ulnager
from ulnager.demo import CLOCK


def app_of(picker, **now):
    """An app with the picker, and its dates."""
    from dash import Dash, Input, Output, html

    app = Dash(__name__)
    fields = ulnager.bind.dash(picker, app, **now)
    app.layout = html.Div([fields.layout, html.H3(id="dates")])

    @app.callback(Output("dates", "children"), Input(fields.store, "data"))
    def dates(data):
        view = fields.read(data)
        return view.resolution.label if view.resolution else "no dates"

    return app


if __name__ == "__main__":
    try:
        made = app_of(ulnager.read_book("demo:ferries").picker("dates"), today=CLOCK)
    except ImportError as error:
        raise SystemExit(f"{error}: pip install dash") from None
    if "serve" in sys.argv:
        made.run()
    print("python", __file__, "serve")

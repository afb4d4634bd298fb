"""A picker in Dash: ``python examples/choices_dash.py serve``. Needs dash.

One callback takes all fields and draws them anew; a store carries a form's hidden fields.
"""

import sys

try:
    from dash import ALL, Dash, Input, Output, State, dcc, html
except ImportError as error:
    sys.exit(f"{error}: pip install dash")

import ulnager
from ulnager.demo import CLOCK, book_file


def bind(picker, names=(), values=(), sent_along=None, **now):
    """The view for the values of the drawn fields."""
    sent = {name: text_of(value) for name, value in zip(names, values, strict=True)}
    return picker.read(sent | (sent_along or {}), **now)


def text_of(value):
    """The value of a component as a form sends it."""
    return ",".join(value) if isinstance(value, list) else "" if value is None else str(value)


def drawn(view):
    """A component for each field."""
    found = []
    for one in view.fields:
        at = {"type": "ulnager", "name": one.name.replace(".", "/")}
        if one.options:
            options = [{"value": key, "label": label} for key, label in one.options]
            value = one.text.split(",") if one.several else one.text
            control = dcc.Dropdown(options, value, id=at, multi=one.several, clearable=False)
        else:
            control = dcc.Input(value=one.text, id=at, debounce=True)
        found += [html.Label(one.label), control, html.Em(one.problem or "")]
    return [*found, *(html.P(note) for note in view.notes)]


def app_of(picker, **now):
    """The app with its one callback."""
    app = Dash(__name__)
    view = bind(picker, **now)
    app.layout = html.Div(
        [
            html.Div(drawn(view), id="fields"),
            html.H3(view.resolution.label, id="dates"),
            dcc.Store("sent-along", data=view.sent_along),
        ]
    )

    @app.callback(
        Output("fields", "children"),
        Output("dates", "children"),
        Output("sent-along", "data"),
        Input({"type": "ulnager", "name": ALL}, "value"),
        State({"type": "ulnager", "name": ALL}, "id"),
        State("sent-along", "data"),
        prevent_initial_call=True,
    )
    def changed(values, ids, sent_along):
        names = [one["name"].replace("/", ".") for one in ids]
        view = bind(picker, names, values, sent_along, **now)
        dates = view.resolution.label if view.resolution else "no dates"
        return drawn(view), dates, view.sent_along

    return app


if __name__ == "__main__":
    made = app_of(ulnager.read_book(book_file()).picker("dates"), today=CLOCK)
    if "serve" in sys.argv:
        made.run()
    print(made.layout["dates"].children)

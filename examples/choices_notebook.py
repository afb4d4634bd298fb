"""A picker in a notebook, with ipywidgets: ``bound = Bound(picker)``, then show ``bound.box``.

Needs ipywidgets.
"""

import sys

try:
    import ipywidgets as widgets
except ImportError as error:
    sys.exit(f"{error}: pip install ipywidgets")

import ulnager
from ulnager.demo import CLOCK, book_file


class Bound:
    """A picker with its widgets; ``view`` is what it shows."""

    def __init__(self, picker, **now):
        self.picker, self.now, self.box = picker, now, widgets.VBox()
        self.show(bind(picker, **now))

    def show(self, view):
        """Draws a view."""
        self.view, self.drawn = view, {one.name: widget_of(one) for one in view.fields}
        for widget in self.drawn.values():
            widget.observe(self.changed, "value")
        told = [widgets.Label(text) for text in (*view.problems, *view.notes)]
        dates = widgets.Label(view.resolution.label if view.resolution else "no dates")
        self.box.children = [*self.drawn.values(), *told, dates]

    def changed(self, _):
        """What a viewer did, or new data: the fields are read as a form's are."""
        sent = {name: text_of(widget.value) for name, widget in self.drawn.items()}
        self.show(bind(self.picker, sent | self.view.sent_along, **self.now))


def bind(picker, fields=None, **now):
    """The view for the fields."""
    return picker.read(fields or {}, **now)


def widget_of(one):
    """A widget for a field."""
    if one.kind == "switch":
        return widgets.Checkbox(one.text == "on", description=one.label)
    if one.several:
        options, value = [(label, key) for key, label in one.options], one.text.split(",")
        known = {key for key, _ in one.options}
        value = [key for key in value if key in known]
        return widgets.SelectMultiple(options=options, value=value, description=one.label)
    if one.options:
        options = [(label, key) for key, label in one.options]
        return widgets.Dropdown(options=options, value=one.text, description=one.label)
    return widgets.Text(one.text, description=one.label, continuous_update=False)


def text_of(value):
    """The value of a widget as a form sends it."""
    if isinstance(value, bool):
        return "on" if value else "off"
    return ",".join(value) if isinstance(value, tuple) else str(value)


if __name__ == "__main__":
    bound = Bound(ulnager.read_book(book_file()).picker("dates"), today=CLOCK)
    bound.drawn["dates"].value = "recent"
    bound.drawn["dates.recent.n"].value = "14"
    print(bound.view.choice_label, bound.view.resolution.label)

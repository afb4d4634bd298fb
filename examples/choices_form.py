"""A picker as a plain HTML form: no script, no framework, one template.

``bind`` takes what the browser sent and gives the view, ``drawn`` the page. Run it to see a visit.
"""

from html import escape
from string import Template

import ulnager
from ulnager.demo import CLOCK, book_file

PAGE = Template("<form>$hidden$fields<button>Show</button></form><p>$dates</p>$told")


def bind(picker, fields=None, **now):
    """The view for the fields of the form, as a web framework hands them over."""
    return picker.read(fields or {}, **now)


def drawn(view):
    """The form of a view, with everything that a browser has to send back."""
    hidden = "".join(
        f'<input type="hidden" name="{escape(name)}" value="{escape(text)}">'
        for name, text in view.sent_along.items()
    )
    fields = "".join(f"<label>{escape(one.label)} {control(one)}</label>" for one in view.fields)
    told = "".join(f"<p>{escape(text)}</p>" for text in (*view.problems, *view.notes))
    dates = escape(view.resolution.label) if view.resolution else ""
    return PAGE.substitute(hidden=hidden, fields=fields, dates=dates, told=told)


def control(one):
    """A native control for a field."""
    if one.kind == "switch":
        box = "checked" if one.text == "on" else ""
        off = f'<input type="hidden" name="{one.name}" value="off">'
        return f'{off}<input type="checkbox" name="{one.name}" value="on" {box}>'
    if not one.options:
        return f'<input name="{one.name}" value="{escape(one.text)}">'
    chosen = one.text.split(",") if one.several else [one.text]
    options = "".join(
        f'<option value="{escape(key)}"{" selected" * (key in chosen)}>{escape(label)}</option>'
        for key, label in one.options
    )
    return f'<select name="{one.name}" {"multiple" if one.several else ""}>{options}</select>'


if __name__ == "__main__":
    dates = ulnager.read_book(book_file()).picker("dates")
    view = bind(dates, today=CLOCK)
    print(drawn(view)[:200], "…")
    sent = {one.name: one.text for one in view.fields} | view.sent_along
    view = bind(dates, sent | {"dates": "recent"}, today=CLOCK)
    sent = {one.name: one.text for one in view.fields} | view.sent_along
    view = bind(dates, sent | {"dates.recent.n": "14"}, today=CLOCK)
    print(view.choice_label, view.resolution.label)

"""A view as an HTML form with native controls: no script, no framework."""

from __future__ import annotations

from html import escape

from ulnager.bind.fields import chosen, shown_of
from ulnager.choices.pages import OpenedPage
from ulnager.choices.serialization import Field
from ulnager.choices.view import View


def form_of(view: View | OpenedPage, action: str, button: str | None) -> str:
    """The form, with everything that a browser has to send back."""
    found = shown_of(view)
    words = found.view.moment.words
    parts = [f'<form method="get" action="{escape(action)}">']
    drawn = {one.name for one in found.fields}
    for name, value in found.sent_along.items():
        if name in drawn:
            continue
        for text in [value] if isinstance(value, str) else value:
            parts.append(f'<input type="hidden" name="{escape(name)}" value="{escape(text)}">')
    parts += [_labelled(one) for one in found.fields]
    parts.append(f"<button>{escape(button or words.say('Show'))}</button></form>")
    for label, dates in found.dates.items():
        parts.append(f"<p>{escape(label)}: <strong>{escape(dates)}</strong></p>")
    parts += [f"<p>{escape(text)}</p>" for text in found.told]
    return "\n".join(parts)


def _labelled(one: Field) -> str:
    label, at = escape(one.label), escape(one.id)
    told = f' aria-describedby="{at}-problem" aria-invalid="true"' if one.problem else ""
    problem = ""
    if one.problem:
        problem = f'<p id="{at}-problem" role="alert">{escape(one.problem)}</p>'
    if one.kind == "choice":
        return f'<fieldset id="{at}"><legend>{label}</legend>{_radios(one)}{problem}</fieldset>'
    if one.kind == "switch":
        box = " checked" if one.text == "on" else ""
        name = escape(one.name)
        off = f'<input type="hidden" name="{name}" value="off">'
        control = f'<input type="checkbox" id="{at}" name="{name}" value="on"{box}>'
        return f"<p>{off}<label>{control} {label}</label>{problem}</p>"
    return f'<p><label for="{at}">{label}</label> {_control(one, told)}{problem}</p>'


def _radios(one: Field) -> str:
    dates = dict(one.dates)
    found = []
    for key, label in one.options:
        box = " checked" if key == one.text else ""
        said = f" <small>{escape(dates[key])}</small>" if key in dates else ""
        control = f'<input type="radio" name="{escape(one.name)}" value="{escape(key)}"{box}>'
        found.append(f"<label>{control} {escape(label)}{said}</label>")
    return "<br>".join(found)


def _control(one: Field, told: str) -> str:
    name, at = escape(one.name), escape(one.id)
    if one.options:
        keys, dates = chosen(one), dict(one.dates)
        options = "".join(
            f'<option value="{escape(key)}"{" selected" * (key in keys)}>{escape(label)}'
            f"{': ' + escape(dates[key]) if key in dates else ''}</option>"
            for key, label in one.options
        )
        many = " multiple" if one.several else ""
        return f'<select id="{at}" name="{name}"{many}{told}>{options}</select>'
    bounds = "".join(
        f' {word}="{escape(str(value))}"'
        for word, value in (("min", one.low), ("max", one.high))
        if value is not None
    )
    kind = f'type="text" inputmode="numeric"{bounds}' if one.kind == "count" else 'type="text"'
    if one.kind == "day" and not one.problem:
        kind = f'type="date"{bounds}'
    return f'<input id="{at}" name="{name}" value="{escape(one.text)}" {kind}{told}>'

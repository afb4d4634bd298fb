"""A view as an HTML form with native controls: no script, no framework.

The markup is that of the macros in ``form.html``, which templates of one's own can take apart.
"""

from __future__ import annotations

import functools
from typing import Any

from jinja2 import Environment

from ulnager.bind.fields import Shown
from ulnager.templates import loader


@functools.cache
def _macros() -> Any:
    environment = Environment(loader=loader(), autoescape=True, trim_blocks=True)
    return environment.get_template("ulnager/form.html").module


def form_of(found: Shown, action: str, button: str | None) -> str:
    """The form, with everything that a browser has to send back."""
    words = found.view.moment.words
    text: str = _macros().form(found, action, button or words.say("Show"))
    return str(text)

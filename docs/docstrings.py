"""Makes our docstrings pages: examples become blocks of code, and names links."""

from __future__ import annotations

import re
from typing import Any

import griffe

_ROLE = re.compile(r":(?:class|func|meth|mod|attr):`~?([\w.]+)`")


class Docstrings(griffe.Extension):
    """Fences around ``>>>`` examples with what they print, up to the next empty line."""

    def on_object(self, *, obj: griffe.Object, **_: Any) -> None:
        """Rewrites the docstring of one object."""
        if obj.docstring is not None:
            obj.docstring.value = fenced(obj.docstring.value)


def fenced(text: str) -> str:
    """A docstring as Markdown."""
    found: list[str] = []
    is_example = False
    for line in text.split("\n"):
        if line.lstrip().startswith(">>> ") and not is_example:
            is_example = True
            found += ["", "```pycon"]
        elif not line.strip() and is_example:
            is_example = False
            found.append("```")
        found.append(line if is_example else _ROLE.sub(_linked, line))
    return "\n".join([*found, "```"] if is_example else found)


def _linked(match: re.Match[str]) -> str:
    name = match[1]
    short = f"`{name.rpartition('.')[2]}`"
    # Of our modules only what is exported has a place on the page.
    is_public = re.fullmatch(
        r"ulnager\.(?!(?:core|filters|sources|book|numbers|checking)\.)[\w.]+", name
    )
    return f"[{short}][{name}]" if is_public else short

"""How results look on a terminal and in a pipe.

A table has no lines around it, so that ``grep`` and ``cut`` work on it; colour and bold
are for terminals only, and never the only sign of anything.
"""

from __future__ import annotations

import json
import sys
import textwrap
from collections.abc import Iterable, Sequence
from typing import Any

import click

from ulnager.core.resolution import InstantResolution, Resolution

WIDTH = 100


def show_json(value: Any) -> None:
    """One JSON value on standard output."""
    click.echo(json.dumps(value, indent=2, ensure_ascii=False))


def show_pairs(pairs: Iterable[tuple[str, str]]) -> None:
    """Names and values in two columns; long values are wrapped."""
    rows = list(pairs)
    margin = max(len(name) for name, _ in rows) + 2
    for name, value in rows:
        lines = textwrap.wrap(value, WIDTH - margin, break_on_hyphens=False) or [""]
        click.echo(click.style(f"{name:<{margin}}", bold=True) + lines[0])
        for line in lines[1:]:
            click.echo(" " * margin + line)


def show_steps(steps: Sequence[str]) -> None:
    """Numbered sentences, wrapped."""
    for number, step in enumerate(steps, 1):
        lines = textwrap.wrap(step, WIDTH - 4, break_on_hyphens=False)
        click.echo(f"{number:>2}. " + "\n    ".join(lines))


def show_table(
    headers: Sequence[str], rows: Iterable[Sequence[Any]], right: Sequence[str] = ()
) -> None:
    """Rows under headers; the columns named in ``right`` are set to the right."""
    from io import StringIO

    from rich.console import Console
    from rich.table import Table
    from rich.text import Text as RichText

    table = Table(box=None, padding=(0, 2, 0, 0), header_style="bold", pad_edge=False)
    for header in headers:
        table.add_column(
            header, justify="right" if header in right else "left", no_wrap=True, overflow="fold"
        )
    for row in rows:
        table.add_row(*(RichText(cell_text(cell)) for cell in row))
    on_terminal = sys.stdout.isatty()
    drawn = Console(
        file=StringIO(),
        width=None if on_terminal else 1_000,
        force_terminal=on_terminal,
        highlight=False,
    )
    with drawn.capture() as captured:
        drawn.print(table)
    for line in captured.get().splitlines():
        click.echo(line.rstrip())


def cell_text(cell: Any) -> str:
    """A cell as text: whole numbers with thousands, nothing for None, no control characters."""
    if cell is None:
        return ""
    if isinstance(cell, int) and not isinstance(cell, bool):
        return f"{cell:,}"
    return "".join(c if c.isprintable() else " " for c in str(cell))


def spans_text(result: Resolution, most: int = 6) -> str:
    """The spans of a resolution on one line, with how long they are."""
    if result.is_empty:
        return "none"
    shown = ", ".join(str(span) for span in result.spans[:most])
    more = f" and {len(result.spans) - most} more spans" if len(result.spans) > most else ""
    return f"{shown}{more}{length_text(result, ' ({})')}"


def length_text(result: Resolution, form: str = "{}") -> str:
    """How long a resolution is, put into a form; nothing when it is open."""
    if isinstance(result, InstantResolution):
        return "" if result.duration is None else form.format(f"{result.duration} of time")
    if result.days is None:
        return ""
    return form.format(f"{result.days:,} day{'s' * (result.days != 1)}")

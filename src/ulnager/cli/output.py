"""How results look on a terminal and in a pipe.

A table has no lines around it, so that ``grep`` and ``cut`` work on it; colour and bold
are for terminals only, and never the only sign of anything. Nothing that data or names hold
reaches a terminal as a control character.
"""

from __future__ import annotations

import contextlib
import sys
import threading
from collections.abc import Iterable, Iterator, Sequence
from datetime import timedelta
from typing import Any, Final

import click

from ulnager.core.messages import with_codes
from ulnager.core.periods.resolution import InstantResolution, Resolution
from ulnager.core.text import visible

_AFTER: Final = 1.0
_SHOWN: list[_Sign] = []


class _Sign:
    """A line that says what is done; it shows itself after a second, and goes without a trace."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._status: Any = None
        self._lock = threading.Lock()
        self._is_over = False
        self._timer = threading.Timer(_AFTER, self._show)
        self._timer.daemon = True
        self._timer.start()

    def _show(self) -> None:
        from rich.console import Console

        with self._lock:
            if not self._is_over:
                self._status = Console(stderr=True).status(self._text)
                self._status.start()

    def stop(self) -> None:
        with self._lock:
            self._is_over = True
            self._timer.cancel()
            if self._status is not None:
                self._status.stop()
                self._status = None


@contextlib.contextmanager
def working(text: str) -> Iterator[None]:
    """While something is worked out, a line says so."""
    if sys.stderr is None or not sys.stderr.isatty():
        yield
        return
    sign = _Sign(text)
    _SHOWN.append(sign)
    try:
        yield
    finally:
        sign.stop()
        _SHOWN.remove(sign)


def stop_signs() -> None:
    """Takes away what is shown, before anything else is written to the terminal."""
    for sign in _SHOWN:
        sign.stop()


_WIDTH = 100
CODES = "ulnager.codes"


def echo(text: str = "", *, err: bool = False) -> None:
    """A text with visible marks for control characters, on standard output or error."""
    stop_signs()
    click.echo(visible(text, "\n"), err=err)


def width() -> int:
    """How many columns a line may take: 100, or what a narrower terminal has."""
    if not sys.stdout.isatty():
        return _WIDTH
    import shutil

    return max(20, min(_WIDTH, shutil.get_terminal_size((_WIDTH, 24)).columns))


def show_json(value: Any) -> None:
    """One JSON value on standard output."""
    import json

    if click.get_current_context().meta.get(CODES):
        value = with_codes(value)

    stop_signs()
    text = json.dumps(value, indent=2, ensure_ascii=False)
    # What JSON leaves as it is may still be a control character to a terminal.
    click.echo("".join(c if c == "\n" or c.isprintable() else _escaped(c) for c in text))


def _escaped(character: str) -> str:
    pairs = character.encode("utf-16-be", "surrogatepass").hex()
    return "".join(f"\\u{pairs[place : place + 4]}" for place in range(0, len(pairs), 4))


def show_pairs(pairs: Iterable[tuple[str, str]]) -> None:
    """Names and values in two columns; long values are wrapped."""
    stop_signs()
    rows = list(pairs)
    margin = max(len(name) for name, _ in rows) + 2
    for name, value in rows:
        lines = _wrapped(visible(value), width() - margin)
        click.echo(click.style(f"{name:<{margin}}", bold=True) + lines[0])
        for line in lines[1:]:
            click.echo(" " * margin + line)


def show_steps(steps: Sequence[str]) -> None:
    """Numbered sentences, wrapped."""
    for number, step in enumerate(steps, 1):
        echo(f"{number:>2}. " + "\n    ".join(_wrapped(visible(step), width() - 4)))


def _wrapped(text: str, columns: int) -> list[str]:
    """Lines of so many columns; a word is never cut, so that dates stay whole."""
    if len(text) <= columns and text.isprintable():
        return [text.rstrip()]
    import textwrap

    return textwrap.wrap(
        text, max(10, columns), break_on_hyphens=False, break_long_words=False
    ) or [""]


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
            RichText(visible(header)), justify="right" if header in right else "left", no_wrap=True
        )
    for row in rows:
        table.add_row(*(RichText(cell_text(cell)) for cell in row))
    # A terminal may be narrower and wraps the lines then; half a date would be another date.
    drawn = Console(
        file=StringIO(), width=1_000_000, force_terminal=sys.stdout.isatty(), highlight=False
    )
    stop_signs()
    with drawn.capture() as captured:
        drawn.print(table)
    for line in captured.get().splitlines():
        click.echo(line.rstrip())


def cell_text(cell: Any) -> str:
    """A cell as text: whole numbers with thousands, nothing for None."""
    if cell is None:
        return ""
    if isinstance(cell, int) and not isinstance(cell, bool):
        return f"{cell:,}"
    return visible(str(cell))


def spans_text(result: Resolution, most: int = 6) -> str:
    """The spans of a resolution on one line, with how long they are."""
    if result.is_empty:
        return "none"
    shown = ", ".join(str(span) for span in result.spans[:most])
    more = f" and {len(result.spans) - most} more spans" if len(result.spans) > most else ""
    return f"{shown}{more}{length_text(result, ' ({})')}"


def last_shown(result: Resolution) -> str:
    """The last day, or the moment before which hours end; nothing at an open side."""
    if isinstance(result, InstantResolution):
        return "" if result.stop is None else f"before {result.stop}"
    return str(result.end or "")


def length_text(result: Resolution, form: str = "{}") -> str:
    """How long a resolution is, put into a form; nothing when it is open."""
    if isinstance(result, InstantResolution):
        return "" if result.duration is None else form.format(_elapsed(result.duration))
    if result.days is None:
        return ""
    return form.format(f"{result.days:,} day{'s' * (result.days != 1)}")


def _elapsed(duration: timedelta) -> str:
    """Elapsed time in words: 24 hours; 1 hour 30 minutes."""
    hours, rest = divmod(duration, timedelta(hours=1))
    minutes, rest = divmod(rest, timedelta(minutes=1))
    seconds = rest.total_seconds()
    parts = [
        (hours, "hour"),
        (minutes, "minute"),
        (int(seconds) if seconds % 1 == 0 else seconds, "second"),
    ]
    told = [f"{count:,} {unit}{'s' * (count != 1)}" for count, unit in parts if count]
    return " ".join(told) or "no time"


def nothing_told(result: Any, basis: dict[str, Any]) -> str | None:
    """Why no row can be in some dates, where that is so."""
    from ulnager.core.periods.anchors import Extent
    from ulnager.numbers.chart_model import without_rows

    data = basis.get("data")
    return without_rows(result, data, result.words) if isinstance(data, Extent) else None

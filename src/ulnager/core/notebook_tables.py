"""How values show themselves in a notebook: as small tables, in light and dark, escaped.

Nothing is coloured: borders take the colour of the text, which the notebook chooses.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Final, NamedTuple

from ulnager.core.text import visible

MOST_ROWS: Final = 60
_TABLE: Final = "border-collapse:collapse;color:inherit;background:transparent"
_CELL: Final = "padding:.15em .7em .15em 0;border-bottom:1px solid;border-color:currentColor"


class Table(NamedTuple):
    """What is shown: a title, a head, rows of texts, the columns of numbers, sentences below."""

    title: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    right: frozenset[int] = frozenset()
    notes: tuple[str, ...] = ()


class ShowsItself:
    """What has a table of itself shows it in a notebook."""

    __slots__ = ()

    def _table(self) -> Table:
        raise NotImplementedError

    def _repr_html_(self) -> str:
        return html_of(self._table())

    def _repr_markdown_(self) -> str:
        return markdown_of(self._table())


def table(
    title: object,
    head: Sequence[str],
    rows: Iterable[Sequence[object]],
    right: Iterable[int] = (),
    notes: Iterable[str] = (),
) -> Table:
    """A table of any values; more than can be read are counted in a note."""
    every = [tuple("" if cell is None else str(cell) for cell in row) for row in rows]
    said = list(notes)
    if len(every) > MOST_ROWS:
        said.append(f"… and {len(every) - MOST_ROWS:,} more rows")
    return Table(str(title), tuple(head), tuple(every[:MOST_ROWS]), frozenset(right), tuple(said))


def pairs(title: object, rows: Iterable[tuple[str, object]], notes: Iterable[str] = ()) -> Table:
    """A table of names and values."""
    return table(title, ("", ""), rows, notes=notes)


def html_of(shown: Table) -> str:
    """A table as HTML; what stands in it is text, whatever it looks like."""

    def cells(row: Sequence[str], tag: str) -> str:
        found = []
        for place, text in enumerate(row):
            side = "right" if place in shown.right else "left"
            is_head = tag == "td" and place == 0
            name = "th" if is_head else tag
            weight = "font-weight:normal;" if is_head else ""
            style = f"{_CELL};{weight}text-align:{side};vertical-align:top"
            found.append(f'<{name} style="{style}">{_escaped(text)}</{name}>')
        return f"<tr>{''.join(found)}</tr>"

    head = f"<thead>{cells(shown.head, 'th')}</thead>" if any(shown.head) else ""
    body = "".join(cells(row, "td") for row in shown.rows)
    caption = f'<caption style="text-align:left;font-weight:bold">{_escaped(shown.title)}</caption>'
    notes = "".join(f"<div>{_escaped(note)}</div>" for note in shown.notes)
    return f'<table style="{_TABLE}">{caption}{head}<tbody>{body}</tbody></table>{notes}'


def _escaped(text: str) -> str:
    found = visible(text)
    for sign, name in (("&", "amp"), ("<", "lt"), (">", "gt"), ('"', "quot"), ("'", "#x27")):
        found = found.replace(sign, f"&{name};")
    return found


def markdown_of(shown: Table) -> str:
    """A table as Markdown."""
    count = max([len(shown.head), *(len(row) for row in shown.rows)])
    head = [*shown.head, *[""] * (count - len(shown.head))]
    rule = ["---:" if place in shown.right else "---" for place in range(count)]
    lines = [f"**{_plain(shown.title)}**", ""]
    lines += [_line(map(_plain, head)), _line(rule)]
    lines += [_line(map(_plain, row)) for row in shown.rows]
    lines += ["", *(f"{_plain(note)}  " for note in shown.notes)] if shown.notes else []
    return "\n".join(lines)


def _line(cells: Iterable[str]) -> str:
    return f"| {' | '.join(cells)} |"


def _plain(text: str) -> str:
    """Text in which Markdown and HTML find nothing of theirs."""
    found = _escaped(text)
    for sign in "\\`*_[]|~$!":
        found = found.replace(sign, f"&#{ord(sign)};")
    return found

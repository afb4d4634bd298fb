"""Where each key of a TOML file stands: its line, also of dotted keys and inline tables."""

from __future__ import annotations

import tomllib
from typing import Any

Path = tuple[str, ...]


def lines_of(text: str) -> dict[Path, int]:
    """The line of every table, key and item of a list, counted from 1, by its path."""
    import tree_sitter_toml
    from tree_sitter import Language, Parser

    tree = Parser(Language(tree_sitter_toml.language())).parse(text.encode())
    found: dict[Path, int] = {}
    counts: dict[Path, int] = {}
    for node in tree.root_node.named_children:
        if node.type == "pair":
            _pair(node, (), found)
        elif node.type in ("table", "table_array_element"):
            path = _names(node.named_children[0])
            line = node.start_point.row + 1
            if node.type == "table_array_element":
                place = counts[path] = counts.get(path, -1) + 1
                path = (*path, str(place))
            _known(path, line, found)
            for child in node.named_children[1:]:
                if child.type == "pair":
                    _pair(child, path, found)
    return found


def line_of(lines: dict[Path, int], path: Path) -> int:
    """The line of a path, or of the nearest table above that is there."""
    while path:
        if path in lines:
            return lines[path]
        path = path[:-1]
    return 1


def _known(path: Path, line: int, found: dict[Path, int]) -> None:
    for size in range(1, len(path) + 1):
        found.setdefault(path[:size], line)


def _pair(node: Any, above: Path, found: dict[Path, int]) -> None:
    key, value = node.named_children[0], node.named_children[-1]
    path = (*above, *_names(key))
    _known(path, key.start_point.row + 1, found)
    _value(value, path, found)


def _value(node: Any, path: Path, found: dict[Path, int]) -> None:
    if node.type == "inline_table":
        for child in node.named_children:
            if child.type == "pair":
                _pair(child, path, found)
    elif node.type == "array":
        items = [child for child in node.named_children if child.type != "comment"]
        for place, child in enumerate(items):
            found.setdefault((*path, str(place)), child.start_point.row + 1)
            _value(child, (*path, str(place)), found)


def _names(node: Any) -> Path:
    if node.type == "dotted_key":
        return tuple(name for child in node.named_children for name in _names(child))
    text = node.text.decode()
    if node.type != "quoted_key":
        return (text,)
    # A quoted key is written as TOML's own strings are.
    return (next(iter(tomllib.loads(f"{text} = 1"))),)

"""Writes docs/api.txt, the public API line by line: python docs/api.py

A test compares it, so that the API changes on purpose only.
"""

from __future__ import annotations

import importlib
import inspect
import re
from collections.abc import Iterator
from pathlib import Path

import ulnager

RESULTS = (
    "checking.findings.Findings",
    "checking.recognising.Recognised",
    "checking.rehearsing.Rehearsal",
    "numbers.ages.Ages",
    "numbers.running.Running",
    "sources.kept.Kept",
)
"""What calls give and nobody makes, so that it is not exported; a line each."""
FILE = Path(__file__).parent / "api.txt"


def listed() -> str:
    """Every public name with its signature, and the public members of classes."""
    return "\n".join(_lines()) + "\n"


def _lines() -> Iterator[str]:
    for name in sorted(ulnager.__all__):
        made = getattr(ulnager, name)
        if not callable(made):
            yield f"{name}: {type(made).__name__}"
            continue
        yield f"{name}{_signature(made)}"
        if inspect.isclass(made):
            yield from _members(name, made)
    for path in RESULTS:
        module, _, name = path.rpartition(".")
        made = getattr(importlib.import_module(f"ulnager.{module}"), name)
        inner = (line.split(".", 1)[1] for line in _members(name, made))
        yield f"{name}{_signature(made)} (a result): {'; '.join(inner)}"


def _members(name: str, made: type) -> Iterator[str]:
    known = {
        one: kept
        for base in made.__mro__
        if base.__module__.startswith("ulnager")
        for one, kept in vars(base).items()
    }
    for member in sorted(known):
        if member.startswith("_"):
            continue
        found = inspect.getattr_static(made, member)
        if isinstance(found, (classmethod, staticmethod)):
            found = found.__func__
        is_called = inspect.isfunction(found)
        yield f"  {name}.{member}{_signature(found) if is_called else ''}"


def _signature(made: object) -> str:
    try:
        text = str(inspect.signature(made))  # type: ignore[arg-type]
    except (TypeError, ValueError):
        return "(…)"
    # As Python 3.14 writes the types of a named tuple.
    return re.sub(r"ForwardRef\('([^']*)'\)", r"\1", text)


if __name__ == "__main__":
    FILE.write_text(listed(), encoding="utf-8")

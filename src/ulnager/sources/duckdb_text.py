"""Names and texts as DuckDB has them in SQL, and what it says; the engine itself is not needed."""

from __future__ import annotations

import sqlalchemy as sa


def quoted_name(name: str) -> sa.quoted_name:
    return sa.quoted_name(name, quote=True)


def quoted(name: str) -> str:
    """A name as a quoted SQL identifier."""
    return '"' + name.replace('"', '""') + '"'


def text(value: str) -> str:
    """A text as a SQL literal."""
    return "'" + value.replace("'", "''") + "'"


def first_line(error: Exception) -> str:
    """What the engine says, without its own headings and advice."""
    said = str(error).strip().split("\n")[0]
    return said.split(": ", 1)[-1] if "Error: " in said else said

"""Books that come with Ulnager: ``demo:ferries``, ``demo:careless``, and one with nothing in it."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path
from typing import Final

from ulnager.core.errors import SourceError
from ulnager.core.suggest import no_such

BOOKS: Final = {"ferries": "book.toml", "careless": "careless.toml", "empty": "empty.toml"}
_DEMO: Final = "demo:"


def book_file(name: str = "ferries") -> Path:
    """A book of the demo.

    Raises SourceError when there is no such book.
    """
    if name not in BOOKS:
        raise SourceError(no_such("demo book", name, BOOKS))
    return Path(str(files("ulnager") / "demo" / BOOKS[name]))


def named_book(path: str | Path) -> str | Path:
    """The path of a book; ``demo:ferries`` and ``demo:careless`` are the demo's."""
    is_demo = isinstance(path, str) and path.startswith(_DEMO)
    return book_file(str(path).removeprefix(_DEMO)) if is_demo else path

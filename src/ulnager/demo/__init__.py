"""The demo: made-up data of Osier Sound Ferries, and the book that goes with it."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from typing import Final

from ulnager.book.shipped_books import BOOKS, book_file, named_book
from ulnager.core.errors import SourceError
from ulnager.core.suggest import no_such

CLOCK: Final = date(2026, 5, 20)
"""The day on which the demo takes place, so that its output never changes."""

ZONE: Final = "America/Halifax"
"""Where the ferries sail."""

TABLES: Final = ("sailings", "gate_scans", "bookings", "work_orders")

_FOLDER = Path(__file__).parent


def table(name: str) -> Path:
    """The CSV file of a demo table.

    >>> table("sailings").name
    'sailings.csv'

    Raises SourceError when there is no such table.
    """
    if name not in TABLES:
        raise SourceError(no_such("demo table", name, TABLES))
    return _FOLDER / f"{name}.csv"


__all__ = ["BOOKS", "CLOCK", "TABLES", "ZONE", "book_file", "named_book", "table"]

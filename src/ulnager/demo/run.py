"""The demo's run: each period of the demo book against the sailings."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from ulnager.book.book import Book
from ulnager.core.periods.resolution import Resolution
from ulnager.filters.conditions import condition
from ulnager.sources.file_source import FileSource


@dataclass(frozen=True)
class DemoRow:
    """A period of the demo book, the rows that it keeps, and their passengers."""

    name: str
    anchor: str
    result: Resolution
    rows: int
    passengers: int

    def to_dict(self) -> dict[str, Any]:
        """The row as plain values, ready for JSON."""
        return {
            "name": self.name,
            **self.result.to_dict(),
            "rows": self.rows,
            "passengers": self.passengers,
        }


def run_demo(book: Book, sailings: FileSource, today: date) -> list[DemoRow]:
    """What each period of the book keeps of the sailings."""
    extent = sailings.extent("sailed_on")
    found = []
    for entry in book.periods.values():
        if entry.period.inputs:
            continue  # Viewers fill its slots.
        result = book.resolve(entry.name, today=today, spare=lambda: extent)
        kept = condition(result, "sailed_on", target="duckdb", literal=True)
        ((rows, passengers),) = sailings.query(
            f"SELECT count(*), coalesce(sum(passengers), 0)::BIGINT FROM data WHERE {kept}"
        )
        anchor = entry.anchor.name if entry.anchor else "today"
        found.append(DemoRow(entry.name, anchor, result, rows, passengers))
    return found

"""``ulnager demo``: the demo book against the demo data."""

from __future__ import annotations

import click

from ulnager.cli.help import Command
from ulnager.cli.options import json_option
from ulnager.cli.output import echo, show_json, show_table


@click.command("demo", cls=Command)
@json_option
def command(as_json: bool) -> None:
    """Run the demo book against the demo data and print what each period keeps.

    The data is that of Osier Sound Ferries, a small ferry line that does not exist. The
    demo's clock always shows 2026-05-20; its data was last loaded on 2026-05-17.
    """
    from ulnager.book.book_reader import read_book
    from ulnager.demo import CLOCK, book_file, table
    from ulnager.demo.run import run_demo
    from ulnager.sources.file_source import FileSource

    sailings = FileSource(table("sailings"))
    rows = run_demo(read_book(book_file()), sailings, CLOCK)
    if as_json:
        show_json([row.to_dict() for row in rows])
        return
    headers = ("period", "phrase", "anchor", "start", "end", "days", "rows", "passengers")
    show_table(
        headers,
        [
            (
                row.name,
                row.result.period,
                row.anchor,
                row.result.start,
                row.result.end,
                row.result.days,
                row.rows,
                row.passengers,
            )
            for row in rows
        ],
        headers[5:],
    )
    last = sailings.extent("sailed_on").last
    echo(f"\nThe clock shows {CLOCK}; the sailings are loaded up to {last}.")

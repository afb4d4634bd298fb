"""``ulnager preview``: which rows a period keeps and leaves out."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from ulnager.cli.help import Command
from ulnager.cli.options import (
    basis_options,
    json_option,
    key_option,
    lasting_option,
    needs,
    period_argument,
    reading_options,
    spreadsheets_option,
    until_option,
)
from ulnager.cli.output import echo, show_json, show_pairs, show_table, spans_text
from ulnager.cli.request import Request
from ulnager.core.errors import SettingError
from ulnager.core.text import masked

if TYPE_CHECKING:
    from ulnager.sources.preview import Preview


@click.command("preview", cls=Command)
@period_argument()
@click.argument("names", metavar="SOURCE...", nargs=-1, required=True)
@click.option("--column", metavar="C", help="The date column. [default: the only one there is]")
@key_option
@click.option(
    "--rounding",
    type=click.Choice(["inward", "outward"]),
    help="What to do where PERIOD cuts the unit that a row stands for.",
)
@until_option
@lasting_option
@click.option(
    "--rows",
    type=click.IntRange(0, 10_000),
    default=20,
    show_default=True,
    help="How many of the kept rows to print.",
)
@click.option("--against", metavar="SOURCE", help="A second source, to compare its counts.")
@click.option("--against-table", metavar="T", help="The table of that, when it is a database.")
@click.option(
    "--write",
    metavar="TARGET",
    help="Write the kept rows to a .csv or .parquet file or a database.",
)
@click.option("--name", metavar="T", help="Of a database: the new table. [default: kept_rows]")
@click.option("--replace", is_flag=True, help="Make that file or table anew if it is there.")
@spreadsheets_option
@json_option
@reading_options
@basis_options
@needs("until", "lasting")
@needs("against", "against_table")
@needs("write", "replace", "for_spreadsheets")
def command(
    request: Request,
    phrase: str,
    names: tuple[str, ...],
    column: str | None,
    column_type: str | None,
    rounding: str | None,
    until: str | None,
    lasting: str | None,
    rows: int,
    against: str | None,
    against_table: str | None,
    write: str | None,
    name: str | None,
    replace: bool,
    for_spreadsheets: bool,
    as_json: bool,
) -> None:
    """Print which rows of SOURCE the PERIOD keeps, and the first of them.

    SOURCE is a CSV or Parquet file, a pattern such as 'sales/*.parquet' or several files, which
    are read as one, a database's URL with --table, or a demo table such as demo:sailings. It also
    answers for latest and earliest.

    \b
      ulnager preview "last 3 whole months as of latest" demo:sailings
      ulnager preview "last 3 whole months as of latest" demo:sailings --write kept.parquet
      ulnager preview yesterday demo:gate_scans --tz America/Halifax --today 2026-05-17
    """
    from ulnager.sources.preview import preview

    if name is not None and "://" not in (write or ""):
        raise SettingError("--name is a table of a database, and --write names none")
    if Path(phrase).is_file():
        raise SettingError(f"{phrase} is a file; the phrase comes first: preview PERIOD {phrase}")
    source = request.opened(*names, column_types={column: column_type})
    column, tz = request.looked_at(names[0], column)
    result = request.resolve(phrase, request.basis(phrase, source, column, tz=tz))
    lasts: dict[str, Any] = {"until": until, "lasting": lasting}
    found = preview(source, result, column, tz=tz, rows=rows, rounding=rounding, **lasts)
    if write is not None:
        written = found.write(
            write,
            name=name or "kept_rows",
            password=os.environ.get("ULNAGER_PASSWORD"),
            replace=replace,
            for_spreadsheets=for_spreadsheets,
        )
        echo(f"{written:,} rows written to {masked(write)}", err=True)
    other = None
    if against is not None:
        second = request.opened(against, table=against_table)
        named = found.column if any(c.name == found.column for c in second.columns) else None
        other = preview(second, result, named, tz=tz, rows=0, rounding=rounding, **lasts)
    if as_json:
        there = {} if other is None else {"against": other.to_dict()}
        show_json({**found.to_dict(), **there})
        return
    show_pairs(_asked(found))
    echo()
    show_table(("rows", "count", "share", "first", "last"), _counts(found), ("count", "share"))
    if other is not None:
        echo()
        sides = (found.source, other.source)
        show_table(("rows", *sides, "same"), _compared(found, other), sides)
    told = [("note", text) for text in found.notes]
    told += [("warning", text) for text in found.warnings]
    if told:
        echo()
        show_pairs(told)
    if found.rows:
        echo()
        numbers = [
            name
            for place, name in enumerate(found.columns)
            if all(isinstance(row[place], (int, float)) for row in found.rows)
        ]
        show_table(found.columns, [list(map(_cell, row)) for row in found.rows], numbers)
        if found.kept > len(found.rows):
            echo(f"… and {found.kept - len(found.rows):,} more rows")


def _compared(one: Preview, two: Preview) -> Iterator[tuple[Any, ...]]:
    """The counts of two sources side by side."""
    for name, field in (
        ("in all", "total"),
        ("kept", "kept"),
        ("before", "before"),
        ("between", "between"),
        ("after", "after"),
        ("null", "nulls"),
        ("first kept", "first"),
        ("last kept", "last"),
    ):
        here, there = getattr(one, field), getattr(two, field)
        yield name, here, there, "yes" if here == there else "no"


def _cell(value: Any) -> str:
    """A value of the data as it is there: a number of a ticket takes no thousands."""
    return "" if value is None else str(value)


def _asked(found: Preview) -> Iterator[tuple[str, str]]:
    result = found.result
    yield "period", str(result.period)
    yield "dates", spans_text(result)
    yield "anchor", str(result.anchor)
    yield "column", f"{found.column} of {found.source}"


def _counts(found: Preview) -> Iterator[tuple[Any, ...]]:
    result, extent = found.result, found.extent
    low, high = (extent.first, extent.last) if extent else (None, None)

    def share(count: int) -> str:
        if 0 < count < found.total / 2_000:
            return "<0.1%"
        return f"{count / found.total:.1%}" if found.total else ""

    yield "asked for", None, "", result.start, result.end or result.stop
    yield "kept", found.kept, share(found.kept), found.first, found.last
    yield "before", found.before, share(found.before), None, None
    if result.is_empty:
        yield "left out", found.between, share(found.between), None, None
    elif len(result.spans) > 1:
        yield "between", found.between, share(found.between), None, None
    yield "after", found.after, share(found.after), None, None
    yield "null", found.nulls, share(found.nulls), None, None
    yield "in all", found.total, share(found.total), low, high

"""``ulnager calendar``: a date table, or a membership table of periods."""

from __future__ import annotations

import os
from typing import Any

import click

from ulnager.cli.help import Command
from ulnager.cli.request import Request, basis_options, data_options, json_option
from ulnager.cli.show import echo, show_json, show_table
from ulnager.core.calendars.months import GREGORIAN
from ulnager.core.errors import SettingError
from ulnager.core.language.period import period
from ulnager.core.periods.clock import as_day

_MOST_ROWS = 60
# What fits into 100 columns; a file gets everything.
_SHOWN = (
    "date", "weekday_name", "is_business_day", "week_label", "month_label", "quarter_label",
    "year_label",
)  # fmt: skip


@click.command("calendar", cls=Command)
@click.argument("first", metavar="FIRST")
@click.argument("last", metavar="LAST")
@click.option("--periods", is_flag=True, help="The days of each period of the book instead.")
@click.option(
    "--to", "target", metavar="TARGET", help="A .csv or .parquet file, or a database URL."
)
@click.option("--name", metavar="T", help="Of a database: the table. [default: date_table]")
@json_option
@data_options
@basis_options
def command(
    request: Request,
    first: str,
    last: str,
    periods: bool,
    target: str | None,
    name: str | None,
    as_json: bool,
) -> None:
    """Write a table with a row for each day from FIRST to LAST, both in.

    For each unit of the calendar it has an index, labels, start and end, the place of the
    day, whether the unit is over, and how many units away from the anchor it is; and for
    each day its business day flag and number, ISO week and weekday. With --periods it has a
    row for each period of the book and day in it, so that a tool that can only join may use
    the same definitions. Without --to some columns of the first rows are printed.

    \b
      ulnager calendar 2026-05-11 2026-05-20 --year-starts 10-01 --today 2026-05-20
      ulnager calendar 2020-01-01 2030-12-31 --to dates.parquet
    """
    from ulnager.core.periods.datetable import date_table
    from ulnager.sources.tables import membership_table, write_table

    if name is not None and "://" not in (target or ""):
        raise SettingError("--name is a table of a database, and --to names none")
    low, high = as_day(first, "FIRST"), as_day(last, "LAST")
    basis = request.basis("")
    if periods:
        book = request.open_book
        if book is None:
            raise SettingError("--periods needs a book; name it with --book FILE")
        found = [
            (entry.name, entry.label, book.resolve(entry.name, **basis))
            for entry in book.periods.values()
        ]
        columns = membership_table(found, low, high)
    else:
        anchor = (
            request.resolve("today", basis)
            if request.as_of
            else period("today").resolve(**{**basis, "calendar": None})
        )
        columns = date_table(request.chosen_calendar or GREGORIAN, low, high, anchor.anchor)
    if target is not None:
        rows = write_table(
            columns, target, name=name or "date_table", password=os.environ.get("ULNAGER_PASSWORD")
        )
        echo(f"{rows:,} rows and {len(columns)} columns written", err=True)
    elif as_json:
        show_json([dict(zip(columns, row, strict=True)) for row in _rows(columns, list(columns))])
    else:
        names = list(columns) if periods else list(_SHOWN)
        rows = len(columns[names[0]])
        show_table(names, _rows({name: columns[name][:_MOST_ROWS] for name in names}, names))
        if rows > _MOST_ROWS:
            echo(f"… and {rows - _MOST_ROWS:,} more rows; --to FILE writes all", err=True)
        if len(names) < len(columns):
            echo(f"{len(columns)} columns in all; --to FILE or --json gives them", err=True)


def _rows(columns: dict[str, Any], names: list[str]) -> list[tuple[Any, ...]]:
    plain = (
        [str(day) for day in columns[name].tolist()]
        if columns[name].dtype.kind == "M"
        else columns[name].tolist()
        for name in names
    )
    return list(zip(*plain, strict=True))

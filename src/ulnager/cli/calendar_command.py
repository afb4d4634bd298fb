"""``ulnager calendar``: a date table, or a membership table of periods."""

from __future__ import annotations

import os
from datetime import date
from typing import Any

import click

from ulnager.cli.help import Command
from ulnager.cli.options import basis_options, data_options, json_option, needs, spreadsheets_option
from ulnager.cli.output import echo, show_json, show_table
from ulnager.cli.request import Request
from ulnager.core.calendars.month_calendar import GREGORIAN
from ulnager.core.calendars.zone_offsets import offset_table
from ulnager.core.calendars.zones import zone_named
from ulnager.core.errors import SettingError
from ulnager.core.language.phrase import period
from ulnager.core.periods.clock import as_day
from ulnager.core.periods.join_tables import Named

_MOST_ROWS = 60
# What fits into 100 columns; a file gets everything.
_SHOWN = (
    "date",
    "weekday_name",
    "is_business_day",
    "week_label",
    "month_label",
    "quarter_label",
    "year_label",
)


@click.command("calendar", cls=Command)
@click.argument("first", metavar="[FIRST", required=False)
@click.argument("last", metavar="LAST]", required=False)
@click.option("--periods", is_flag=True, help="The days of each period of the book instead.")
@click.option("--bounds", is_flag=True, help="The bounds of each period of the book instead.")
@click.option(
    "--offsets",
    multiple=True,
    metavar="ZONE",
    help="The offsets of a time zone instead; may be given several times.",
)
@click.option("--clip", is_flag=True, help="With --periods: cut them to FIRST and LAST.")
@click.option("--replace", is_flag=True, help="Make the file or table anew if it is there already.")
@click.option(
    "--to", "target", metavar="TARGET", help="A .csv or .parquet file, or a database URL."
)
@click.option("--name", metavar="T", help="Of a database: the table. [default: date_table]")
@spreadsheets_option
@json_option
@data_options
@basis_options
@needs("target", "replace", "for_spreadsheets")
def command(
    request: Request,
    first: str | None,
    last: str | None,
    periods: bool,
    bounds: bool,
    offsets: tuple[str, ...],
    clip: bool,
    replace: bool,
    target: str | None,
    name: str | None,
    for_spreadsheets: bool,
    as_json: bool,
) -> None:
    """Write a table with a row for each day from FIRST to LAST, both in.

    For each unit of the calendar it has an index, labels, start and end, the place of the
    day, whether the unit is over, and how many units away from the anchor it is; and for
    each day its business day flag and number, whether it is a holiday, ISO week and weekday.
    With --periods it has a row for each period of the book and day in it, and with --bounds one
    for each period with its start and its exclusive stop, so that a tool that can only join may
    use the same definitions; without FIRST and LAST these cover the periods. With --offsets it has
    a row for each time in which a zone keeps its distance from UTC: live conditions look there
    (filter --offset-table) on engines that know no zones. Without --to some columns of the first
    rows are printed.

    \b
      ulnager calendar 2026-05-11 2026-05-20 --year-starts 10-01 --today 2026-05-20
      ulnager calendar 2020-01-01 2030-12-31 --to dates.parquet
      ulnager calendar --bounds --book periods.toml --to bounds.csv --replace
    """
    from ulnager.core.periods.date_table import date_table
    from ulnager.core.periods.join_tables import bounds_table, membership_table
    from ulnager.sources.written_tables import write_table

    _check_options(
        first,
        last,
        name=name,
        target=target,
        periods=periods,
        bounds=bounds,
        clip=clip,
        replace=replace,
    )
    if offsets and (periods or bounds):
        raise SettingError("--offsets is a table by itself; leave --periods and --bounds out")
    low = None if first is None else as_day(first, "FIRST")
    high = None if last is None else as_day(last, "LAST")
    basis = request.basis("")
    columns: dict[str, Any]
    if offsets:
        assert low is not None
        assert high is not None
        columns = offset_table(offsets, low, high)
    elif periods or bounds:
        found = _named(request, basis)
        for key, _, result, *_ in found:
            if result.is_empty:
                echo(f"note: {key} is empty: {'; '.join(result.notes)}", err=True)
        zone = None if request.tz is None else zone_named(request.tz)
        columns = (
            bounds_table(found, zone)
            if bounds
            else membership_table(found, low, high, clip=clip, data=basis.get("data"))
        )
    else:
        assert low is not None
        assert high is not None
        book = request.open_book
        anchor = (
            request.resolve("anchor day", basis)
            if request.as_of or (book is not None and book.anchor is not None)
            else period("today").resolve(**{**basis, "calendar": None})
        )
        columns = date_table(request.chosen_calendar or GREGORIAN, low, high, anchor.anchor)
    if target is not None:
        rows = write_table(
            columns,
            target,
            name=name or _usual_name(periods or bounds, offsets),
            password=os.environ.get("ULNAGER_PASSWORD"),
            replace=replace,
            for_spreadsheets=for_spreadsheets,
        )
        echo(f"{rows:,} rows and {len(columns)} columns written", err=True)
    elif as_json:
        show_json([dict(zip(columns, row, strict=True)) for row in _rows(columns, list(columns))])
    else:
        names = list(columns) if periods or bounds or offsets else list(_SHOWN)
        rows = len(columns[names[0]])
        show_table(names, _rows({name: columns[name][:_MOST_ROWS] for name in names}, names))
        if rows > _MOST_ROWS:
            echo(f"… and {rows - _MOST_ROWS:,} more rows; --to FILE writes all", err=True)
        if len(names) < len(columns):
            echo(f"{len(columns)} columns in all; --to FILE or --json gives them", err=True)


def _usual_name(is_of_periods: bool, offsets: tuple[str, ...]) -> str:
    return "periods" if is_of_periods else "zone_offsets" if offsets else "date_table"


def _check_options(
    first: str | None,
    last: str | None,
    *,
    name: str | None,
    target: str | None,
    periods: bool,
    bounds: bool,
    clip: bool,
    replace: bool,
) -> None:
    """SettingError for options without effect, or days that are missing."""
    if name is not None and "://" not in (target or ""):
        raise SettingError("--name is a table of a database, and --to names none")
    if clip and not (periods and first):
        raise SettingError("--clip cuts --periods to FIRST and LAST; give these too")
    if bounds and (first is not None or periods):
        raise SettingError("--bounds covers its periods; leave FIRST, LAST and --periods out")
    if not periods and not bounds and first is None:
        raise SettingError("a date table runs from FIRST to LAST: 2026-01-01 2026-12-31")
    if first is not None and last is None:
        raise SettingError(f"FIRST is {first}; give LAST too")


def _named(request: Request, basis: dict[str, Any]) -> list[Named]:
    """The periods of the book with their labels and dates."""
    book = request.open_book
    if book is None:
        raise SettingError("--periods and --bounds need a book; name it with --book FILE")
    open_ones = [entry.name for entry in book.periods.values() if entry.period.inputs]
    if open_ones:
        echo(f"note: viewers fill in {', '.join(open_ones)}; not in the table", err=True)
    closed = [entry for entry in book.periods.values() if not entry.period.inputs]
    timed = [entry.name for entry in closed if entry.period.definition.is_sub_day]
    if timed:
        echo(f"note: {', '.join(timed)}: of hours; not in a table of days", err=True)
    return [
        (entry.name, entry.label, request.resolve(entry.name, basis), entry.short)
        for entry in closed
        if entry.name not in timed
    ]


def _rows(columns: dict[str, Any], names: list[str]) -> list[tuple[Any, ...]]:
    plain = (
        [str(one) if isinstance(one, date) else one for one in values]
        for values in (getattr(columns[n], "tolist", lambda n=n: columns[n])() for n in names)
    )
    return list(zip(*plain, strict=True))

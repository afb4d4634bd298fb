"""``ulnager ages``: how long rows have been open, or were."""

from __future__ import annotations

from typing import Any

import click

from ulnager.cli.help import Command
from ulnager.cli.options import (
    basis_options_but,
    json_option,
    locale_option,
    needs,
    picture_options,
    reading_options,
    spreadsheets_option,
    values_where,
)
from ulnager.cli.output import echo, show_json, show_pairs, show_table
from ulnager.cli.request import Request
from ulnager.core.errors import SettingError
from ulnager.core.words import words_of


@click.command("ages", cls=Command)
@click.argument("name", metavar="SOURCE")
@click.option("--since", required=True, metavar="C", help="The column of the day a row begins.")
@click.option("--until", metavar="C", help="The column of the day it ends; null while it is open.")
@click.option("--unit", default="day", show_default=True, help="day, business day, week, …")
@click.option("--where", metavar="C=VALUE", multiple=True, help="Only rows with that value.")
@click.option("--rows", type=int, metavar="N", help="The N oldest rows, the open ones first.")
@click.option("--write", metavar="FILE", help="All rows with their ages, into .csv or .parquet.")
@click.option("--replace", is_flag=True, help="Write over a file that is there.")
@spreadsheets_option
@click.option("--for", "target", metavar="ENGINE", help="Print the age as SQL for that engine.")
@click.option("--date-table", metavar="T", help="With --for: the date table of business days.")
@picture_options
@json_option
@locale_option
@reading_options
@basis_options_but("defaults")
@needs("write", "replace", "for_spreadsheets")
def command(
    request: Request,
    name: str,
    since: str,
    until: str | None,
    unit: str,
    where: tuple[str, ...],
    rows: int | None,
    write: str | None,
    replace: bool,
    for_spreadsheets: bool,
    target: str | None,
    date_table: str | None,
    picture: str | None,
    size: str | None,
    as_json: bool,
) -> None:
    """Print how old the rows of SOURCE are, the open ones apart.

    The age is the largest N for which 'at least N UNITS ago' keeps the row. Rows without an end are
    measured to today, or to --as-of.

    \b
      ulnager ages demo:work_orders --since raised_on --until closed_on --unit "business day" \\
          --rows 5 --picture ages.png
    """
    from ulnager.numbers.ages import ages

    if size is not None and picture is None:
        raise SettingError("--size is of a picture; say --picture FILE")
    if request.locale is not None and picture is None:
        raise SettingError("--locale is of a picture; say --picture FILE")
    words = words_of(request.locale)
    if rows is not None and rows < 1:
        raise SettingError(f"--rows is {rows}; give a number from 1 on")
    if target is not None:
        _show_sql(request, since, until, unit, target, date_table)
        return
    if date_table is not None:
        raise SettingError("--date-table is for SQL; say --for ENGINE")
    _, tz = request.looked_at(name, since)
    found = ages(
        request.opened(name),
        since,
        until,
        unit=unit,
        where=values_where(where),
        tz=tz,
        calendar=request.chosen_calendar,
        today=request.today,
        as_of=request.as_of,
        now=request.now,
    )
    if picture is not None:
        from ulnager.pictures.age_distribution import draw_ages

        said = "Ages of {0} from {1} to {2}" if until else "Ages of {0} since {1}"
        title = words.say(said, name.removeprefix("demo:"), since, until or "")
        draw_ages(found, picture, title=title, size=size, words=words)
        echo(f"drawn into {picture}", err=True)
    if write is not None:
        count = found.write(write, replace=replace, for_spreadsheets=for_spreadsheets)
        echo(f"{count:,} rows written to {write}", err=True)
    if as_json:
        plain = found.to_dict()
        if rows is not None:
            plain["oldest"] = [
                {key: _plain(one) for key, one in zip(found.columns, row, strict=True)}
                for row in found.oldest(rows)
            ]
        show_json(plain)
        return
    if rows is not None:
        show_table(found.columns, found.oldest(rows), (found.columns[-1],))
        echo()
    show_table(
        (f"age in {found.unit.plural}", "rows", "open", "ended"),
        [(str(row.age), row.rows, row.open, row.closed) for row in found.rows],
        ("rows", "open", "ended"),
    )
    show_pairs(
        [
            ("", ""),
            ("rows", f"{found.open:,} open, {found.closed:,} ended, as of {found.anchor}"),
            ("median", "none" if found.median is None else f"{found.median:g} {found.unit.plural}"),
            (
                "left out",
                f"{found.later:,} begin later, {found.reversed:,} end before they begin, "
                f"{found.nulls:,} have no date",
            ),
        ]
    )


def _show_sql(
    request: Request, since: str, until: str | None, unit: str, target: str, table: str | None
) -> None:
    """The age as an expression for an engine, live unless a day is said."""
    from ulnager.filters.sql_text import sql_text
    from ulnager.numbers.age_sql import age

    said = {"today": request.today, "as_of": request.as_of, "now": request.now}
    when: Any = {key: one for key, one in said.items() if one is not None}
    found = age(
        since,
        until,
        unit=unit,
        live=not when,
        calendar=request.chosen_calendar,
        date_table=table,
        **when,
    )
    echo(sql_text(found, target))


def _plain(value: Any) -> Any:
    is_plain = value is None or isinstance(value, (bool, int, float, str))
    return value if is_plain else str(value)

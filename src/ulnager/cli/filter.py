"""``ulnager filter``: a condition that keeps the rows of a period."""

from __future__ import annotations

import click

from ulnager.cli.request import Request, basis_options, data_options, json_option
from ulnager.cli.show import show_json
from ulnager.core.errors import FilterError
from ulnager.core.resolution import Resolution
from ulnager.filters.columns import COLUMN_TYPES
from ulnager.filters.sql import DIALECTS, compiled, condition
from ulnager.filters.standards import STANDARDS
from ulnager.language.period import as_day

_TARGETS = (*DIALECTS, *STANDARDS)


@click.command("filter")
@click.argument("phrase", metavar="PERIOD")
@click.option("--column", required=True, metavar="C", help="The column to filter by.")
@click.option(
    "--type",
    "column_type",
    metavar="TYPE",
    type=click.Choice(list(COLUMN_TYPES)),
    default="date",
    show_default=True,
    help=f"What the column holds: {', '.join(COLUMN_TYPES)}. Instants need --tz.",
)
@click.option(
    "--for",
    "target",
    metavar="TARGET",
    type=click.Choice(_TARGETS),
    default="ansi",
    show_default=True,
    help=f"The engine or the standard: {', '.join(_TARGETS)}.",
)
@click.option(
    "--bound/--literal",
    default=False,
    help="Parameters, listed on standard error, or values in the text. [default: literal]",
)
@click.option("--live", is_flag=True, help="SQL that works out its dates when it runs.")
@click.option("--latest-in", metavar="TABLE.COLUMN", help="With --live: what answers for latest.")
@click.option("--run", "run_on", metavar="SOURCE", help="Also count the rows that it keeps there.")
@json_option
@data_options
@basis_options
def command(
    request: Request,
    phrase: str,
    column: str,
    column_type: str,
    target: str,
    bound: bool,
    live: bool,
    latest_in: str | None,
    run_on: str | None,
    as_json: bool,
) -> None:
    """Print a condition that keeps the rows of PERIOD, ready to paste.

    The dates are frozen, unless it is --live: then the engine works them out from its own
    clock every day, and --today fixes that clock to try another day.

    \b
      ulnager filter "month to date" --column sailed_on
      ulnager filter "2026-03" --column scanned_at --type timestamptz --tz America/Halifax
      ulnager filter "last 3 whole months" --column sailed_on --for postgresql --live
      ulnager filter "last 7 whole days" --column sailed_on --for odata
    """
    if live and run_on is not None:
        raise FilterError(
            "--run counts the rows of frozen dates; run a live condition where it lives"
        )
    if live:
        _print_live(request, phrase, column, column_type, target, latest_in, as_json)
        return
    result = request.resolve(phrase, request.basis(phrase))
    if target in STANDARDS:
        text = STANDARDS[target](result, column, column_type=column_type, tz=request.tz)
        values: dict[str, str] = {}
    else:
        made = condition(
            result, column, column_type=column_type, tz=request.tz, target=target,
            literal=not bound,
        )  # fmt: skip
        text, values = made.text, {name: str(value) for name, value in made.parameters.items()}
    counted = {} if run_on is None else {"rows": _counted(request, result, run_on, column)}
    if as_json:
        made_of = {"period": str(result.period), "condition": text, "parameters": values}
        show_json({**made_of, **counted})
        return
    click.echo(text)
    for rows in counted.values():
        click.echo(f"it keeps {rows['kept']:,} of {rows['total']:,} rows of {run_on}", err=True)
    for name, value in values.items():
        click.echo(f":{name} = {value}", err=True)
    for note in result.notes:
        click.echo(f"note: {note}", err=True)


def _counted(request: Request, result: Resolution, source: str, column: str) -> dict[str, int]:
    from ulnager.sources.preview import preview

    found = preview(result, request.opened(source), column, tz=request.tz, rows=0)
    return {"kept": found.kept, "total": found.total}


def _print_live(
    request: Request,
    phrase: str,
    column: str,
    column_type: str,
    target: str,
    latest_in: str | None,
    as_json: bool,
) -> None:
    from ulnager.filters.live import live_where

    if request.as_of is not None:
        raise FilterError("a live condition has no --as-of; write it into the phrase: '… as of …'")
    table, _, dates = (latest_in or "").rpartition(".")
    if latest_in and not table:
        raise FilterError(f"--latest-in is {latest_in!r}; give a table and a column: trips.day")
    book = request.open_book
    period = request.named(phrase)
    clause = live_where(
        period,
        column,
        column_type=column_type,
        tz=request.tz,
        calendar=request.chosen_calendar,
        calendars=book.calendars if book else None,
        defaults=book.defaults if book else None,
        latest=(table, dates) if latest_in else None,
        today=None if request.today is None else as_day(request.today, "--today"),
    )
    if target not in DIALECTS:
        raise FilterError(f"a live condition cannot be written for {target!r}; name an engine")
    text = compiled(clause, DIALECTS[target](), literal=True).text
    if as_json:
        show_json({"period": str(period), "condition": text, "live": True})
    else:
        click.echo(text)

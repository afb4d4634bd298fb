"""``ulnager filter``: a condition that keeps the rows of a period."""

from __future__ import annotations

import click

from ulnager.cli.request import Request, basis_options, data_options, json_option
from ulnager.cli.show import show_json


@click.command("filter")
@click.argument("phrase", metavar="PERIOD")
@click.option("--column", required=True, metavar="C", help="The column to filter by.")
@click.option(
    "--type",
    "column_type",
    type=click.Choice(["date", "timestamp", "timestamptz"]),
    default="date",
    show_default=True,
    help="What the column holds; timestamptz are instants and need --tz.",
)
@click.option(
    "--for",
    "target",
    type=click.Choice(["ansi", "duckdb", "postgresql", "mysql", "sqlite"]),
    default="ansi",
    show_default=True,
    help="The engine that will run it.",
)
@click.option(
    "--bound/--literal",
    default=False,
    help="Parameters, listed on standard error, or values in the text. [default: literal]",
)
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
    as_json: bool,
) -> None:
    """Print a SQL condition that keeps the rows of PERIOD, ready to paste.

    \b
      ulnager filter "month to date" --column sailed_on
      ulnager filter "2026-03" --column scanned_at --type timestamptz --tz America/Halifax
    """
    from ulnager.filters.sql import condition

    result = request.resolve(phrase, request.basis(phrase))
    made = condition(
        result, column, column_type=column_type, tz=request.tz, target=target, literal=not bound
    )
    values = {name: value.isoformat() for name, value in made.parameters.items()}
    if as_json:
        show_json({"period": str(result.period), "condition": made.text, "parameters": values})
        return
    click.echo(made.text)
    for name, value in values.items():
        click.echo(f":{name} = {value}", err=True)
    for note in result.notes:
        click.echo(f"note: {note}", err=True)

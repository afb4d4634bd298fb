"""``ulnager readings``: every way to read a phrase, side by side."""

from __future__ import annotations

import click

from ulnager.cli.help import Command
from ulnager.cli.request import Request, basis_options, data_options, json_option
from ulnager.cli.show import show_json, show_table


@click.command("readings", cls=Command)
@click.argument("phrase", metavar="PERIOD")
@json_option
@data_options
@basis_options
def command(request: Request, phrase: str, as_json: bool) -> None:
    """Print every reading of PERIOD with its dates and days, the default first.

    \b
      ulnager readings "last 3 months"
      ulnager readings "next 2 weeks" --today 2026-05-20
    """
    readings = request.named(phrase).readings()
    basis = request.basis(phrase)
    results = {name: request.resolve(str(way), basis) for name, way in readings.items()}
    if as_json:
        show_json([{"reading": name, **result.to_dict()} for name, result in results.items()])
        return
    show_table(
        ("reading", "phrase", "start", "end", "days"),
        [
            (name, result.period, result.start, result.end, result.days)
            for name, result in results.items()
        ],
        right=("days",),
    )

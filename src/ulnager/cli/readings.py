"""``ulnager readings``: every way to read a phrase, side by side."""

from __future__ import annotations

import click

from ulnager.cli.help import Command
from ulnager.cli.request import Request, basis_options, data_options, json_option
from ulnager.cli.show import show_json, show_table
from ulnager.core.periods.anchors import Defaults


@click.command("readings", cls=Command)
@click.argument("phrase", metavar="PERIOD")
@json_option
@data_options
@basis_options
def command(request: Request, phrase: str, as_json: bool) -> None:
    """Print every reading of PERIOD with its dates and days, the default first; then the phrases
    near by that are taken for it.

    Of a name in the book, its anchor, its calendar and its default reading count.

    \b
      ulnager readings "last 3 months"
      ulnager readings "next 2 weeks" --today 2026-05-20
    """
    period, basis = request.named(phrase), request.basis(phrase)
    readings = list(period.readings().items())
    chosen = (basis["defaults"] or Defaults())._asdict().get(period.family)
    readings.sort(key=lambda pair: pair[0] != chosen)
    ways = [*readings, *(("near by", other) for other in period.neighbours())]
    results = [(name, request.resolve_as(phrase, way, basis)) for name, way in ways]
    if as_json:
        show_json([{"reading": name, **result.to_dict()} for name, result in results])
        return
    show_table(
        ("reading", "phrase", "start", "end", "days"),
        [(name, result.period, result.start, result.end, result.days) for name, result in results],
        right=("days",),
    )

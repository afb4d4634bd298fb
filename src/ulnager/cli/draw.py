"""``ulnager draw``: a picture of periods on a timeline."""

from __future__ import annotations

import click

from ulnager.cli.help import Command
from ulnager.cli.request import Request, basis_options, data_options
from ulnager.cli.show import echo


@click.command("draw", cls=Command)
@click.argument("phrases", metavar="PERIOD...", nargs=-1, required=True)
@click.option("--by", "unit", default="month", show_default=True, help="The unit that is marked.")
@click.option("--to", "target", required=True, metavar="FILE", help="A PNG or SVG file.")
@data_options
@basis_options
def command(request: Request, phrases: tuple[str, ...], unit: str, target: str) -> None:
    """Draw one or more PERIODs on a timeline, with the units, the anchor and the data.

    The part of the unit around the anchor that is still to come is hatched.

    \b
      ulnager draw "last 3 whole months" "month to date" --today 2026-05-20 --to periods.png
    """
    from ulnager.pictures.timeline import draw_timeline

    basis = request.basis(" ".join(phrases), whole=True)
    results = [request.resolve(phrase, basis) for phrase in phrases]
    book = request.open_book
    named = book.periods if book else {}
    labels = [(named[text].label or text) if text in named else text for text in phrases]
    draw_timeline(results, target, unit=unit, data=basis.get("data"), labels=labels)
    echo(f"drawn into {target}", err=True)

"""``ulnager buckets``: the units that a period touches, and which are whole."""

from __future__ import annotations

import click

from ulnager.cli.help import Command
from ulnager.cli.request import Request, basis_options, data_options, json_option
from ulnager.cli.show import show_json, show_table


@click.command("buckets", cls=Command)
@click.argument("phrase", metavar="PERIOD")
@click.option("--by", "unit", required=True, metavar="UNIT", help="The unit: week, month, …")
@click.option(
    "--partial",
    type=click.Choice(["mark", "drop", "keep"]),
    default="mark",
    show_default=True,
    help="What happens to units that are not whole.",
)
@json_option
@data_options
@basis_options
def command(request: Request, phrase: str, unit: str, partial: str, as_json: bool) -> None:
    """Print the units that PERIOD touches: their bounds, days, and why one is not whole.

    With a source, days without rows and the end of the data count too.

    \b
      ulnager buckets "last 3 months to date" --by month --source demo:sailings
    """
    basis = request.basis(phrase, whole=True)
    found = request.resolve(phrase, basis).buckets(unit, partial, basis.get("data"))
    if as_json:
        show_json([bucket.to_dict() for bucket in found])
        return
    show_table(
        (unit, "start", "end", "days", "of", "whole", "because"),
        [
            (b.label, b.start, b.end, b.days, b.unit_days, "yes" if b.is_whole else "no",
             ", ".join(b.reasons))
            for b in found
        ],
        right=("days", "of"),
    )  # fmt: skip

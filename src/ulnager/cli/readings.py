"""``ulnager readings``: every way to read a phrase, side by side."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Final

import click

from ulnager.cli.help import Command
from ulnager.cli.output import echo, show_json, show_table
from ulnager.cli.phrases import period_argument
from ulnager.cli.request import Request, basis_options, data_options, json_option
from ulnager.core.errors import PeriodSyntaxError
from ulnager.core.language.period import Period
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.resolution import Resolution

# What is shown where nothing is near: a few of the forms that there are.
_COMMON: Final = ("today", "last 7 days", "last 3 whole months", "month to date", "previous month")


@click.command("readings", cls=Command)
@period_argument()
@json_option
@data_options
@basis_options
def command(request: Request, phrase: str, as_json: bool) -> None:
    """Print every reading of PERIOD with its dates and days, the default first; then the phrases
    near by that are taken for it.

    Of a name in the book, its anchor, its calendar and its default reading count. What cannot be
    read is answered with the phrases that are nearest.

    \b
      ulnager readings "last 3 months"
      ulnager readings "next 2 weeks" --today 2026-05-20
    """
    basis = request.basis(phrase)
    try:
        period = request.named(phrase)
    except PeriodSyntaxError as error:
        _show_nearest(request, error, basis, as_json)
        return
    readings = list(period.readings().items())
    chosen = (basis["defaults"] or Defaults())._asdict().get(period.family)
    readings.sort(key=lambda pair: pair[0] != chosen)
    ways = [*readings, *(("near by", other) for other in period.neighbours())]
    _show([(name, request.resolve_as(phrase, way, basis)) for name, way in ways], as_json)


def _show_nearest(
    request: Request, error: PeriodSyntaxError, basis: dict[str, Any], as_json: bool
) -> None:
    """The phrases nearest to one that cannot be read, each with its readings."""
    echo(f"{error.phrase!r} is no phrase: {error.problem}; the nearest are:", err=True)
    found: dict[Period, tuple[str, Resolution]] = {}
    for text in error.suggestions or _COMMON:
        for name, way in request.named(text).readings().items():
            told = "nearest" if name == "only" else f"nearest, {name}"
            found.setdefault(way, (told, request.resolve_as(text, way, basis)))
    _show(found.values(), as_json)


def _show(results: Iterable[tuple[str, Resolution]], as_json: bool) -> None:
    if as_json:
        show_json([{"reading": name, **result.to_dict()} for name, result in results])
        return
    show_table(
        ("reading", "phrase", "start", "end", "days"),
        [(name, result.period, result.start, result.end, result.days) for name, result in results],
        right=("days",),
    )

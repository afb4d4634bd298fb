"""``ulnager readings``: every way to read a phrase, side by side."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Final

import click

from ulnager.cli.help import Command
from ulnager.cli.options import basis_options, data_options, json_option, period_argument
from ulnager.cli.output import echo, last_shown, show_json, show_pairs, show_table, spans_text
from ulnager.cli.request import Request
from ulnager.core.errors import PeriodSyntaxError, SettingError, UlnagerError
from ulnager.core.language.period import Period
from ulnager.core.language.phrase import near_by
from ulnager.core.periods.anchors import Defaults
from ulnager.core.periods.resolution import Resolution
from ulnager.filters.columns import COLUMN_TYPES

# What is shown where nothing is near: a few of the forms that there are.
_MOST_PARTS: Final = 4
_COMMON: Final = ("today", "last 7 days", "last 3 whole months", "month to date", "previous month")


@click.command("readings", cls=Command)
@period_argument(required=False)
@click.option("--sql", metavar="CONDITION", help="Say which phrase a condition of SQL is.")
@click.option("--dialect", metavar="NAME", help="Of that condition. [default: duckdb]")
@click.option(
    "--type",
    "column_type",
    type=click.Choice(list(COLUMN_TYPES)),
    help="With --sql: what its column holds. [default: date]",
)
@json_option
@data_options
@basis_options
def command(
    request: Request,
    phrase: str | None,
    sql: str | None,
    dialect: str | None,
    column_type: str | None,
    as_json: bool,
) -> None:
    """Print every reading of PERIOD with its dates and days, the default first; then the phrases
    near by that are taken for it.

    Of a name in the book, its anchor, its calendar and its default reading count. What cannot be
    read is answered with the phrases that are nearest.

    \b
      ulnager readings "last 3 months"
      ulnager readings "next 2 weeks" --today 2026-05-20
      ulnager readings --sql "d >= current_date - 7 AND d < current_date" --dialect postgresql
    """
    if sql is not None:
        if phrase is not None:
            raise click.UsageError("give PERIOD, or --sql CONDITION; not both")
        _show_recognised(request, sql, dialect or "duckdb", column_type or "date", as_json)
        return
    if phrase is None:
        raise click.UsageError("say a PERIOD, or --sql CONDITION")
    if dialect is not None or column_type is not None:
        raise SettingError("--dialect and --type are of a condition; say --sql CONDITION")
    basis = request.basis(phrase)
    try:
        period = request.closed(phrase)
    except PeriodSyntaxError as error:
        _show_nearest(request, error, basis, as_json)
        return
    readings = list(period.readings().items())
    chosen = (basis["defaults"] or Defaults())._asdict().get(period.family)
    readings.sort(key=lambda pair: pair[0] != chosen)
    found = [(name, request.resolve_as(phrase, way, basis)) for name, way in readings]
    for way in near_by(period, found[0][1]):
        found.append(("near by", request.resolve_as(phrase, way, basis)))
    _show(found, as_json)


def _show_recognised(
    request: Request, sql: str, dialect: str, column_type: str, as_json: bool
) -> None:
    from ulnager.checking.recognising import recognise

    found = recognise(
        sql, target=dialect, column_type=column_type, calendar=request.chosen_calendar
    )
    if as_json:
        show_json(found.to_dict())
        return
    if found.phrase is not None:
        zone = f"the days of {found.zone}: --tz {found.zone}"
        show_pairs(
            [
                ("phrase", str(found.phrase)),
                ("dates", _dates_now(request, found.phrase)),
                *([("zone", zone)] if found.zone else []),
            ]
        )
    elif found.nearest is not None:
        days = sum((last - first).days + 1 for first, last in found.part_on)
        told = [str(a) if a == b else f"{a} to {b}" for a, b in found.part_on[:_MOST_PARTS]]
        listed = ", ".join(told) + (", …" if len(found.part_on) > _MOST_PARTS else "")
        show_pairs(
            [
                ("phrase", "none has the same rows"),
                ("nearest", str(found.nearest)),
                *(
                    [("part on", f"{days:,} of the days from 2024 to 2026: {listed}")]
                    if days
                    else []
                ),
                *([("but", found.why)] if found.why else []),
            ]
        )
    else:
        show_pairs([("phrase", "none can be told"), ("because", found.why)])


def _dates_now(request: Request, phrase: Period) -> str:
    """Its dates, or what is wanted for them: the phrase is told in any case."""
    try:
        basis = request.basis(str(phrase))
        return spans_text(request.resolve_as(str(phrase), phrase, basis))
    except UlnagerError as error:
        return f"not told: {error}"


def _show_nearest(
    request: Request, error: PeriodSyntaxError, basis: dict[str, Any], as_json: bool
) -> None:
    """The phrases nearest to one that cannot be read, each with its readings."""
    echo(f"{error.phrase!r} is no phrase: {error.problem}; the nearest are:", err=True)
    found: dict[Period, tuple[str, Resolution]] = {}
    for text in error.suggestions or _COMMON:
        for name, way in request.closed(text).readings().items():
            told = "nearest" if name == "only" else f"nearest, {name}"
            found.setdefault(way, (told, request.resolve_as(text, way, basis)))
    _show(found.values(), as_json)


def _show(results: Iterable[tuple[str, Resolution]], as_json: bool) -> None:
    if as_json:
        show_json([{"reading": name, **result.to_dict()} for name, result in results])
        return
    show_table(
        ("reading", "phrase", "start", "end", "days"),
        [
            (name, result.period, result.start, last_shown(result), result.days)
            for name, result in results
        ],
        right=("days",),
    )

"""``ulnager resolve``: the dates of a period, and why."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

import click

from ulnager.cli.help import Command
from ulnager.cli.options import (
    basis_options,
    data_options,
    json_option,
    locale_option,
    period_argument,
)
from ulnager.cli.output import echo, length_text, show_json, show_pairs, show_steps
from ulnager.cli.request import Request
from ulnager.core.errors import SettingError
from ulnager.core.periods.resolution import InstantResolution, Resolution


@click.command("resolve", cls=Command)
@period_argument()
@click.option("--explain", is_flag=True, help="Say step by step how the dates came about.")
@click.option(
    "--plain",
    is_flag=True,
    help="The first and the last date alone, for shells: 2026-02-01 2026-04-30.",
)
@json_option
@data_options
@locale_option
@basis_options
def command(request: Request, phrase: str, explain: bool, plain: bool, as_json: bool) -> None:
    """Print the dates of PERIOD: a phrase, or a name from the book.

    \b
      ulnager resolve "last 3 whole months"
      ulnager resolve "month to date" --as-of 2026-05-17 --explain
      ulnager resolve "last 7 whole days as of latest" --source demo:sailings
      read first last < <(ulnager resolve "last 3 whole months" --plain)
    """
    if plain and (explain or as_json):
        raise SettingError("--plain is the dates alone; leave --explain and --json out")
    result = request.resolve(phrase, request.basis(phrase))
    if plain:
        # An open side is two dots, as in ISO 8601; a line for each span, none for no dates.
        for span in result.spans:
            last = span.stop if isinstance(result, InstantResolution) else span.end
            echo(f"{_plain(span.start)} {_plain(last)}")
        return
    if as_json:
        show_json(result.to_dict(steps=explain))
        return
    book = request.open_book
    named = book.periods.get(phrase) if book else None
    if named is not None:
        show_pairs([("name", f"{named.name}: {named.label or result.label}"), *_pairs(result)])
    else:
        show_pairs(_pairs(result))
    if explain:
        echo()
        show_steps(result.steps)


def _plain(day: date | None) -> str:
    return ".." if day is None else day.isoformat()


def _pairs(result: Resolution) -> Iterator[tuple[str, str]]:
    yield "period", str(result.period)
    if result.is_empty:
        yield "dates", "none"
    for place, span in enumerate(result.spans):
        yield ("" if place else "dates"), str(span)
    yield "length", length_text(result) or "no limit"
    yield "label", result.label
    yield "anchor", str(result.anchor)
    yield "calendar", str(result.calendar)
    for note in result.notes:
        yield "note", note

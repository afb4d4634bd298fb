"""``ulnager profile``: what a date column holds, and which anchor it suggests."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import click

from ulnager.cli.help import Command
from ulnager.cli.options import (
    basis_options_but,
    json_option,
    key_option,
    locale_option,
    reading_options,
)
from ulnager.cli.output import echo, show_json, show_pairs
from ulnager.cli.request import HOW_READ, Request
from ulnager.core.errors import SettingError
from ulnager.core.periods.clock import as_day
from ulnager.core.words import words_of

if TYPE_CHECKING:
    from ulnager.sources.profile import Profile


@click.command("profile", cls=Command)
@click.argument("names", metavar="SOURCE...", nargs=-1, required=True)
@click.option("--column", metavar="C", help="A date column. [default: every one there is]")
@key_option
@click.option(
    "--share", type=float, help="The part of a usual day's rows that makes it whole. [default: 0.6]"
)
@click.option("--key", metavar="C", help="A column whose values should occur once.")
@click.option("--picture", metavar="FILE", help="Draw the rows of each day into a PNG or SVG file.")
@click.option("--to-book", metavar="FILE", help="Write a book to begin with into that file.")
@json_option
@reading_options
@locale_option
@basis_options_but("as_of", "defaults")
def command(
    request: Request,
    names: tuple[str, ...],
    column: str | None,
    column_type: str | None,
    share: float | None,
    key: str | None,
    picture: str | None,
    to_book: str | None,
    as_json: bool,
) -> None:
    """Print what the date columns of SOURCE hold: their dates, gaps and last whole day.

    SOURCE is a CSV or Parquet file, a pattern such as 'sales/*.parquet' or several files, which
    are read as one, a database's URL with --table, a demo table such as demo:sailings, or the name
    of a source in the book. A day is whole when it has 60% of the
    rows that are usual for its weekday: the median of the 8 weeks before. With a calendar, its
    days off are not missed.

    \b
      ulnager profile demo:sailings --today 2026-05-20
      ulnager profile demo:gate_scans --tz America/Halifax --picture scans.png
      ulnager profile sales.csv --to-book book.toml
    """
    if request.locale is not None and to_book is None:
        raise SettingError("--locale is for the book that --to-book begins; name that too")
    profiles, needed = request.profiles(names, column, share, key, column_type)
    if to_book is not None:
        _begin_book(request, names, profiles, to_book, column_type)
    if picture is not None:
        from ulnager.pictures.day_calendar import draw_profile

        draw_profile(profiles[0], picture)
    if as_json:
        show_json([found.to_dict() for found in profiles])
        for text in needed:
            echo(f"note: {text}", err=True)
        return
    for place, found in enumerate(profiles):
        if place:
            echo()
        show_pairs(_pairs(found))
    for text in (*needed, *_numbers_as_text(request, names)):
        echo(f"note: {text}", err=True)
    if picture is not None:
        echo(f"drawn into {picture}", err=True)


def _numbers_as_text(request: Request, names: tuple[str, ...]) -> Iterator[str]:
    """The columns of text that hold numbers, which nobody can add up as they are."""
    from ulnager.numbers.number_kinds import texts_of_numbers

    for column, sample in texts_of_numbers(request.opened(*names)).items():
        yield f"the column {column!r} holds numbers as text, such as {sample!r}: --decimal ','"


def _begin_book(
    request: Request,
    names: tuple[str, ...],
    profiles: list[Profile],
    file: str,
    column_type: str | None,
) -> None:
    """Write a book with that source, and say how to go on."""
    from ulnager.book.suggested_book import starting_book, write_book

    if len(names) > 1 or names[0].startswith("demo:") or names[0] == "-":
        raise SettingError(
            "--to-book begins with one file, or with one table of a database; name the source in "
            "the book by hand"
        )
    if len(profiles) > 1:
        columns = ", ".join(found.column for found in profiles)
        raise SettingError(f"--to-book takes one date column; say which: --column ({columns})")
    given = {
        name: value for name in HOW_READ if (value := getattr(request, name)) not in (None, ())
    }
    if "open_ended" in given:
        given["open_ended"] = [as_day(text, "--open-ended") for text in request.open_ended]
    if column_type is not None:
        given["column_type"] = column_type
    place = _of_database(names[0], request.table, Path(file)) or _of_file(names[0], Path(file))
    words = None if request.locale is None else words_of(request.locale)
    calendar, starts = request.said_calendar, request.chosen_start
    text = starting_book(profiles[0], place, given, request.tz, words, calendar, starts)
    write_book(text, file)
    opened = f"--book {file}{' --allow-outside' if _is_outside(place, Path(file)) else ''}"
    echo(
        f"written: {file}; try 'ulnager show home {opened}', or in a browser 'ulnager serve "
        f"{opened}'",
        err=True,
    )


def _of_file(name: str, file: Path) -> str:
    """Where a file is, from the book's folder."""
    source, book = Path(name).resolve(), file.resolve()
    if not source.is_relative_to(book.parent):
        raise SettingError(
            f"a book reads files in and below its own folder; write it beside the data: "
            f"--to-book {source.parent / book.name}"
        )
    return str(source.relative_to(book.parent))


def _of_database(name: str, table: str | None, file: Path) -> dict[str, str] | None:
    """The URL and the table of a database, and where its password is; None for another source."""
    from sqlalchemy.engine import make_url

    from ulnager.sources.opening import database_file

    engine = database_file(name)
    if engine is None and "://" not in name:
        return None
    url = f"{engine}:///{_of_file(name, file)}" if engine else name
    known = make_url(url)
    found = {"url": known._replace(password=None).render_as_string(), "table": table or ""}
    if known.password is not None or (known.host and "ULNAGER_PASSWORD" in os.environ):
        # A password is never written into a book.
        found["password_env"] = "ULNAGER_PASSWORD"
    return found


def _is_outside(place: str | dict[str, str], file: Path) -> bool:
    """Whether a book with that source is opened with --allow-outside only."""
    from ulnager.book.file_text import House

    if isinstance(place, str):
        return False
    try:
        House(file.resolve().parent, False, {}).url(place["url"])
    except SettingError:
        return True
    return False


def _pairs(found: Profile) -> Iterator[tuple[str, str]]:
    yield "column", f"{found.column} of {found.source}"
    if found.date_format is not None:
        yield "written", f"as {found.date_format}"
    yield "rows", f"{found.rows:,}, {found.nulls:,} of them without a date"
    yield "dates", found.dates_told
    if found.stand_ins:
        told = [f"{day} in {n:,} row{'s' * (n > 1)}" for day, n in found.stand_ins.items()]
        yield "none", f"{', '.join(told)}, which stand{'s' * (len(told) == 1)} for no date"
    unit = "day" if found.grain is None else found.grain.unit.name
    if found.grain is not None:
        extent = found.extent
        yield "grain", f"{found.grain}: {extent.first} to {extent.last}"
    yield (
        f"rows a {unit}",
        (f"{found.median:,.0f} usually, {found.smallest:,} at least, {found.largest:,} at most"),
    )
    if found.closed:
        yield "closed", found.closed_told
    days = sum(span.days or 0 for span in found.missing)
    spans = ", ".join(str(span) for span in found.missing[:12])
    more = f" and {len(found.missing) - 12} more spans" if len(found.missing) > 12 else ""
    counted = f"{days:,} day{'s' * (days > 1)} without rows"
    if found.grain is not None:
        units = found.grain.count(
            (s.start.toordinal(), s.stop.toordinal()) for s in found.missing if s.start and s.stop
        )
        counted = f"{found.grain.unit.counted(units)} without rows"
    yield "missing", f"{counted}: {spans}{more}" if days else f"no {unit}"
    if found.after_today:
        yield "after today", f"{found.after_today:,} rows"
    if found.duplicates is not None:
        yield "duplicates", f"{found.duplicates:,} rows repeat a key"
    yield "last whole", str(found.last_whole)
    for text in found.evidence[:3]:
        yield "evidence", text
    if len(found.evidence) > 3:
        yield "", f"and {len(found.evidence) - 3} more days like that"
    yield "anchor", f"{found.anchor}: {found.because}"

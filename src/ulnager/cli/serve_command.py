"""``ulnager serve``: a book in a browser, and over HTTP."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from ulnager.cli.check_command import show
from ulnager.cli.help import Command
from ulnager.core.errors import BookError
from ulnager.demo import named_book

if TYPE_CHECKING:
    from ulnager.book.book import Book

_LOOPBACK = ("127.0.0.1", "localhost", "::1")


@click.command("serve", cls=Command)
@click.option("--host", default="127.0.0.1", show_default=True, help="The address to listen on.")
@click.option(
    "--port",
    default=8000,
    show_default=True,
    type=click.IntRange(0, 65535),
    help="The port; 0 takes a free one.",
)
@click.option(
    "--name",
    "names",
    metavar="HOST",
    multiple=True,
    help="A name that it answers to, beside its address; '*' for any.",
)
@click.option("--book", metavar="FILE", help="The book; demo:ferries is the demo's.")
@click.option("--today", metavar="DATE", help="A day at which the clock stands. [default: now]")
@click.option(
    "--any-day", is_flag=True, help="Let viewers set the day; of no book with a link_key."
)
@click.option(
    "--allow-outside", is_flag=True, help="Let the book read what is not below its own folder."
)
def command(
    host: str,
    port: int,
    names: tuple[str, ...],
    book: str | None,
    today: str | None,
    any_day: bool,
    allow_outside: bool,
) -> None:
    """Serve the book: a page for each of its pages, and JSON for any front end; without a book a
    page to try phrases.

    \b
      ulnager serve --book periods.toml
      ulnager serve --book demo:ferries --today 2026-05-20
    """
    from ulnager.web.server import run

    opened = _checked(named_book(book or "demo:empty"), today, allow_outside=allow_outside)
    hosts = () if "*" in names else tuple(dict.fromkeys((*_own(host), *names)))
    run(opened, host, port, today, hosts, any_day=any_day)


def _own(host: str) -> tuple[str, ...]:
    """The names of an address; of one that is not this machine's alone, it must be told."""
    if host in _LOOPBACK:
        return _LOOPBACK
    return (host,)


def _checked(path: str | Path, today: str | None, *, allow_outside: bool) -> Book:
    """The book; where it cannot be read, its mistakes are told and nothing is served.

    What its data does to it is no reason not to be served: that may change at any time.
    """
    from ulnager.book.book_reader import read_book
    from ulnager.checking.check_book import check

    try:
        return read_book(path, allow_outside=allow_outside)
    except BookError:
        findings = check(path, today=today, allow_outside=allow_outside)
        show([one for one in findings if one.severity == "error"])
        raise

"""``ulnager check``: mistakes and doubtful definitions in a book, or in SQL."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import click

from ulnager.cli.help import Command
from ulnager.cli.options import json_option
from ulnager.cli.output import echo, show_json, width
from ulnager.core.errors import SettingError, SourceError
from ulnager.core.text import visible

if TYPE_CHECKING:
    from ulnager.checking.findings import Finding


@click.command("check", cls=Command)
@click.argument("names", nargs=-1, metavar="[BOOK|FILE.sql]...")
@click.option("--sql", metavar="FILE", help="SQL from a file of any name, or - for standard input.")
@click.option("--dialect", metavar="NAME", help="Of SQL. [default: duckdb]")
@click.option(
    "--type",
    "column_type",
    metavar="TYPE",
    help="Of SQL: what its date columns hold. [default: by their names]",
)
@click.option("--today", metavar="DATE", help="The clock's day. [default: now]")
@click.option("--since", metavar="VERSION", help="Also what means other things than in 0.2.")
@click.option("--strict", is_flag=True, help="Warnings fail, too.")
@click.option("--sarif", "as_sarif", is_flag=True, help="Print SARIF 2.1.0, for code hosts.")
@click.option(
    "--allow-outside", is_flag=True, help="Let the book read what is not below its own folder."
)
@json_option
@click.pass_context
def command(
    context: click.Context,
    names: tuple[str, ...],
    sql: str | None,
    dialect: str | None,
    column_type: str | None,
    today: str | None,
    since: str | None,
    strict: bool,
    as_sarif: bool,
    allow_outside: bool,
    as_json: bool,
) -> None:
    """Print the mistakes and doubtful definitions in BOOK, or in SQL, each with its line, what it
    does to a viewer, and what would be right.

    Of SQL, its date conditions, and which phrase each of them is. Exit 0 when there is no error
    (with --strict: no warning), else 1. A finding that is as it should be is accepted in the book,
    with a reason: accept = { stale = "that summer is history" }.

    \b
      ulnager check book.toml
      ulnager check demo:careless --today 2026-05-20
      ulnager check report.sql views/*.sql --dialect postgresql
    """
    from ulnager.checking.check_book import check
    from ulnager.checking.check_sql import check_sql
    from ulnager.checking.findings import Findings, passes
    from ulnager.demo import named_book

    if not names and sql is None:
        raise click.UsageError("say what to check: a book, or SQL: report.sql")
    # With --sql whatever is named besides is SQL, too, but for books.
    texts = [*([] if sql is None else [sql]), *(one for one in names if _is_sql(one, sql))]
    books = [one for one in names if one not in texts]
    if (dialect is not None or column_type is not None) and not texts:
        raise SettingError("--dialect and --type are of SQL; name a file of it: report.sql")
    if since is not None and not books:
        raise SettingError("--since is of a book")
    findings: list[Finding] = []
    for book in books:
        file = named_book(book)
        found = check(file, today=today, allow_outside=allow_outside, since=since)
        findings += [one._replace(file=book) if one.file == str(file) else one for one in found]
    for name in texts:
        findings += check_sql(
            _read(name), file=name, target=dialect or "duckdb", column_type=column_type, today=today
        )
    if as_sarif:
        show_json(Findings(findings).sarif())
    elif as_json:
        show_json([one.to_dict() for one in findings])
    else:
        show(findings)
    if not passes(findings, strict=strict):
        context.exit(1)


def _is_sql(name: str, sql: str | None) -> bool:
    return name.endswith(".sql") or (sql is not None and not name.endswith(".toml"))


def _read(file: str) -> str:
    try:
        with click.open_file(file, encoding="utf-8") as opened:
            return str(opened.read())
    except OSError as error:
        raise SourceError(f"{file} cannot be read: {error.strerror}") from None
    except UnicodeDecodeError:
        raise SourceError(f"{file} is not UTF-8 text") from None


def show(findings: Sequence[Finding]) -> None:
    """Findings as text, and how many there are."""
    from ulnager.checking.findings import counted

    for one in findings:
        rule = click.style(f"{one.severity} {one.rule}", bold=True)
        click.echo(f"{visible(one.file)}:{one.line}  {rule}  {visible(one.key)}".rstrip())
        _wrapped(one.message)
        if one.instead:
            _wrapped(f"→ {one.instead}")
    found = counted(findings)
    told = [f"{count:,} {name}{'s' * (count != 1)}" for name, count in found.items() if count]
    echo(", ".join(told) if told else "nothing found", err=True)


def _wrapped(text: str) -> None:
    import textwrap

    for line in text.split("\n"):
        for part in textwrap.wrap(
            visible(line), width() - 4, break_on_hyphens=False, break_long_words=False
        ):
            click.echo(f"    {part}")

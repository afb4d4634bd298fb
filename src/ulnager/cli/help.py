"""How help is laid out: commands in the order of the work, options by what they are about."""

from __future__ import annotations

from typing import Any, Final

import click

from ulnager.cli.output import working

GROUPS: Final[dict[str, dict[str, str]]] = {
    "Look": {
        "profile": "what a date column holds, and which anchor it suggests",
        "calendar": "a date table, or a membership table of periods",
    },
    "Define": {
        "resolve": "the dates of a period, and why",
        "readings": "every way to read a phrase, side by side",
        "draw": "a picture of periods on a timeline, or of one walked through the data",
        "rehearse": "a period as of many days, and the days on which it surprises",
    },
    "Filter": {
        "filter": "a condition that keeps the rows of a period",
        "preview": "which rows a period keeps and leaves out",
    },
    "Measure": {
        "buckets": "the units that a period touches, which are whole, and their values",
        "running": "a measure over each day's own period",
        "ages": "how long rows have been open",
    },
    "Offer": {
        "show": "a picker, a page or a schedule as viewers see it; or the whole book",
        "check": "mistakes and doubtful definitions in a book, or in SQL",
        "serve": "a book in a browser, and over HTTP",
    },
    "Demo": {"demo": "a full run on the demo data"},
}
COMMANDS: Final = {name: told for group in GROUPS.values() for name, told in group.items()}

# An option that is in no other group is about what the command works on.
_WORKS_ON: Final = "What it works on"
_SECTIONS: Final = {
    _WORKS_ON: (),
    "Where the data is": (
        "grain",
        "stamps",
        "open_ended",
        "source",
        "source_column",
        "table",
        "timeout",
        "delimiter",
        "header",
        "encoding",
        "decimal",
        "date_format",
    ),
    "A live condition": (
        "live",
        "latest_in",
        "latest_type",
        "date_table",
        "anchor_column",
        "anchor_type",
        "running",
    ),
    "The anchor": ("today", "as_of", "now", "tz", "day_starts", "defaults"),
    "The calendar": (
        "year_starts",
        "week_starts",
        "days_off",
        "holiday",
        "working_day",
        "book",
        "allow_outside",
        "calendar",
    ),
    "The output": (
        "as_link",
        "as_book",
        "explain",
        "rows",
        "partial",
        "target",
        "name",
        "picture",
        "bound",
        "layout",
        "size",
        "write",
        "replace",
        "to_book",
        "plain",
        "as_json",
        "codes",
        "as_sarif",
        "strict",
        "help_all",
        "help",
    ),
}
_SHARED: Final = {
    "Where the data is": ("the data", ("--source", "--table", "--delimiter")),
    "The anchor": ("the anchor", ("--today", "--as-of", "--tz")),
    "The calendar": ("the calendar", ("--book", "--year-starts")),
}
"""Sections of options that most commands have, each in words, and the best known ones."""
_ALL: Final = "ulnager.help_all"


class Command(click.Command):
    """A command whose help has its options in groups, and which says when it takes long."""

    def invoke(self, ctx: click.Context) -> Any:
        with working(f"ulnager {self.name}: working …"):
            return super().invoke(ctx)

    def get_params(self, ctx: click.Context) -> list[click.Parameter]:
        return [*super().get_params(ctx), _HELP_ALL]

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """The command's own options, and in one line what it shares with others; or all of them."""
        is_all = _ALL in ctx.meta
        grouped: dict[str, list[tuple[str, str]]] = {section: [] for section in _SECTIONS}
        for param in self.get_params(ctx):
            record = param.get_help_record(ctx)
            if record is not None and record[1]:
                grouped[_section(param.name or "")].append(record)
        shared = [
            _told(*said, [record[0].split()[0] for record in grouped[section]])
            for section, said in _SHARED.items()
            if grouped[section]
        ]
        for section, records in grouped.items():
            if records and (is_all or section not in _SHARED):
                with formatter.section(section):
                    formatter.write_dl(records)
        if shared and not is_all:
            formatter.write_paragraph()
            formatter.write_text(f"And what others have: {'; '.join(shared)}: see --help-all.")


def _told(words: str, best_known: tuple[str, ...], flags: list[str]) -> str:
    named = [flag for flag in best_known if flag in flags]
    more = ["…"] if len(named) < len(flags) else []
    return f"{words} ({', '.join([*named, *more])})"


def _show_all(ctx: click.Context, _: click.Parameter, asked: bool) -> None:
    if asked and not ctx.resilient_parsing:
        ctx.meta[_ALL] = True
        click.echo(ctx.get_help(), color=ctx.color)
        ctx.exit()


_HELP_ALL: Final = click.Option(
    ["--help-all"],
    is_flag=True,
    expose_value=False,
    is_eager=True,
    callback=_show_all,
    help="Show all options, those that others have, too.",
)


def _section(name: str) -> str:
    return next((title for title, names in _SECTIONS.items() if name in names), _WORKS_ON)

"""The options that several commands share."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Final

import click

from ulnager.core.errors import UlnagerError
from ulnager.filters.lasting import LASTING

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem
import functools

from ulnager.cli.output import CODES
from ulnager.cli.request import Request
from ulnager.core.errors import SettingError
from ulnager.core.messages import Message
from ulnager.core.words import ENGLISH, Words


def _completions(
    context: click.Context, parameter: click.Parameter, incomplete: str
) -> list[CompletionItem]:
    """The phrases that what is typed may become, as far as one word more."""
    from click.shell_completion import CompletionItem

    from ulnager.core.language.completion import completed, followers

    file = context.params.get("book")
    find = followers if file is None else _with_names(file)
    texts = list(completed(incomplete, find(incomplete)))
    if len(texts) == 1:
        # The shell would close the quotes behind the only one; what may follow it goes on.
        further = completed(f"{texts[0]} ", find(f"{texts[0]} "))
        texts = list(further) or texts
    return [CompletionItem(text) for text in texts]


def _with_names(file: str) -> Callable[[str], list[str]]:
    from ulnager.book.book_reader import read_book
    from ulnager.book.phrase_completion import complete
    from ulnager.core.language.completion import followers
    from ulnager.demo import named_book

    try:
        book = read_book(named_book(file))
    except UlnagerError:
        return followers
    return lambda text: complete(text, book)


def period_argument(**more: Any) -> Callable[[Any], Any]:
    """An argument PERIOD, the beginning of which the shell can complete."""
    settings = {"metavar": "PERIOD", **more}
    return click.argument(
        "phrases" if "nargs" in more else "phrase", shell_complete=_completions, **settings
    )


Command = Callable[..., Any]

_BASIS_OPTIONS: Final[dict[str, dict[str, Any]]] = {
    "today": {"metavar": "DATE", "help": "The clock's day, still running. [default: now]"},
    "as_of": {
        "metavar": "POINT",
        "help": "Measure from a point whose day is over: a date, latest, …",
    },
    "now": {"metavar": "INSTANT", "help": "The clock's instant, instead of --today."},
    "tz": {"metavar": "ZONE", "help": "The time zone of the days, such as Europe/London."},
    "day_starts": {
        "metavar": "HH:MM",
        "help": "When a new day starts. [default: the book's, 00:00]",
    },
    "year_starts": {"metavar": "MM-DD", "help": "When a year starts. [default: 01-01]"},
    "week_starts": {"metavar": "DAY", "help": "When a week starts. [default: monday]"},
    "days_off": {
        "metavar": "DAYS",
        "help": "Weekdays off, with commas. [default: saturday,sunday]",
    },
    "holiday": {"metavar": "DATE", "multiple": True, "help": "A holiday; may be repeated."},
    "working_day": {
        "metavar": "DATE",
        "multiple": True,
        "help": "A business day in spite of that.",
    },
    "book": {
        "metavar": "FILE",
        "envvar": "ULNAGER_BOOK",
        "help": "A book; PERIOD may be a name from it. [default: $ULNAGER_BOOK]",
    },
    "allow_outside": {
        "is_flag": True,
        "help": "Let the book read what is not below its own folder.",
    },
    "calendar": {"metavar": "NAME", "help": "A calendar of the book."},
    "defaults": {
        "metavar": "R",
        "multiple": True,
        "help": "How 'last N', 'next N' is read: last=whole.",
    },
}
OF_CALENDAR: Final = (
    "year_starts",
    "week_starts",
    "days_off",
    "holiday",
    "working_day",
    "calendar",
)
_DATA_OPTIONS = (
    click.option("--source", metavar="SOURCE", help="Data that answers for latest and earliest."),
    click.option("--source-column", metavar="C", help="The date column of that data."),
)
_READING_OPTIONS = (
    click.option(
        "--table", metavar="T", help="Of a database: a table, or a SELECT that stands for one."
    ),
    click.option(
        "--timeout",
        type=float,
        metavar="SECONDS",
        help="How long data may take to answer. [default: 30 for databases, files have no limit]",
    ),
    click.option("--delimiter", metavar="SIGN", help="What parts the fields of a CSV file."),
    click.option(
        "--header/--no-header", default=None, help="Whether the first line of a CSV file has names."
    ),
    click.option(
        "--encoding", metavar="NAME", help="Of a CSV file: any that Python knows, such as cp1252."
    ),
    click.option("--decimal", metavar="SIGN", help="Of a CSV file: ',' reads 1.234,50."),
    click.option("--grain", metavar="UNIT", help="What one row stands for, if not a day: month, …"),
    click.option(
        "--stamps", type=click.Choice(["first", "last"]), help="Which day of it a row is dated."
    ),
    click.option(
        "--open-ended", metavar="DATE", multiple=True, help="A date that stands for none there."
    ),
    click.option(
        "--date-format", metavar="FORM", help="Of a CSV file: how its dates are written, %d/%m/%Y."
    ),
)
key_option = click.option(
    "--type",
    "column_type",
    type=click.Choice(["yyyymmdd", "yyyymm", "yyyyww", "iso-week"]),
    help="That the column is a key, and of what. [default: a date or a time]",
)
locale_option = click.option(
    "--locale", metavar="NAME", help="The language of labels: de, fr-CA. [default: the book's]"
)


until_option = click.option(
    "--until",
    metavar="C",
    help="Of rows that last: the column of the last day; null for one that is still open.",
)
lasting_option = click.option(
    "--lasting",
    type=click.Choice(LASTING),
    help="With --until: rows that overlap PERIOD, lie inside it, or begin in it. "
    "[default: overlap]",
)


def needs(other: str, *options: str) -> Callable[[Command], Command]:
    """Refuses options that are about another one where that is not given."""

    def decorated(command: Command) -> Command:
        @functools.wraps(command)
        def checking(**given: Any) -> Any:
            if not given[other]:
                flags = {
                    one.name: one.opts[0] for one in click.get_current_context().command.params
                }
                for one in options:
                    if given[one]:
                        raise SettingError(f"{flags[one]} is about {flags[other]}; name that too")
            return command(**given)

        return checking

    return decorated


def json_option(command: Command) -> Command:
    """Adds ``--json``, and ``--codes``, which is JSON with the codes of messages beside them."""
    plain = click.option(
        "--json",
        "as_json",
        is_flag=True,
        help="Print JSON.",
        callback=lambda context, _, asked: asked or CODES in context.meta,
    )
    return plain(_codes_option(command))


def _keep_codes(context: click.Context, _: click.Parameter, asked: bool) -> None:
    if asked:
        context.meta[CODES] = True


_codes_option = click.option(
    "--codes",
    is_flag=True,
    expose_value=False,
    is_eager=True,
    callback=_keep_codes,
    help="Print JSON with the codes of notes, problems and reasons beside them.",
)


def basis_options_but(*left_out: str) -> Callable[[Command], Command]:
    """Adds the options for what a period is measured against, as one ``request``, without those
    that would do nothing for a command."""

    def decorated(command: Command) -> Command:
        @functools.wraps(command)
        def packed(**given: Any) -> Any:
            names = Request.__annotations__
            shared = {key: given.pop(key) for key in tuple(given) if key in names}
            return command(request=Request(**shared), **given)

        options = (
            click.option(f"--{name.replace('_', '-')}", **said)
            for name, said in _BASIS_OPTIONS.items()
            if name not in left_out
        )
        return _decorated(packed, tuple(options))

    return decorated


basis_options: Final = basis_options_but()


def data_options(command: Command) -> Command:
    """Adds the options that name data for ``latest`` and ``earliest``."""
    return reading_options(_decorated(command, _DATA_OPTIONS))


def reading_options(command: Command) -> Command:
    """Adds the options that say how a source is read."""
    return _decorated(command, _READING_OPTIONS)


def _decorated(command: Command, options: tuple[Callable[[Command], Command], ...]) -> Command:
    for option in reversed(options):
        command = option(command)
    return command


spreadsheets_option = click.option(
    "--for-spreadsheets",
    "for_spreadsheets",
    is_flag=True,
    help="An apostrophe before texts of a .csv that begin like formulas.",
)


_OPTIONS = (
    click.option("--value", metavar="C", help="The column whose values are put together."),
    click.option(
        "--how",
        metavar="HOW",
        help="count, sum, mean, min, max, median or distinct. [default: sum]",
    ),
    click.option("--split", metavar="C", help="A series for each value of that column."),
    click.option(
        "--where", metavar="C=VALUE", multiple=True, help="Only rows with that value; repeatable."
    ),
)


_PICTURE = (
    click.option("--picture", metavar="FILE", help="Draw it into a PNG, SVG or PDF file."),
    click.option("--size", metavar="WxH", help="Pixels of the picture. [default: 1280x800]"),
)


def picture_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Adds the options of a picture."""
    for option in reversed(_PICTURE):
        command = option(command)
    return command


def measured_title(
    how: str | None, value: str | None, per: str | None = None, words: Words = ENGLISH
) -> str:
    """What is measured, as the title of a picture, in the words of a language."""
    how = how or ("count" if value is None else "sum")
    said = {
        "count": "Number",
        "sum": "Total",
        "mean": "Mean",
        "min": "Least",
        "max": "Largest",
        "median": "Median",
        "distinct": "Different values",
    }.get(how, how)
    key = f"{said} of rows" if value is None else f"{said} of {{0}}"
    told = words.say(key) if value is None else words.say(key, value)
    return f"{told} {words.say('per {0}', Message(per))}" if per else told


def measure_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Adds the options that say what is measured."""
    for option in reversed(_OPTIONS):
        command = option(command)
    return command


def values_where(where: tuple[str, ...]) -> dict[str, list[str]]:
    """The values by column; SettingError for what is no pair."""
    found: dict[str, list[str]] = {}
    for text in where:
        name, sign, value = text.partition("=")
        if not sign or not name:
            raise SettingError(f"--where {text}: write COLUMN=VALUE")
        found.setdefault(name.strip(), []).append(value.strip())
    return found


def percent_text(value: float | None) -> str:
    """A share or a change as a percentage."""
    return "" if value is None else f"{value:+.1%}"

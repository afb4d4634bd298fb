"""``ulnager filter``: a condition that keeps the rows of a period."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from ulnager.cli.help import Command
from ulnager.cli.options import (
    basis_options,
    data_options,
    json_option,
    lasting_option,
    needs,
    period_argument,
    until_option,
)
from ulnager.cli.output import echo, show_json
from ulnager.cli.request import Request
from ulnager.core.errors import FilterError, SettingError, SourceError, UlnagerError
from ulnager.core.periods.clock import as_day
from ulnager.core.periods.grain import Grain, grain_named
from ulnager.filters.columns import COLUMN_TYPES, ROUNDINGS
from ulnager.filters.conditions import condition, where
from ulnager.filters.engines import TARGETS
from ulnager.filters.sql_text import STYLES, compiled, dialect_named
from ulnager.filters.standards import STANDARDS

if TYPE_CHECKING:
    from sqlalchemy import ColumnElement

    from ulnager.core.language.period import PeriodBase
    from ulnager.sources.source import Column, Relation


def show_statement(
    request: Request,
    name: str,
    column: str,
    target: str,
    paramstyle: str | None,
    as_json: bool,
    **options: Any,
) -> None:
    """Print the statement of a picker and the values of its parameters as it opens now."""
    from ulnager.choices.picker_statement import picker_where

    book = request.open_book
    if book is None:
        raise SettingError("--picker names a picker of a book; name that too: --book FILE")
    if target not in TARGETS or target == "ansi":
        raise FilterError(f"{target} has no clock of its own; name an engine: --for duckdb")
    table, _, dates = (options.pop("latest_in") or "").rpartition(".")
    today = None if request.today is None else as_day(request.today, "--today")
    clause = picker_where(
        book.picker(name),
        column,
        tz=request.tz,
        today=today,
        latest=(table, dates) if table else None,
        open_ended=request.open_ended,
        day_starts=request.chosen_start,
        **options,
    )
    made = compiled(clause, dialect_named(target, paramstyle), literal=False)
    try:
        values = book.picker(name).open(request.today, request.now, request.tz).parameters
    except UlnagerError as error:
        values = {}
        echo(f"note: {error}", err=True)
    known = made.names or made.parameters
    made = made.with_values({name: value for name, value in values.items() if name in known})
    shown = _as_text(made.parameters)
    if as_json:
        show_json({"picker": name, "condition": made.text, "live": True, "parameters": shown})
        return
    echo(made.text)
    _tell(shown)


def _as_text(values: Any) -> Any:
    """The values of parameters as text, in the shape that their style wants."""
    if isinstance(values, list):
        return [None if value is None else str(value) for value in values]
    return {name: None if value is None else str(value) for name, value in values.items()}


def _tell(values: Any) -> None:
    """The parameters with their values, on standard error."""
    named = enumerate(values, 1) if isinstance(values, list) else values.items()
    for name, value in named:
        echo(f":{name} = {'null' if value is None else value}", err=True)


_OF_TABLES = ("latest_in", "latest_type", "date_table", "offset_table")
_TARGETS = (*TARGETS, *STANDARDS)


@click.command("filter", cls=Command)
@period_argument(required=False)
@click.option("--picker", metavar="NAME", help="With --live: all choices of that picker in one.")
@click.option("--column", required=True, metavar="C", help="The column to filter by.")
@click.option(
    "--type",
    "column_type",
    metavar="TYPE",
    type=click.Choice(list(COLUMN_TYPES)),
    help=f"What the column holds: {', '.join(COLUMN_TYPES)}. Instants need --tz. [default: date; "
    "with --run as it is held there]",
)
@click.option(
    "--for",
    "target",
    metavar="TARGET",
    type=click.Choice(_TARGETS),
    help=f"The engine or the standard: {', '.join(_TARGETS)}. [default: ansi; with --live and "
    "--run the engine of that]",
)
@click.option(
    "--bound/--literal",
    default=False,
    help="Parameters, listed on standard error, or values in the text. [default: literal]",
)
@click.option(
    "--paramstyle",
    type=click.Choice(list(STYLES)),
    help="How the driver marks parameters, as PEP 249 has it; dollar is $1. With it they are "
    "--bound. [default: named]",
)
@click.option(
    "--rounding",
    type=click.Choice(ROUNDINGS),
    help="For keys of months and weeks, and a --grain: keep the units that are covered whole, or "
    "all that are touched.",
)
@until_option
@click.option(
    "--until-type",
    metavar="TYPE",
    type=click.Choice(list(COLUMN_TYPES)),
    help="With --until: what that column holds. [default: as --type; with --run as it is held "
    "there]",
)
@lasting_option
@click.option("--live", is_flag=True, help="SQL that works out its dates when it runs.")
@click.option(
    "--latest-in",
    metavar="TABLE.COLUMN",
    help="With --live: what answers for latest; a file's, too.",
)
@click.option(
    "--latest-type", metavar="TYPE", help="What that column holds. [default: a date, or as --type]"
)
@click.option(
    "--date-table",
    metavar="T",
    help="With --live: the table that 'ulnager calendar --to' wrote from this calendar.",
)
@click.option(
    "--offset-table",
    metavar="T",
    help="With --live: the table that 'ulnager calendar --offsets' wrote, for engines without "
    "time zones.",
)
@click.option(
    "--anchor-column", metavar="C", help="With --live: measure each row from its own date there."
)
@click.option("--anchor-type", metavar="TYPE", default="date", help="What that column holds.")
@click.option("--running", is_flag=True, help="With --anchor-column: those days are not over.")
@click.option(
    "--run",
    "run_on",
    metavar="SOURCE",
    help="Also count the rows that it keeps there, live or not.",
)
@json_option
@data_options
@basis_options
@needs("until", "lasting", "until_type")
def command(
    request: Request,
    phrase: str | None,
    picker: str | None,
    column: str,
    column_type: str | None,
    target: str | None,
    bound: bool,
    paramstyle: str | None,
    rounding: str | None,
    until: str | None,
    until_type: str | None,
    lasting: str | None,
    live: bool,
    run_on: str | None,
    as_json: bool,
    **moving: Any,
) -> None:
    """Print a condition that keeps the rows of PERIOD, ready to paste.

    The dates are frozen, unless it is --live: then the engine works them out from its own
    clock every day, and --today fixes that clock to try another day.

    \b
      ulnager filter "month to date" --column sailed_on
      ulnager filter "2026-03" --column scanned_at --type timestamptz --tz America/Halifax
      ulnager filter "last 3 whole months" --column sailed_on --for postgresql --live
      ulnager filter "last 30 rolling days" --column booked_on --for spark --live \\
          --anchor-column travels_on
      ulnager filter "last 7 whole days" --column sailed_on --for odata
      ulnager filter --picker dates --column sailed_on --live --for postgresql --book b.toml
    """
    if picker is not None:
        if phrase is not None or not live or run_on is not None:
            raise FilterError("--picker stands for a PERIOD, is --live, and has no --run")
        if any(moving[name] for name in ("anchor_column", "running")):
            raise FilterError("--picker has the anchors of its book; leave --anchor-column out")
        given = {name: moving[name] for name in _OF_TABLES}
        given |= {"column_type": column_type or "date", "rounding": rounding}
        show_statement(request, picker, column, target or "ansi", paramstyle, as_json, **given)
        return
    bound = bound or paramstyle is not None
    if phrase is None:
        raise FilterError("give a PERIOD, or a --picker")
    if "://" in column:
        raise FilterError("--column is a URL; give the name of a column")
    counted_in = None if run_on is None else request.opened(run_on)
    if target is None:
        target = "ansi" if counted_in is None or not live else counted_in.dialect_name
    for name in (run_on, request.source):
        if name is not None and request.tz is None:
            request = request.but(tz=request.looked_at(name, None)[1])
    column_type = column_type or _held(counted_in, column, request.tz)
    grain = _grain(request, counted_in, column)
    if paramstyle is not None and target in STANDARDS:
        raise FilterError(f"--paramstyle: {target} has no parameters; leave it out")
    _check_used(column_type, target, bound, rounding if grain is None else None, live, moving)
    holds: dict[str, Any] = {
        "column_type": column_type,
        "tz": request.zone_of(column_type),
        "grain": grain,
    }
    if until is not None:
        if counted_in is not None and until_type is None:
            until_type = _held(counted_in, until, request.tz)
        holds |= {"until": until, "until_type": until_type, "lasting": lasting}
    on: Any = column if counted_in is None else _compared(counted_in, column, column_type)
    values: Any = {}
    notes: tuple[str, ...] = ()
    if live:
        if target not in TARGETS:
            raise FilterError(f"a live condition cannot be written for {target!r}; name an engine")
        other = _other_file(moving["latest_in"])
        request.check_source(reads=run_on is not None or other is not None)
        named = {**moving, "latest_in": other[1]} if other else moving
        period, clause, notes = _live(request, phrase, column, rounding=rounding, **holds, **named)
        made = compiled(clause, dialect_named(target, paramstyle), literal=not bound)
        text = made.text
        values = {} if paramstyle is None else _as_text(made.parameters)
        if other is not None and counted_in is not None:
            # Another file answers for latest: its dates are looked up, and rows counted by them.
            extent = request.opened(other[0]).extent(other[2])
            basis = request.basis(phrase, reads=True) | {"data": extent}
            basis.pop("spare", None)
            clause = where(request.resolve(phrase, basis), on, **holds, rounding=rounding)
        elif on is not column:
            _, clause, _ = _live(request, phrase, on, rounding=rounding, **holds, **moving)
    else:
        _only_live(moving)
        result = request.resolve(phrase, request.basis(phrase, reads=run_on is not None))
        period, notes = result.period, tuple(result.notes)
        made = condition(
            result,
            column,
            **holds,
            rounding=rounding,
            target=target,
            literal=not bound,
            paramstyle=paramstyle,
        )
        text, values = made.text, _as_text(made.parameters)
        if run_on is not None:
            clause = where(result, on, **holds, rounding=rounding)
    counted: dict[str, Any] = {}
    if counted_in is not None:
        kept, total = counted_in.kept(column, clause)
        counted = {"rows": {"kept": kept, "total": total}}
        notes = (*notes, *_of_instants(counted_in, column, column_type, request.tz))
        if not kept and moving["date_table"]:
            hint = f"no row is kept; does {moving['date_table']} hold every day that is asked for?"
            notes = (*notes, hint)
        elif total and kept in (0, total) and str(period) != "all dates":
            notes = (*notes, _all_or_nothing(counted_in, column, kept, request.tz))
    if as_json:
        told: dict[str, Any] = {"live": True} if live else {}
        told |= {"parameters": values} if paramstyle or not live else {}
        show_json({"period": str(period), "condition": text, **told, **counted})
        return
    echo(text)
    for rows in counted.values():
        shown = counted_in.name if counted_in else ""
        echo(f"it keeps {rows['kept']:,} of {rows['total']:,} rows of {shown}", err=True)
    _tell(values)
    for note in dict.fromkeys(notes):
        echo(f"note: {note}", err=True)


def _dated(source: Relation | None, name: str) -> Column | None:
    """The column of that name, where it holds dates."""
    known = () if source is None else source.date_columns
    return next((one for one in known if one.name == name), None)


def _held(source: Relation | None, column: str, tz: str | None) -> str:
    """What the column of a source holds; a date where nobody knows, and instants without a zone."""
    held = _dated(source, column)
    if held is None or held.column_type is None or (held.held.is_instant and tz is None):
        return "date"
    return held.column_type


def _of_instants(source: Relation, column: str, column_type: str, tz: str | None) -> Iterator[str]:
    """What is said of a condition on days for a column of instants."""
    held = _dated(source, column)
    if held is not None and held.held.is_instant and not COLUMN_TYPES[column_type].is_instant:
        yield (
            f"{column} holds instants, which the engine lays onto days by its own zone; say "
            f"--type {held.column_type} --tz {tz or 'ZONE'}"
        )


def _all_or_nothing(source: Relation, column: str, kept: int, tz: str | None) -> str:
    """That a filter keeps no row or every row, with the dates that the column holds."""
    what = "every row is kept" if kept else "no row is kept"
    advice = "" if kept else "; to follow the data, measure it 'as of latest'"
    try:
        extent = source.extent(column, tz)
    except SourceError:
        return f"{what}; preview shows on which side the others are" if not kept else what
    return f"{what}: the data runs from {extent.first} to {extent.last}{advice}"


def _grain(request: Request, source: Relation | None, column: str) -> Grain | None:
    """The unit that a row stands for: as it was said, or as it is found in the source."""
    if request.grain is not None or request.stamps is not None:
        return grain_named(request.grain, request.stamps, request.chosen_calendar)
    known = _dated(source, column)
    if source is None or known is None:
        return None
    if known.held.is_instant and request.tz is None:
        return None
    return source.grain(known, request.tz, request.chosen_calendar)


def _check_used(
    column_type: str,
    target: str,
    bound: bool,
    rounding: str | None,
    live: bool,
    moving: dict[str, Any],
) -> None:
    """FilterError for an option without effect; ``moving`` are those of a live condition."""
    if bound and target in STANDARDS:
        raise FilterError(f"--bound: {target} has no parameters; leave it out")
    if rounding is not None and COLUMN_TYPES[column_type].grain is None:
        coarse = [name for name, one in COLUMN_TYPES.items() if one.grain is not None]
        raise FilterError(
            f"--rounding is for a key of months or weeks ({', '.join(coarse)}) and for a "
            f"--grain, and the column holds {column_type} by the day"
        )
    if not live:
        return
    if moving["anchor_column"] is None and (moving["running"] or moving["anchor_type"] != "date"):
        name = "running" if moving["running"] else "anchor-type"
        raise FilterError(f"--{name} is about --anchor-column; name that too")
    if moving["latest_in"] is None and moving["latest_type"] is not None:
        raise FilterError("--latest-type is about --latest-in; name that too")


def _other_file(latest_in: str | None) -> tuple[str, str, str] | None:
    """The file that answers for latest, its table and column in SQL, and the column; None where
    that is a table already."""
    file, _, column = (latest_in or "").rpartition(".")
    if not file or not Path(file).is_file():
        return None
    return file, f"{Path(file).stem}.{column}", column


def _compared(source: Relation, column: str, column_type: str) -> Any:
    """A column of a source as it is compared with dates there, if it holds any; SourceError for one
    that holds none and is said to be nothing else."""
    if column in source.unsure or _dated(source, column) is not None:
        source.column(column)
        return source.value(column)
    if column_type == "date" and any(known.name == column for known in source.columns):
        source.column(column)
    return column


def _only_live(moving: dict[str, Any]) -> None:
    """FilterError for an option that fixed dates have no use for."""
    for name, value in moving.items():
        if value and value != "date":
            raise FilterError(f"--{name.replace('_', '-')} is for a condition that is --live")


def _live(
    request: Request,
    phrase: str,
    column: Any,
    *,
    latest_in: str | None,
    anchor_column: str | None,
    **options: Any,
) -> tuple[PeriodBase, ColumnElement[bool], tuple[str, ...]]:
    for given, instead in (
        (request.as_of, "--as-of; write it into the phrase: '… as of …'"),
        (request.source, "--source; name the table for latest in --latest-in"),
    ):
        if given:
            raise FilterError(f"a live condition has no {instead}")
    table, _, dates = (latest_in or "").rpartition(".")
    if latest_in and not table:
        raise FilterError(f"--latest-in is {latest_in!r}; give a table and a column: trips.day")
    from ulnager.filters.conditions import live_notes, where

    book = request.open_book
    entry = book.period(phrase) if book and phrase in book.periods else None
    period = entry.anchored if entry else request.named(phrase)
    if book is not None and entry is None:
        period = book.measured(period)
    defaults = request.chosen_defaults
    clause = where(
        period,
        column,
        calendar=(entry and request.calendar is None and entry.calendar) or request.chosen_calendar,
        calendars=book.calendars if book else None,
        defaults=defaults,
        latest=(table, dates) if latest_in else None,
        open_ended=request.open_ended,
        today=None if request.today is None else as_day(request.today, "--today"),
        now=request.now,
        anchor=anchor_column,
        day_starts=request.chosen_start,
        **options,
    )
    return period, clause, live_notes(period, defaults)

"""``ulnager filter --picker``: one statement for all the choices of a picker."""

from __future__ import annotations

from typing import Any

from ulnager.cli.output import echo, show_json
from ulnager.cli.request import Request
from ulnager.core.errors import FilterError, SettingError, UlnagerError
from ulnager.core.periods.clock import as_day


def show_statement(
    request: Request, name: str, column: str, target: str, as_json: bool, **options: Any
) -> None:
    """Print the statement of a picker and the values of its parameters as it opens now."""
    from ulnager.choices.statements import picker_where
    from ulnager.filters.engines import TARGETS
    from ulnager.filters.sql import sql_text

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
        day_starts=request.day_starts,
        **options,
    )
    text = sql_text(clause, target, bound=True)
    try:
        values = book.picker(name).open(request.today, request.now, request.tz).parameters
    except UlnagerError as error:
        values = {}
        echo(f"note: {error}", err=True)
    shown = {key: None if value is None else str(value) for key, value in values.items()}
    if as_json:
        show_json({"picker": name, "condition": text, "live": True, "parameters": shown})
        return
    echo(text)
    for key, value in shown.items():
        echo(f":{key} = {'null' if value is None else value}", err=True)

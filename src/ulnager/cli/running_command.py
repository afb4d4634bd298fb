"""``ulnager running``: a measure over each day's own period."""

from __future__ import annotations

from typing import Any

import click

from ulnager.cli.help import Command
from ulnager.cli.options import (
    basis_options,
    data_options,
    json_option,
    locale_option,
    measure_options,
    measured_title,
    period_argument,
    picture_options,
    values_where,
)
from ulnager.cli.output import echo, nothing_told, show_json, show_table
from ulnager.cli.request import Request
from ulnager.core.errors import SettingError
from ulnager.core.text import decimals_of, number_text


@click.command("running", cls=Command)
@period_argument()
@click.option("--over", required=True, metavar="PERIOD", help="The days that are shown.")
@click.option("--per", metavar="DAY", help="Divided by day, business day, or day with rows.")
@measure_options
@picture_options
@json_option
@data_options
@locale_option
@basis_options
def command(
    request: Request,
    phrase: str,
    over: str,
    as_json: bool,
    where: tuple[str, ...],
    picture: str | None,
    size: str | None,
    **measure: Any,
) -> None:
    """Print for each day of --over the measure of PERIOD as of that day, from all rows.

    \b
      ulnager running "last 7 rolling days" --over "last 14 rolling days as of latest" \\
          --source demo:sailings --value passengers --per day --picture week.png
    """
    from ulnager.numbers.running import running

    if request.source is None:
        raise SettingError("a measure of what? Name the data: --source FILE")
    basis = request.basis(over, whole=True)
    column, tz = request.looked_at(request.source, request.source_column)
    if size is not None and picture is None:
        raise SettingError("--size is of a picture; say --picture FILE")
    source, result = request.opened(request.source), request.resolve(over, basis)
    given: dict[str, Any] = {
        "column": column,
        "tz": tz,
        "where": values_where(where),
        "data": basis.get("data"),
    }
    found = running(
        source,
        request.closed(phrase),
        over=result,
        calendar=basis.get("calendar"),
        **given,
        **measure,
    )
    if picture is not None:
        from ulnager.numbers.totals import totals
        from ulnager.pictures.running_line import draw_running

        daily = None
        if measure["split"] is None and measure["how"] not in ("median", "distinct"):
            daily = totals(
                source, result, by="day", value=measure["value"], how=measure["how"], **given
            )
        title = measured_title(measure["how"], measure["value"], measure["per"], result.words)
        draw_running(
            found,
            picture,
            title=f"{title}, {found.period}",
            daily=daily,
            size=size,
            nothing=nothing_told(result, basis),
        )
        echo(f"drawn into {picture}", err=True)
    if as_json:
        show_json(found.to_dict())
        return
    split = ["split"] if measure["split"] else []
    rows, decimals = [], decimals_of(row.value for row in found.rows)
    for row in found.rows:
        name = [str(row.split)] if split else []
        rows.append(
            (
                row.day,
                *name,
                number_text(row.value, decimals),
                row.window.start,
                row.window.end,
                ", ".join(row.reasons),
            )
        )
    show_table(("day", *split, "value", "from", "to", "because"), rows, ("value",))

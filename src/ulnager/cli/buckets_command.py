"""``ulnager buckets``: the units that a period touches, which are whole, and their values."""

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
    percent_text,
    period_argument,
    picture_options,
    until_option,
    values_where,
)
from ulnager.cli.output import echo, nothing_told, show_json, show_table
from ulnager.cli.request import Request
from ulnager.core.errors import SettingError
from ulnager.core.messages import Message
from ulnager.core.text import decimals_of, number_text


@click.command("buckets", cls=Command)
@period_argument()
@click.option(
    "--by",
    "unit",
    metavar="UNIT",
    help="The unit: week, month, …; without it values are of the whole period.",
)
@click.option(
    "--partial",
    type=click.Choice(["mark", "drop", "keep"]),
    default="mark",
    show_default=True,
    help="What happens to units that are not whole.",
)
@measure_options
@until_option
@click.option("--top", type=int, metavar="N", help="With --split: the largest ones, and the rest.")
@click.option("--beside", metavar="SHIFT", help="What to compare with, such as '1 year earlier'.")
@click.option(
    "--rounding",
    type=click.Choice(["inward", "outward"]),
    help="Where a row stands for more than a day: keep whole units, or all that are touched.",
)
@picture_options
@click.option(
    "--layout",
    type=click.Choice(["bars", "calendar"]),
    default="bars",
    show_default=True,
    help="Of the picture; a calendar has a bar in each day.",
)
@json_option
@data_options
@locale_option
@basis_options
def command(
    request: Request,
    phrase: str,
    unit: str | None,
    partial: str,
    as_json: bool,
    where: tuple[str, ...],
    rounding: str | None,
    picture: str | None,
    size: str | None,
    layout: str,
    **measure: Any,
) -> None:
    """Print the units that PERIOD touches: their bounds, days, and why one is not whole.

    With a source, days without rows and the end of the data count too. With --value or --how, each
    unit has its value, and with --beside what stands beside it.

    \b
      ulnager buckets "last 3 months to date" --by month --source demo:sailings
      ulnager buckets "last 3 months to date as of latest" --by month --source demo:sailings \\
          --value passengers --beside "1 year earlier" --picture months.png
    """
    basis = request.basis(phrase, whole=True)
    result = request.resolve(phrase, basis)
    # Days know what is missing in them without being counted; hours do not.
    by_time = request.source is not None and unit and result.unit_named(unit).microseconds
    if any(measure.values()) or where or picture or by_time:
        found = _measured(
            request, result, unit, partial, values_where(where), basis, rounding=rounding, **measure
        )
        if picture is not None:
            title = measured_title(measure["how"], measure["value"], words=result.words)
            title += (
                f" {result.words.say('by {0}', Message(unit))}" if unit else f", {result.period}"
            )
            nothing = nothing_told(result, basis)
            _draw(found, picture, title, size, layout, nothing)
        if as_json:
            show_json(found.to_dict())
            return
        _show_totals(
            found,
            result,
            unit or "period",
            measure["beside"] is not None,
            measure["split"] is not None,
        )
        return
    if rounding is not None:
        raise SettingError("--rounding is of values; say --value or --how")
    if unit is None:
        raise click.UsageError(
            "say the unit: --by week, month, … (or what to count: --value, --how)"
        )
    if size is not None or layout != "bars":
        raise SettingError("--size and --layout are of a picture; say --picture FILE")
    units = result.buckets(unit, partial, basis.get("data"))
    if as_json:
        show_json([bucket.to_dict() for bucket in units])
        return
    show_table(
        (unit, "start", "end", "days", "of", "whole", "because"),
        [
            (
                b.label,
                b.start,
                b.end,
                b.days,
                b.unit_days,
                "yes" if b.is_whole else "no",
                ", ".join(b.reasons),
            )
            for b in units
        ],
        right=("days", "of"),
    )


def _measured(
    request: Request,
    result: Any,
    unit: str | None,
    partial: str,
    where: dict[str, list[str]],
    basis: dict[str, Any],
    **measure: Any,
) -> Any:
    from ulnager.numbers.totals import totals

    if request.source is None:
        raise SettingError("values of what? Name the data: --source FILE")
    column, tz = request.looked_at(request.source, request.source_column)
    return totals(
        request.opened(request.source),
        result,
        column=column,
        by=unit,
        partial=partial,
        tz=tz,
        where=where,
        data=basis.get("data"),
        **measure,
    )


def _draw(
    found: Any, picture: str, title: str, size: str | None, layout: str, nothing: str | None
) -> None:
    from ulnager.pictures.day_calendar import draw_days
    from ulnager.pictures.totals_bars import draw_totals

    draw = draw_totals if layout == "bars" else draw_days
    draw(found, picture, title=title, size=size, nothing=nothing)
    echo(f"drawn into {picture}", err=True)


def _show_totals(found: Any, result: Any, unit: str, beside: bool, split: bool) -> None:
    headers = [unit, "start", "end", *(["split"] if split else []), "value"]
    headers += [*(["beside", "from", "change", "relative"] if beside else []), "because"]
    rows = []
    decimals = decimals_of(one for row in found.rows for one in (row.value, row.beside))
    for row in found.rows:
        name = "other" if row.other else "" if row.split is None else str(row.split)
        bucket = row.bucket
        is_day = bucket.end is not None
        cells = [
            bucket.label,
            bucket.start if is_day else f"{bucket.start:%H:%M:%S}",
            bucket.end if is_day else f"{bucket.stop:%H:%M:%S}",
        ]
        cells += [name] if split else []
        cells.append(number_text(row.value, decimals))
        if beside:
            partner = row.beside_bucket
            cells += [
                number_text(row.beside, decimals),
                "" if partner is None else partner.label,
                number_text(row.change, decimals),
                percent_text(row.relative),
            ]
        rows.append((*cells, ", ".join(row.bucket.reasons)))
    show_table(headers, rows, ("value", "beside", "change", "relative"))
    for note in dict.fromkeys((*result.notes, *found.notes)):
        echo(f"note: {note}", err=True)

"""``ulnager draw``: a picture of periods on a timeline, or of one walked through the data."""

from __future__ import annotations

from typing import Any

import click

from ulnager.cli.help import Command
from ulnager.cli.options import (
    basis_options,
    data_options,
    locale_option,
    measured_title,
    period_argument,
    values_where,
)
from ulnager.cli.output import echo
from ulnager.cli.request import Request
from ulnager.core.errors import SettingError
from ulnager.core.language.walks import OUTSIDE
from ulnager.core.messages import of_code
from ulnager.core.text import number_text

MOST_STEPS = 400


@click.command("draw", cls=Command)
@period_argument(metavar="PERIOD...", nargs=-1, required=True)
@click.option("--by", "unit", default="month", show_default=True, help="The unit that is marked.")
@click.option("--step", metavar="STEP", help="Walk one period through the data: '1 week'.")
@click.option("--first", metavar="POINT", help="With --step: the first day. [default: earliest]")
@click.option("--last", metavar="POINT", help="With --step: the last day. [default: latest]")
@click.option("--value", metavar="C", help="With --step: the column that is drawn, not the rows.")
@click.option("--how", metavar="HOW", help="count, sum, mean, min or max. [default: sum]")
@click.option("--where", metavar="C=VALUE", multiple=True, help="Only rows with that value.")
@click.option(
    "--to",
    "target",
    required=True,
    metavar="FILE",
    help="A PNG, SVG or PDF file; of a walk also a GIF, which moves.",
)
@click.option("--size", metavar="WxH", help="Of a walk: pixels. [default: 1280x800]")
@data_options
@locale_option
@basis_options
def command(
    request: Request,
    phrases: tuple[str, ...],
    unit: str,
    step: str | None,
    target: str,
    size: str | None,
    **walk: Any,
) -> None:
    """Draw one or more PERIODs on a timeline, with the units, the anchor and the data.

    The part of the unit around the anchor that is still to come is hatched. With --step one PERIOD
    is measured from one day after another, and drawn as small panels or as an animation.

    \b
      ulnager draw "last 3 whole months" "month to date" --today 2026-05-20 --to periods.png
      ulnager draw "last 30 rolling days" --step "1 month" --source demo:sailings --to walk.png
    """
    basis = request.basis(" ".join(phrases), whole=True)
    if step is not None:
        _draw_walk(request, phrases, step, target, size, basis, **walk)
        return
    said = [name for name, one in {"size": size, **walk}.items() if one]
    if said:
        raise SettingError(f"--{said[0]} is of a walk; say --step '1 week'")
    from ulnager.pictures.timeline import draw_timeline

    results = [request.resolve(phrase, basis) for phrase in phrases]
    book = request.open_book
    named = book.periods if book else {}
    labels = [(named[text].label or text) if text in named else text for text in phrases]
    draw_timeline(results, target, unit=unit, data=basis.get("data"), labels=labels)
    echo(f"drawn into {target}", err=True)


def _draw_walk(
    request: Request,
    phrases: tuple[str, ...],
    step: str,
    target: str,
    size: str | None,
    basis: dict[str, Any],
    *,
    first: str | None,
    last: str | None,
    value: str | None,
    how: str | None,
    where: tuple[str, ...],
) -> None:
    from itertools import islice

    from ulnager.core.calendars.month_calendar import GREGORIAN
    from ulnager.numbers.daily import measured_steps
    from ulnager.numbers.totals import asked_for, checked_how
    from ulnager.pictures.paper import calendar_told
    from ulnager.pictures.walk_panels import Step, draw_walk

    if len(phrases) != 1:
        raise SettingError(f"--step walks one period, and these are {len(phrases)}")
    if request.source is None:
        raise SettingError("a walk through what? Name the data: --source FILE")
    if request.as_of is not None:
        raise SettingError("a walk is as of one day after another; leave --as-of out")
    how = checked_how(how, value)
    column, tz = request.looked_at(request.source, request.source_column)
    asked = asked_for(request.opened(request.source), column, tz, value, None, values_where(where))
    walked = request.closed(phrases[0])
    when = {key: one for key, one in basis.items() if one is not None and key != "as_of"}
    steps = list(
        islice(walked.walk(step, first or "earliest", last or "latest", **when), MOST_STEPS + 1)
    )
    if not steps:
        raise SettingError("there is no step between --first and --last")
    if len(steps) > MOST_STEPS:
        raise SettingError(
            f"more than {MOST_STEPS} steps cannot be drawn; take a longer --step, or a later "
            "--first"
        )
    drawn, words = [], steps[0].words
    for one, (days, values, total) in zip(
        steps, measured_steps(asked, value, how, steps), strict=True
    ):
        notes = of_code(one.notes, OUTSIDE)
        if one.is_empty:
            notes.append("empty")
        told = f"{words.say(how)} {words.digits(number_text(total))}"
        drawn.append(
            Step(
                one.anchor.day,
                one.label,
                days,
                {k: float(v) for k, v in values.items()},
                [words.say(note) for note in notes],
                told,
            )
        )
    calendar = basis.get("calendar") or GREGORIAN
    ends = words.day(steps[0].anchor.day), words.day(steps[-1].anchor.day)
    text = "; ".join(
        (
            f"{walked}, {words.say('{0} steps from {1} to {2}', len(steps), *ends)}",
            words.say("a bar is a day, a cross a day without rows"),
            calendar_told(calendar, words),
        )
    )
    title = f"{measured_title(how, value, words=words)}, {words.say('step by step')}"
    draw_walk(drawn, target, title=title, text=text, calendar=calendar, size=size, words=words)
    echo(f"drawn into {target}", err=True)

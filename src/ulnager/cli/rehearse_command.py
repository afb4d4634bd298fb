"""``ulnager rehearse``: a period as of many days, and the days on which it surprises."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date
from typing import TYPE_CHECKING, Any, Final

import click

from ulnager.cli.help import Command
from ulnager.cli.options import (
    basis_options_but,
    data_options,
    json_option,
    period_argument,
    picture_options,
)
from ulnager.cli.output import echo, show_json, show_pairs
from ulnager.cli.request import Request
from ulnager.core.errors import SettingError

if TYPE_CHECKING:
    from ulnager.checking.rehearsing import Rehearsal

_MOST: Final = 3


@click.command("rehearse", cls=Command)
@period_argument()
@click.option("--first", metavar="DATE", help="The first day. [default: today]")
@click.option("--last", metavar="DATE", help="The last day. [default: ten years on]")
@click.option(
    "--every", metavar="RULE", help="Used on these days: FREQ=WEEKLY;BYDAY=MO (RFC 5545)."
)
@picture_options
@json_option
@data_options
@basis_options_but("as_of")
def command(
    request: Request,
    phrase: str,
    first: str | None,
    last: str | None,
    every: str | None,
    picture: str | None,
    size: str | None,
    as_json: bool,
) -> None:
    """Print what PERIOD does as of every day of a range: how long it gets, where it stands still or
    jumps, where its readings part, which dates it leaves out and repeats.

    Names of the book are looked for first; of a picker, a page or a schedule, all of its periods.
    What the data says is answered as if it went up to the day before.

    \b
      ulnager rehearse "last 3 months" --first 2026-01-01 --last 2026-12-31
      ulnager rehearse "last 7 days" --every "FREQ=WEEKLY;BYDAY=MO" --picture mondays.png
    """
    from ulnager.checking.periods_of_entries import periods_named
    from ulnager.checking.rehearsing import rehearse

    if size is not None and picture is None:
        raise SettingError("--size is of a picture; say --picture FILE")
    basis = request.basis(phrase)
    settings: dict[str, Any] = {
        "today": basis["today"],
        "defaults": basis["defaults"],
        "data": basis.get("data"),
        "first": first,
        "last": last,
        "every": every,
    }
    book, found = request.open_book, {}
    several = {} if book is None else periods_named(book, phrase)
    if book is None or not several:
        calendars = None if book is None else book.calendars
        found[""] = rehearse(
            request.closed(phrase), calendar=basis["calendar"], calendars=calendars, **settings
        )
    if "" not in several:
        timed = [name for name, part in several.items() if part.period.definition.is_sub_day]
        if timed:
            echo(f"note: {', '.join(timed)}: of hours, and rehearsals go by the day", err=True)
        several = {name: part for name, part in several.items() if name not in timed}
        if timed and not several:
            return
    for name, part in several.items():
        assert book is not None
        own = {**settings, "calendar": part.calendar or basis["calendar"]}
        if every is None:
            own |= {"every": part.every, "starts": part.starts}
        found[name] = rehearse(part.period, calendars=book.calendars, **own)
    is_list = bool(several) and "" not in several
    if picture is not None:
        from ulnager.pictures.rehearsals import draw_rehearsal

        if len(found) > 1:
            raise SettingError(f"a picture is of one period; name one of {', '.join(found)}")
        draw_rehearsal(next(iter(found.values())), picture, size=size)
        echo(f"drawn into {picture}", err=True)
    if as_json:
        told = [
            {"name": name, **one.to_dict()} if name else one.to_dict()
            for name, one in found.items()
        ]
        show_json(told if is_list else told[0])
        return
    for place, (name, one) in enumerate(found.items()):
        if place:
            echo()
        show_pairs([*([("name", name)] if name else []), *_pairs(one)])


def _pairs(found: Rehearsal) -> list[tuple[str, str]]:
    count = len(found.windows.days)
    pairs = [
        ("period", str(found.period)),
        ("as of", f"each day from {found.first} to {found.last}, {count:,} days"),
        ("length", _length(found)),
    ]
    if found.empty_on:
        pairs.append(("empty", _on(found.empty_on)))
    pairs += [("still", _on(found.still_on)), ("jumps", _on(found.jumps_on))]
    pairs += [
        (
            f"reading {place}",
            f"'{one.phrase}' has other dates {_on(one.differs_on)}; "
            f"{one.max_days:,} days at most are in one and not in the other",
        )
        for place, one in enumerate(found.readings, 1)
    ]
    if found.outside_data:
        pairs.append(("leaves data", _on(found.outside_data)))
    if found.runs:
        often = "every day" if found.runs == count else f"{found.runs:,} times"
        pairs += [
            ("used", often),
            ("never", _dates(found.never)),
            ("repeated", _dates(found.more_than_once)),
        ]
    return pairs


def _length(found: Rehearsal) -> str:
    if found.shortest is None or found.longest is None:
        return "open on one side, or always empty"
    shortest, longest = (
        f"{one:,} day{'s' * (one != 1)}" for one in (found.shortest, found.longest)
    )
    if shortest == longest:
        return f"{shortest}, always"
    return f"{shortest} {_on(found.shortest_on)}; {longest} {_on(found.longest_on)}"


def _on(ranges: Sequence[tuple[date, date]]) -> str:
    if not ranges:
        return "never"
    days = _count(ranges)
    return f"on {days:,} day{'s' * (days > 1)}: {_listed(ranges)}"


def _dates(ranges: Sequence[tuple[date, date]]) -> str:
    if not ranges:
        return "no date"
    days = _count(ranges)
    return f"{days:,} date{'s' * (days > 1)}: {_listed(ranges)}"


def _count(ranges: Iterable[tuple[date, date]]) -> int:
    return sum((last - first).days + 1 for first, last in ranges)


def _listed(ranges: Sequence[tuple[date, date]]) -> str:
    told = [str(first) if first == last else f"{first} to {last}" for first, last in ranges[:_MOST]]
    return ", ".join(told) + (", …" if len(ranges) > _MOST else "")

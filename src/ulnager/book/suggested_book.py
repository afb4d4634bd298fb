"""A book to begin with, written from the profile of a source."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from datetime import date
from pathlib import Path
from typing import Any

from ulnager.book.picker_builder import AHEAD, UNITS
from ulnager.core.errors import SettingError
from ulnager.sources.profile import Profile


def starting_book(
    profile: Profile,
    place: str | Mapping[str, Any],
    given: Mapping[str, Any],
    tz: str | None,
    words: Any = None,
    calendar: Mapping[str, Any] | None = None,
    day_starts: str = "00:00",
) -> str:
    """The text of a book with a source, the anchor that its profile suggests for all its periods,
    the usual picker and a page with one chart.

    ``place`` is its file, or the ``url`` and the ``table`` of a database. ``given`` are settings of
    the source that were said, ``calendar`` those of the calendar, and ``words`` those of the
    viewers' language, which suggest the first day of the week, too.
    """
    where: Mapping[str, Any] = {"file": place} if isinstance(place, str) else place
    told = str(where.get("file") or where.get("table"))
    # A query has no name of its own.
    name = _name(told) if re.fullmatch(r"[\w./ -]+", told) else "data"
    settings = {**where, "column": profile.column, **given}
    if tz is not None:
        settings["tz"] = tz
    if profile.grain is not None and profile.grain.unit.name != "day":
        settings["grain"] = profile.grain.unit.name
        settings["stamps"] = profile.grain.stamps
    said = dict(calendar or {})
    # A weekday on which nothing ever happens is no day that is missing.
    if profile.closed and "days_off" not in said and profile.closed != ("saturday", "sunday"):
        said["days_off"] = list(profile.closed)
    remark = ""
    if words is not None and "week_starts" not in said:
        said["week_starts"], remark = words.week_starts, "  # as is usual there"
    lines = [f"# Begun from a profile of {Path(told).name[:60]}: {profile.because}.", ""]
    if words is not None:
        lines.append(f"locale = {_toml(words.locale)}")
    if said:
        lines.append('calendar = "usual"')
    if tz is not None:
        lines.append(f"tz = {_toml(tz)}  # of the clock")
    if day_starts != "00:00":
        lines.append(f"day_starts = {_toml(day_starts)}")
    lines += ['anchor = "load"  # what every period is measured from that names no other', ""]
    if said:
        lines.append("[calendars.usual]")
        for key, value in said.items():
            lines.append(f"{key} = {_toml(value)}{remark if key == 'week_starts' else ''}")
        lines.append("")
    ahead = ", ".join(_toml(one) for one in AHEAD[:4])
    heading = _called("Ahead", words)
    choices, units = _of_grain(profile)
    ahead_of_clock = []
    # A date that lies alone behind the others is no data that runs ahead.
    if profile.after_today and profile.before_last is None and not choices:
        ahead_of_clock = [f'choices = ["usual", {{ heading = {heading} }}, {ahead}]']
    lines.append(f"[sources.{name}]")
    lines += [f"{key} = {_toml(value)}" for key, value in settings.items()]
    lines += [
        "",
        "[anchors]",
        f"load = {{ point = {_toml(profile.anchor)}, sources = [{_toml(name)}] }}",
        "",
        "# Without choices of its own a picker offers the usual ones. In choices = ['usual', …]",
        "# stand names of periods below, too, and phrases: { phrase = 'last 7 whole days' }.",
        "[pickers.dates]",
        f"label = {_called('Dates (label)', words)}",
        *([f"choices = [{', '.join(choices)}]"] if choices else []),
        *ahead_of_clock,
        "",
        "[pickers.dates.by]",
        f"of = [{', '.join(map(_toml, units))}]",
        "",
        "[pages.home]",
        f"label = {_toml(name.replace('_', ' ').capitalize())}",
        'picker = "dates"',
        "",
        "[pages.home.charts.rows]",
        f"source = {_toml(name)}",
        f"column = {_toml(profile.column)}",
        *([f"label = {_called('Rows (label)', words)}"] if words is not None else []),
        'by = "viewer"',
        "",
    ]
    return "\n".join(lines)


def _called(text: str, words: Any) -> str:
    """A label of ours in the viewers' language."""
    return _toml((text if words is None else words.label(text)).removesuffix(" (label)"))


def _of_grain(profile: Profile) -> tuple[list[str], list[str]]:
    """The usual choices and units that cut no unit that a row stands for; no choices for days."""
    units = ["week", "month", "quarter", "year"]
    if profile.grain is None or profile.grain.unit.name == "day":
        return [], ["day", "week", "month"]
    size = profile.grain.unit.months
    if size and profile.grain.unit.name in units:
        units = units[units.index(profile.grain.unit.name) :]
    else:
        units = [profile.grain.unit.name]
    known = [one for one in units if one in UNITS]
    choices = [_toml(f"{which}_{unit}") for unit in known for which in ("this", "previous")]
    phrase = _toml(f"last 12 whole {profile.grain.unit.plural}")
    return [f"{{ phrase = {phrase} }}", *choices], units


def _name(place: str) -> str:
    stem = re.sub(r"[^a-z0-9_]+", "_", Path(place).stem.lower()).strip("_")
    return stem if re.match(r"[a-z]", stem) else f"data_{stem}".rstrip("_")


def _toml(value: Any) -> str:
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, (list, tuple)):
        return f"[{', '.join(_toml(one) for one in value)}]"
    return json.dumps(str(value), ensure_ascii=False)


def write_book(text: str, file: str) -> None:
    """Write a new book; SettingError where there is a file already, which is kept."""
    try:
        with Path(file).open("x", encoding="utf-8") as opened:
            opened.write(text)
    except FileExistsError:
        raise SettingError(f"{file} is there already and is kept; name another file") from None
    except OSError as error:
        raise SettingError(f"{file} cannot be written: {error.strerror}") from None

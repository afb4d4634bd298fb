"""A book to begin with, written from the profile of a source."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from datetime import date
from pathlib import Path
from typing import Any

from ulnager.core.errors import SettingError
from ulnager.sources.profile import Profile


def starting_book(
    profile: Profile,
    place: str,
    given: Mapping[str, Any],
    tz: str | None,
    words: Any = None,
    calendar: Mapping[str, Any] | None = None,
) -> str:
    """The text of a book with a source, the anchor that its profile suggests for all its periods,
    the usual picker and a page with one chart.

    ``given`` are settings of the source that were said, ``calendar`` those of the calendar, and
    ``words`` those of the viewers' language, which suggest the first day of the week, too.
    """
    name = _name(place)
    settings = {"file": place, "column": profile.column, **given}
    if tz is not None:
        settings["tz"] = tz
    if profile.grain is not None and profile.grain.unit.name != "day":
        settings["grain"] = profile.grain.unit.name
        settings["stamps"] = profile.grain.stamps
    said = dict(calendar or {})
    remark = ""
    if words is not None and "week_starts" not in said:
        said["week_starts"], remark = words.week_starts, "  # as is usual there"
    lines = [f"# Begun from a profile of {Path(place).name}: {profile.because}.", ""]
    if words is not None:
        lines.append(f"locale = {_toml(words.locale)}")
    if said:
        lines.append('calendar = "usual"')
    lines += ['anchor = "load"  # what every period is measured from that names no other', ""]
    if said:
        lines.append("[calendars.usual]")
        for key, value in said.items():
            lines.append(f"{key} = {_toml(value)}{remark if key == 'week_starts' else ''}")
        lines.append("")
    lines.append(f"[sources.{name}]")
    lines += [f"{key} = {_toml(value)}" for key, value in settings.items()]
    lines += [
        "",
        "[anchors]",
        f"load = {{ point = {_toml(profile.anchor)}, sources = [{_toml(name)}] }}",
        "",
        "# Without choices of its own a picker offers the usual ones; each further one is a period",
        "# below and its name in choices = [...].",
        "[pickers.dates]",
        'label = "Dates"',
        "",
        "[pickers.dates.by]",
        'of = ["day", "week", "month"]',
        "",
        "[pages.home]",
        f"label = {_toml(name.replace('_', ' ').capitalize())}",
        'picker = "dates"',
        "",
        "[pages.home.charts.rows]",
        f"source = {_toml(name)}",
        f"column = {_toml(profile.column)}",
        'by = "viewer"',
        "",
    ]
    return "\n".join(lines)


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

"""What a book takes from other files in its folder: ``include = ["shared.toml"]``."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from glob import escape, has_magic
from pathlib import Path
from typing import Any, Final, NamedTuple

from ulnager.core.errors import BookError, SettingError, SourceError
from ulnager.core.messages import NO_FILE, Message
from ulnager.core.text import masked
from ulnager.sources.guard import limits_now, matching, opened_at, small_file
from ulnager.sources.opening import IN_FILES
from ulnager.sources.trusted import check_server
from ulnager.sources.urls import read_address


class House(NamedTuple):
    """The folder of a book, and whether it may leave that.

    What is said here is said early, while the book is read; whatever is opened is looked at once
    more when it is opened (``within``).
    """

    folder: Path
    allow_outside: bool
    given: Mapping[str, Any] = {}
    """Sources that a caller opened in place of the book's, by their names."""

    @property
    def within(self) -> Path | None:
        """The folder outside of which nothing is opened; None where anything may be."""
        return None if self.allow_outside else self.folder

    def path(self, name: str) -> str:
        """The path of a file that a book names; SettingError when that is outside.

        Links are followed first, so none of them leads out.
        """
        found = self.folder / name
        try:
            opened_at(found, self.within)
            if self.within is not None:
                if found.is_dir():
                    matching(f"{escape(str(found))}/**/*", self.within)
                elif has_magic(name) and not found.exists():
                    matching(str(found), self.within)
        except SourceError as error:
            raise SettingError(str(error).replace(str(found), name)) from None
        except (OSError, ValueError):
            raise SettingError(f"{name[:80]!r} can be no file's name") from None
        return str(found)

    def url(self, url: str) -> str:
        """The URL of a database; SettingError for a server, or a file that is outside.

        The path is looked at as it will be opened: decoded, and without options.
        """
        try:
            address = read_address(url)
            if not self.allow_outside and address.driver.engine not in IN_FILES:
                check_server(address)
        except SourceError as error:
            raise SettingError(str(error)) from None
        if address.driver.engine in IN_FILES:
            path = address.url.database
            if not path or path == ":memory:":
                return url
            made = address.url.set(database=self.path(path))
            return made.render_as_string(hide_password=False)
        return url


def text_of_file(path: str | Path) -> str:
    """The text of a book's file; BookError when it cannot be read, or is larger than a book is."""
    file = str(path)
    try:
        return small_file(path, limits_now().book, "a book").decode("utf-8-sig")
    except SourceError as error:
        told = str(error).removeprefix(f"{file} ").removeprefix("cannot be read: ")
        raise BookError(file, "", f"the book cannot be read: {told}") from None
    except UnicodeDecodeError:
        raise BookError(file, "", "the book is not UTF-8 text", "Save it as UTF-8.") from None


def line_in(told: str) -> int | None:
    """The line that a message of the TOML parser names; None where it names none."""
    place = re.search(r"\(at line (\d+), column", told)
    return None if place is None else int(place[1])


def _usual_mistake(text: str, told: str) -> str:
    """The line that is no TOML, and what is usually the matter with it; nothing at its end."""
    lines = text.rstrip().splitlines()
    number = line_in(told) or (len(lines) if "Cannot" in told else 0)
    if not 0 < number <= len(lines):
        return ""
    line = masked(lines[number - 1].strip())[:80]
    if re.search("key|password|token|secret", line, re.IGNORECASE):
        line = f"{line.partition('=')[0].strip()} = …"
    why = ""
    if "Cannot overwrite" in told or "Cannot declare" in told:
        why = " That stands there twice."
        if "overwrite" in told and line.startswith("["):
            why = ' That is a text already: x = "…" is short for [periods.x] with phrase = "…".'
    elif value := re.fullmatch(r"([\w.-]+)\s*=\s*([^\W\d][^'\"{\[]*)", line):
        why = f' Text stands in quotes: {value[1]} = "{value[2]}".'
    elif re.match(r"[\w-]+:|\{", line):
        why = ' A book is written as TOML: [periods], and below it quarter = "previous quarter".'
    return f"It is: {line}.{why}"


def values_of_text(file: str, text: str) -> dict[str, Any]:
    """What stands in the text of a book; BookError for what is no TOML, or nested too deeply."""
    most = limits_now().depth
    too_deep = BookError(
        file,
        "",
        f"the book is nested too deeply: more than {most} tables, lists or parts of a "
        "key in each other",
        "Raise the limit depth if you trust it.",
    )
    # Before it is parsed: a parser goes down with it, or takes forever.
    if re.search(rf"{_KEY_PART}{{{most}}}", text):
        raise too_deep
    try:
        found = tomllib.loads(text)
    except RecursionError:
        raise too_deep from None
    except ValueError as error:
        told = str(error)[:300]
        raise BookError(file, "", f"this is not TOML: {told}", _usual_mistake(text, told)) from None
    waiting: list[tuple[Any, int]] = [(found, 0)]
    while waiting:
        held, depth = waiting.pop()
        if depth > most:
            raise too_deep
        inner = held.values() if isinstance(held, dict) else held
        waiting += [(one, depth + 1) for one in inner if isinstance(one, (dict, list))]
    return found


# Each part is tried from its beginning only, and given up as a whole.
_KEY_PART: Final = r"""(?:(?>(?<![\w-])[\w-]+|"[^"\n]*+"|'[^'\n]*+')[ \t]*+\.[ \t]*+)"""


SHARED: Final = ("calendars", "anchors", "sources", "periods")
"""What is taken from an included file; all else is the book's own."""
_MOST: Final = 50


@dataclass
class Whole:
    """The values of a book with what it includes, and which file each entry is from.

    ``origins`` are the files of entries by section and name, of included ones alone; ``texts`` the
    texts of all files that were read.
    """

    values: dict[str, Any]
    origins: dict[tuple[str, str], str] = field(default_factory=dict)
    texts: dict[str, str] = field(default_factory=dict)

    def told(self, error: BookError) -> BookError:
        """A mistake as one of the file in which it stands."""
        file = self.origins.get(tuple(error.key.split(".")[:2]))  # type: ignore[arg-type]
        return error if file is None else BookError(file, error.key, error.problem, error.fix)


def whole_book(path: str | Path, *, allow_outside: bool = False) -> Whole:
    """What stands in a book's file and in those that it includes, one in the other.

    Raises BookError for a file that is not there or outside, a name that is there twice, files
    that include each other.
    """
    text = text_of_file(path)
    values = values_of_text(str(path), text)
    house = House(Path(path).resolve().parent, allow_outside)
    found = Whole(
        {name: one for name, one in values.items() if name != "include"}, texts={str(path): text}
    )
    for section in SHARED:
        if isinstance(found.values.get(section), dict):
            found.values[section] = dict(found.values[section])
    _take(found, str(path), values, house, (str(Path(path).resolve()),))
    return found


def _take(
    whole: Whole, file: str, values: Mapping[str, Any], house: House, above: tuple[str, ...]
) -> None:
    """Adds what a file includes, and what that includes."""
    names = values.get("include", [])
    if not isinstance(names, list) or not all(isinstance(one, str) for one in names):
        raise BookError(
            file, "include", "it is no list of files", 'Write include = ["shared.toml"].'
        )
    for place, name in enumerate(names):
        key = f"include.{place}"
        try:
            # What is looked at is what is opened: links are followed once.
            found = opened_at(house.path(name), house.within)
        except (SettingError, SourceError) as error:
            raise BookError(file, key, str(error)) from None
        if not Path(found).is_file():
            told = Message(f"there is no file {name!r}", code=NO_FILE)
            raise BookError(file, key, told, "Name a file in its folder.")
        here = str(Path(found).resolve())
        if here in above:
            circle = " → ".join(Path(one).name for one in (*above[above.index(here) :], here))
            raise BookError(file, key, f"these files include each other: {circle}")
        if found in whole.texts:
            raise BookError(file, key, f"{name} is included twice", "Include it in one place.")
        if len(whole.texts) > _MOST:
            raise BookError(file, key, f"more than {_MOST} files are included")
        text = text_of_file(found)
        inner = values_of_text(found, text)
        whole.texts[found] = text
        _merge(whole, found, inner)
        _take(whole, found, inner, house, (*above, here))


def _merge(whole: Whole, file: str, values: Mapping[str, Any]) -> None:
    for section, entries in values.items():
        if section == "include":
            continue
        if section not in SHARED:
            raise BookError(
                file,
                section,
                f"an included file holds {', '.join(SHARED)}; {section} is for the book itself",
                "Move it there.",
            )
        if not isinstance(entries, dict):
            raise BookError(file, section, "input should be a table")
        mine = whole.values.setdefault(section, {})
        if not isinstance(mine, dict):
            continue  # What is wrong there is told of the book itself.
        for name, entry in entries.items():
            if name in mine:
                other = whole.origins.get((section, name), next(iter(whole.texts)))
                raise BookError(
                    file,
                    f"{section}.{name}",
                    f"{Path(other).name} has that name, too",
                    "Rename one of them, or take it out.",
                )
            mine[name] = entry
            whole.origins[section, name] = file

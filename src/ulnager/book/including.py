"""What a book takes from other files in its folder: ``include = ["shared.toml"]``."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from ulnager.book.house import House
from ulnager.book.toml import text_of_file, values_of_text
from ulnager.core.errors import BookError, SettingError, SourceError
from ulnager.core.messages import NO_FILE, Message
from ulnager.sources.guard import opened_at

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
    found = Whole({name: one for name, one in values.items() if name != "include"},
                  texts={str(path): text})  # fmt: skip
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
                file, section, f"an included file holds {', '.join(SHARED)}; {section} is for the "
                "book itself", "Move it there.",
            )  # fmt: skip
        if not isinstance(entries, dict):
            raise BookError(file, section, "input should be a table")
        mine = whole.values.setdefault(section, {})
        if not isinstance(mine, dict):
            continue  # What is wrong there is told of the book itself.
        for name, entry in entries.items():
            if name in mine:
                other = whole.origins.get((section, name), next(iter(whole.texts)))
                raise BookError(
                    file, f"{section}.{name}", f"{Path(other).name} has that name, too",
                    "Rename one of them, or take it out.",
                )  # fmt: skip
            mine[name] = entry
            whole.origins[section, name] = file

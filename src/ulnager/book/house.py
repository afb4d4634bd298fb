"""What a book may read: what lies in and below its own folder, unless it is told otherwise."""

from __future__ import annotations

from glob import escape, has_magic
from pathlib import Path
from typing import NamedTuple

from ulnager.core.errors import SettingError, SourceError
from ulnager.sources.guard import HINT, matching, opened_at
from ulnager.sources.opening import IN_FILES
from ulnager.sources.urls import read_address


class House(NamedTuple):
    """The folder of a book, and whether it may leave that.

    What is said here is said early, while the book is read; whatever is opened is looked at once
    more when it is opened (``within``).
    """

    folder: Path
    allow_outside: bool

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
        except SourceError as error:
            raise SettingError(str(error)) from None
        if address.driver.engine in IN_FILES:
            path = address.url.database
            if not path or path == ":memory:":
                return url
            made = address.url.set(database=self.path(path))
            return made.render_as_string(hide_password=False)
        if not self.allow_outside:
            raise SettingError(f"a database server is outside the folder of the book; {HINT}")
        return url

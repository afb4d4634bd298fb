"""What a book may read: what lies in and below its own folder, unless it is told otherwise."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from ulnager.core.errors import SettingError

_HINT = "allow it with --allow-outside (read_book(…, allow_outside=True)) if you trust the book"


class House(NamedTuple):
    """The folder of a book, and whether it may leave that."""

    folder: Path
    allow_outside: bool

    def path(self, name: str) -> str:
        """The path of a file that a book names; SettingError when that is outside.

        Links are followed first, so none of them leads out.
        """
        found = self.folder / name
        if self.allow_outside:
            return str(found)
        try:
            inside = found.resolve().is_relative_to(self.folder)
            # A pattern may meet links on its way.
            inside = inside and all(
                one.resolve().is_relative_to(self.folder) for one in self._met(found, name)
            )
        except (OSError, ValueError, RuntimeError):
            raise SettingError(f"{name[:80]!r} can be no file's name") from None
        if not inside:
            raise SettingError(f"{name} is outside the folder of the book; {_HINT}")
        return str(found)

    def _met(self, found: Path, name: str) -> list[Path]:
        if found.is_dir():
            return list(found.rglob("*"))
        is_pattern = any(sign in name for sign in "*?[") and not found.exists()
        return list(self.folder.glob(name)) if is_pattern and not Path(name).is_absolute() else []

    def url(self, url: str) -> str:
        """The URL of a database; SettingError for a server, or a file that is outside."""
        for scheme in ("sqlite:///", "duckdb:///"):
            if url.startswith(scheme):
                return scheme + self.path(url.removeprefix(scheme))
        if not self.allow_outside:
            raise SettingError(f"a database server is outside the folder of the book; {_HINT}")
        return url

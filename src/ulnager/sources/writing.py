"""Writing a file so that it is there whole or not at all."""

from __future__ import annotations

import contextlib
import os
import re
import stat
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any, Final

from ulnager.core.errors import SourceError

try:
    import fcntl
except ImportError:  # Where there is no such thing, what is left over stays.
    fcntl = None  # type: ignore[assignment]

_FORMULAS: Final = ("=", "+", "-", "@", "\t", "\r")


@contextlib.contextmanager
def whole_file(target: str | Path) -> Iterator[Path]:
    """A place beside ``target`` to write to, which takes its name when all went well.

    What is no plain file (a pipe, a device) is written as it is. What a run of the same target left
    over that was killed is cleared away. Raises SourceError when the folder is not there or the
    file cannot be written; what was there before then stays.
    """
    try:
        path = Path(target).resolve()
        if path.exists() and not stat.S_ISREG(path.stat().st_mode):
            if path.is_dir():
                raise SourceError(f"{target} is a folder; name a file in it")
            yield path
            return
        mode = path.stat().st_mode if path.exists() else 0o666 & ~_umask()
        part, lock = _part_beside(path)
    except (OSError, ValueError) as error:
        said = getattr(error, "strerror", None) or error
        raise SourceError(f"{target} cannot be written: {said}") from None
    try:
        yield part
        part.chmod(stat.S_IMODE(mode))
        part.replace(path)
    except OSError as error:
        raise SourceError(f"{target} cannot be written: {error.strerror or error}") from None
    finally:
        part.unlink(missing_ok=True)
        lock.close()


def _part_beside(path: Path) -> tuple[Path, IO[Any]]:
    """A new file beside a path, and what holds it: whoever writes holds a lock on its part, so that
    what nobody holds was left over."""
    stem = f".{path.stem[:40]}."
    with _alone(path.parent):
        left_over = re.compile(re.escape(stem) + r"[a-z0-9_]{8}\.part" + re.escape(path.suffix))
        for one in path.parent.iterdir() if fcntl else ():
            if left_over.fullmatch(one.name) and _is_free(one):
                one.unlink(missing_ok=True)
        # The ending stays, since some writers go by it.
        handle, name = tempfile.mkstemp(f".part{path.suffix}", stem, path.parent)
        lock = os.fdopen(handle, "rb")
        if fcntl:
            fcntl.flock(handle, fcntl.LOCK_SH)
    return Path(name), lock


@contextlib.contextmanager
def _alone(folder: Path) -> Iterator[None]:
    """While no other run makes or clears away parts in a folder."""
    if not fcntl:
        yield
        return
    handle = os.open(folder, os.O_RDONLY)
    try:
        with contextlib.suppress(OSError):  # Not every file system has locks.
            fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def _is_free(path: Path) -> bool:
    try:
        with path.open("rb") as file:
            fcntl.flock(file.fileno(), fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def as_text(value: str) -> str:
    """A text that no spreadsheet takes for a formula: an apostrophe stands before what would be.

    >>> as_text("=1+1"), as_text("1+1")
    ("'=1+1", '1+1')
    """
    return f"'{value}" if value.startswith(_FORMULAS) else value


def as_text_sql(name: str) -> str:
    """The same of a column, as SQL of DuckDB."""
    signs = ", ".join(f"chr({ord(sign)})" for sign in _FORMULAS)
    return f"CASE WHEN left({name}, 1) IN ({signs}) THEN '''' || {name} ELSE {name} END"

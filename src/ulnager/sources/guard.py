"""What may be opened at all: files below a folder, and nothing that has no end.

What is checked here is what is opened: names are decoded, joined and found first, links are
followed to where they lead, and that path goes to the engine.
"""

from __future__ import annotations

import atexit
import fnmatch
import functools
import os
import select
import shutil
import stat
import tempfile
import time
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, fields, replace
from glob import has_magic
from pathlib import Path
from typing import Final

from ulnager.core.errors import SettingError, SourceError
from ulnager.core.suggest import no_such
from ulnager.core.text import visible
from ulnager.sources.trusted import HINT, is_trusted_file

MEGABYTE: Final = 1_000_000


@dataclass(frozen=True)
class Limits:
    """Each in bytes, or in what its name says.

    ``book`` and ``holidays`` are for the files of a book and of iCalendar, ``depth`` is how many
    tables, lists and parts of a key may stand inside each other, ``bases`` how many calendars may
    build on each other. ``rule_days`` is how many days all rules of a file of holidays may go
    through, ``rule_years`` over how many years one may go, ``event_days`` how long an event may be.
    ``pipe`` is what is read from a pipe, and ``pipe_seconds`` how long it may say nothing. A
    compressed file may have ``unpacked`` bytes, or ``ratio`` times its own size. ``memory`` is for
    each embedded engine, ``text`` for one value in SQLite.
    """

    book: int = 4 * MEGABYTE
    depth: int = 50
    bases: int = 50
    holidays: int = 4 * MEGABYTE
    rule_days: int = 500_000
    rule_years: int = 500
    event_days: int = 400
    pipe: int = 256 * MEGABYTE
    pipe_seconds: int = 8
    unpacked: int = 256 * MEGABYTE
    ratio: int = 100
    memory: int = 800 * MEGABYTE
    text: int = MEGABYTE


_IN_FORCE: ContextVar[Limits] = ContextVar("limits", default=Limits())  # noqa: B039


def limits_now() -> Limits:
    """The limits in force here."""
    return _IN_FORCE.get()


@contextmanager
def limits(**raised: int) -> Iterator[Limits]:
    """While other limits hold, for who trusts what is read: ``with ulnager.limits(book=10**9): …``.

    What they are stands in docs/security.md.

    >>> with limits(unpacked=10**10) as now:
    ...     now.unpacked
    10000000000

    Raises SettingError for a limit that there is not, or is no whole number above 0.
    """
    known = [one.name for one in fields(Limits)]
    for name, value in raised.items():
        if name not in known:
            raise SettingError(no_such("limit", name, known))
        if not isinstance(value, int) or isinstance(value, bool) or value < 1:
            raise SettingError(f"the limit {name} is {value!r}; give a whole number above 0")
    token = _IN_FORCE.set(replace(_IN_FORCE.get(), **raised))
    try:
        yield _IN_FORCE.get()
    finally:
        _IN_FORCE.reset(token)


def limits_of_text(text: str) -> dict[str, int]:
    """Limits as they are written in the environment: ``unpacked=10000000000 book=99999999``.

    Raises SettingError for what is none.
    """
    found = {}
    for part in text.split():
        name, _, value = part.partition("=")
        if not value.isdecimal():
            raise SettingError(
                f"ULNAGER_LIMITS holds {part[:40]!r}; write name=number, such as "
                "unpacked=10000000000"
            )
        found[name] = int(value)
    return found


MOST_MET: Final = 1_000_000
"""So many files and folders are looked at for one pattern."""
_CHUNK: Final = 1 << 16


def opened_at(path: str | Path, within: Path | None = None) -> str:
    """Where a path leads to: links are followed; SourceError when that is outside of ``within``,
    and of every folder that the user trusts.

    Without ``within`` the path stays as it is.
    """
    if within is None:
        return str(path)
    try:
        found = (within / path).resolve()
        is_inside = found.is_relative_to(within.resolve())
    except (OSError, ValueError, RuntimeError):
        raise SourceError(f"{visible(str(path))[:80]!r} can be no file's name") from None
    if not is_inside and not is_trusted_file(found):
        raise SourceError(f"{visible(str(path))} is outside the folder of the book; {HINT}")
    return str(found)


def matching(pattern: str, within: Path | None = None) -> list[str]:
    """The files that a pattern names, in order; ``**`` stands for any folders.

    Each folder is entered once, however many links lead there. Raises SourceError as soon as one
    of them, or a file, is outside of ``within``, and for too many.
    """
    path = Path(pattern)
    start = [Path(path.anchor or ".")]
    met = 0

    def entries(folder: Path) -> Iterator[os.DirEntry[str]]:
        nonlocal met
        try:
            with os.scandir(folder) as found:
                for one in found:
                    met += 1
                    if met > MOST_MET:
                        raise SourceError(
                            f"{pattern}: more than {MOST_MET:,} files and folders are looked at"
                        )
                    yield one
        except OSError:
            return

    def below(folders: list[Path]) -> list[Path]:
        """These folders, and all below them, each once."""
        seen: set[tuple[int, int]] = set()
        found, waiting = [], list(reversed(folders))
        while waiting:
            folder = waiting.pop()
            try:
                told = folder.stat()
            except OSError:
                continue
            if (told.st_dev, told.st_ino) in seen:
                continue
            seen.add((told.st_dev, told.st_ino))
            found.append(folder)
            for one in entries(folder):
                if _is_folder(one) and not one.name.startswith("."):
                    if one.is_symlink():
                        opened_at(one.path, within)
                    waiting.append(Path(one.path))
        return found

    parts = path.parts[1:] if path.anchor else path.parts
    for place, part in enumerate(parts):
        is_last = place == len(parts) - 1
        if part == "**":
            start = below(start)
            if is_last:
                start = [Path(one.path) for folder in start for one in entries(folder)]
        elif has_magic(part):
            start = [
                Path(one.path)
                for folder in start
                for one in entries(folder)
                if fnmatch.fnmatchcase(one.name, part)
                and (part.startswith(".") or not one.name.startswith("."))
                and (is_last or _is_folder(one))
            ]
        else:
            start = [folder / part for folder in start]
            start = [one for one in start if one.exists()]
        if within is not None and place < len(parts) - 1:
            for folder in start:
                opened_at(folder, within) if folder.is_symlink() else None
    found = sorted(str(one) for one in start if one.is_file())
    for one in found if within is not None else ():
        opened_at(one, within)
    return found


def _is_folder(entry: os.DirEntry[str]) -> bool:
    try:
        return entry.is_dir()
    except OSError:
        return False


def check_plain(path: str | Path) -> None:
    """SourceError for a pipe, a device, or anything else that is there and is no plain file."""
    try:
        kind = Path(path).stat().st_mode
    except FileNotFoundError:
        return  # Who opens it says so.
    except (OSError, ValueError) as error:
        said = getattr(error, "strerror", None) or "no file can be called so"
        raise SourceError(f"{visible(str(path))[:80]} cannot be read: {said}") from None
    if not stat.S_ISREG(kind):
        raise SourceError(f"{visible(str(path))} is no file")


def small_file(path: str | Path, most: int, what: str) -> bytes:
    """What stands in a file of at most ``most`` bytes; a pipe is read once.

    Raises SourceError for a larger one, a device, and what cannot be read.
    """
    if is_pipe(path):
        return pipe_read(path, most, what)
    check_plain(path)
    try:
        with open(path, "rb") as file:  # noqa: PTH123
            found = file.read(most + 1)
    except OSError as error:
        raise SourceError(f"{path} cannot be read: {error.strerror or error}") from None
    if len(found) > most:
        raise SourceError(_too_large(path, most, what))
    return found


def _too_large(path: str | Path, most: int, what: str) -> str:
    return (
        f"{path} has more than {most:,} bytes, and {what} may have no more; raise the limit "
        f"{what.split()[-1]} if you trust it (docs/security.md)"
    )


def is_pipe(path: str | Path) -> bool:
    """Whether a path is a pipe, which can be read once."""
    try:
        return stat.S_ISFIFO(Path(path).stat().st_mode)
    except (OSError, ValueError):
        return False


def pipe_read(path: str | Path, most: int, what: str) -> bytes:
    """All that comes out of a pipe; SourceError for too much, or where it says nothing."""
    return b"".join(_chunks(path, most, what))


def piped_file(path: str | Path) -> str:
    """A file of our own with what came out of a pipe, since engines read a file several times."""
    folder = own_folder()
    ending = "".join(Path(path).suffixes[-2:]) or ".csv"
    handle, name = tempfile.mkstemp(ending, "piped-", folder)
    with os.fdopen(handle, "wb") as file:
        for chunk in _chunks(path, limits_now().pipe, "a pipe"):
            file.write(chunk)
    return name


@functools.cache
def saved_input() -> str:
    """A file of our own with what stands on standard input, a pipe or not; an end is an end."""
    most = limits_now().pipe
    handle, name = tempfile.mkstemp(".csv", "input-", own_folder())
    with os.fdopen(handle, "wb") as file, os.fdopen(os.dup(0), "rb") as given:
        left = most
        while chunk := given.read(_CHUNK):
            left -= len(chunk)
            if left < 0:
                raise SourceError(f"standard input has more than {most:,} bytes; save it as a file")
            file.write(chunk)
    return name


def _chunks(path: str | Path, most: int, what: str) -> Iterator[bytes]:
    seconds = limits_now().pipe_seconds
    silent = SourceError(
        f"{path} is a pipe, and nothing came out of it for {seconds} seconds; raise the limit "
        "pipe_seconds if it takes longer (docs/security.md)"
    )
    try:
        handle = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0))
    except OSError as error:
        raise SourceError(f"{path} cannot be read: {error.strerror or error}") from None
    try:
        read, until = 0, time.monotonic() + seconds
        while True:
            left = until - time.monotonic()
            if left <= 0 or not select.select([handle], [], [], left)[0]:
                raise silent
            try:
                chunk = os.read(handle, _CHUNK)
            except BlockingIOError:
                continue
            if not chunk:
                if read:
                    return
                # Nobody has opened the other end yet, or somebody has closed it again.
                time.sleep(0.02)
                continue
            read += len(chunk)
            if read > most:
                raise SourceError(_too_large(path, most, what))
            until = time.monotonic() + seconds
            yield chunk
    finally:
        os.close(handle)


def check_unpacked(path: str) -> None:
    """SourceError for a gzip file that unpacks to far more than its own size.

    Its pieces are unpacked and thrown away; what stands in it of its length may be a lie.
    """
    limit = limits_now()
    try:
        most = max(limit.unpacked, limit.ratio * Path(path).stat().st_size)
        unpacked = 0
        machine = zlib.decompressobj(wbits=31)
        with open(path, "rb") as file:  # noqa: PTH123
            held = file.read(_CHUNK)
            while held:
                unpacked += len(machine.decompress(held, 1 << 20))
                if unpacked > most:
                    raise SourceError(
                        f"{path} unpacks to more than {most:,} bytes, {limit.ratio} times its size "
                        "or more; raise the limit unpacked if you trust it (docs/security.md)"
                    )
                if machine.eof:  # Another member may follow.
                    held = machine.unused_data or file.read(_CHUNK)
                    machine = zlib.decompressobj(wbits=31)
                else:
                    held = machine.unconsumed_tail or file.read(_CHUNK)
    except OSError as error:
        raise SourceError(f"{path} cannot be read: {error.strerror or error}") from None
    except zlib.error:
        return  # Who reads it says what is wrong with it.


_own: dict[int, str] = {}


def own_folder() -> str:
    """A folder for what this process puts aside, which nobody else can look into.

    It has no name that can be known before, and is gone when the process ends.
    """
    process = os.getpid()
    if process not in _own:
        _own[process] = made = tempfile.mkdtemp(prefix="ulnager-")
        atexit.register(_clear, process, made)
    return _own[process]


def _clear(process: int, folder: str) -> None:
    # A process that was forked has the same duties noted, and must not do them.
    if os.getpid() == process:
        shutil.rmtree(folder, ignore_errors=True)

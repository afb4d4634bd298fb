"""Writing a file so that it is there whole or not at all."""

from __future__ import annotations

import contextlib
import os
import stat
import tempfile
from collections.abc import Iterator
from pathlib import Path

from ulnager.core.errors import SourceError


@contextlib.contextmanager
def whole_file(target: str | Path) -> Iterator[Path]:
    """A place beside ``target`` to write to, which takes its name when all went well.

    What is no plain file (a pipe, a device) is written as it is. Raises SourceError when the
    folder is not there or the file cannot be written; what was there before then stays.
    """
    try:
        path = Path(target).resolve()
        if path.exists() and not stat.S_ISREG(path.stat().st_mode):
            if path.is_dir():
                raise SourceError(f"{target} is a folder; name a file in it")
            yield path
            return
        mode = path.stat().st_mode if path.exists() else 0o666 & ~_umask()
        # The ending stays, since some writers go by it.
        handle, name = tempfile.mkstemp(f".part{path.suffix}", f".{path.stem[:40]}.", path.parent)
    except (OSError, ValueError) as error:
        said = getattr(error, "strerror", None) or error
        raise SourceError(f"{target} cannot be written: {said}") from None
    os.close(handle)
    part = Path(name)
    try:
        yield part
        part.chmod(stat.S_IMODE(mode))
        part.replace(path)
    except OSError as error:
        raise SourceError(f"{target} cannot be written: {error.strerror or error}") from None
    finally:
        part.unlink(missing_ok=True)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask

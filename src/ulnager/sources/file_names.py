"""From names to files: a name that exists is that file, and a pattern is several on purpose."""

from __future__ import annotations

from collections.abc import Sequence
from errno import EBADF, ELOOP, ENOENT, ENOTDIR
from glob import escape, has_magic
from pathlib import Path
from typing import Final, NamedTuple

from ulnager.core.errors import SourceError
from ulnager.core.messages import NO_FILE, Message
from ulnager.core.suggest import nearest
from ulnager.sources.guard import check_plain, is_pipe, matching, opened_at, piped_file

READERS: Final = {
    ".csv": "csv",
    ".tsv": "csv",
    ".txt": "csv",
    ".csv.gz": "csv",
    ".parquet": "parquet",
    ".pq": "parquet",
}
MOST_FILES: Final = 100_000


class Files(NamedTuple):
    """One or several files of one sort that are read as one table.

    ``paths`` are as they were named, ``opened`` where they lead to, which is what is opened.
    ``name`` is for people; ``parts`` is set when the names of folders hold columns
    (``year=2026/month=05/…``).
    """

    paths: tuple[str, ...]
    opened: tuple[str, ...]
    sort: str
    name: str
    parts: bool = False


def named_files(names: Sequence[str | Path], within: Path | None = None) -> Files:
    """The files of these names, patterns and folders, in order.

    A name that exists is that file, whatever signs are in it. Any other with ``*``, ``?`` or
    ``[…]`` is a pattern, where ``**`` stands for any folders. A folder of parts
    (``year=2026/…``) is all files below it. A pipe is read once, unless they have to be
    ``within`` a folder.

    Raises SourceError for a name that is not there, files of two sorts, and what is no file or
    outside of ``within``.
    """
    found: list[str] = []
    for name in names:
        found += _of_name(str(name), within)
    paths = tuple(dict.fromkeys(found))
    sorts = {_sort(path) for path in paths}
    if len(sorts) > 1:
        raise SourceError(f"{', '.join(map(str, names))} are files of two sorts; name one sort")
    parts = any("=" in part for path in paths for part in Path(path).parts[:-1])
    shown = ", ".join(str(name) for name in names)
    if len(paths) > 1:
        shown += f" ({len(paths)} files)"
    opened = []
    for path in paths:
        if within is None and is_pipe(path):
            opened.append(piped_file(path))
            continue
        opened.append(opened_at(path, within))
        check_plain(opened[-1])
    if parts and within is not None and not _same_parts(paths, opened):
        raise SourceError(f"{shown}: the folders of parts lead elsewhere by links; name the files")
    return Files(paths, tuple(opened), sorts.pop(), shown, parts)


def _same_parts(paths: Sequence[str], opened: Sequence[str]) -> bool:
    """Whether the folders that hold columns are the same where links lead to."""

    def parts(path: str) -> list[str]:
        return [one for one in Path(path).parts[:-1] if "=" in one]

    return all(parts(one) == parts(other) for one, other in zip(paths, opened, strict=True))


def _is_there(path: Path) -> bool:
    """Whether there is such a file; OSError for what can be none's name, which ``Path.exists``
    does not tell apart from Python 3.14 on."""
    try:
        path.stat()
    except ValueError:
        return False
    except OSError as error:
        if error.errno in (ENOENT, ENOTDIR, EBADF, ELOOP):
            return False
        raise
    return True


def _of_name(name: str, within: Path | None) -> list[str]:
    path = Path(name)
    try:
        if path.is_dir():
            opened_at(path, within)
            return _of_folder(path, within)
        exists = _is_there(path)
    except (OSError, ValueError):
        raise SourceError(f"{name[:80]!r} can be no file's name") from None
    if exists:
        if is_pipe(path) and within is None:
            return [name]
        check_plain(path)
        if path.stat().st_size == 0:
            raise SourceError(f"{name} is empty: it has no header and no rows")
        return [name]
    if has_magic(name):
        found = matching(name, within)
        if not found:
            raise SourceError(f"no file is named like {name}")
        if len(found) > MOST_FILES:
            raise SourceError(f"{name}: {len(found):,} files; at most {MOST_FILES:,} are read")
        return found
    near = _near_file(path)
    told = f"there is no file {name}" + (f"; did you mean {near}?" if near else "")
    raise SourceError(Message(told, code=NO_FILE))


def _of_folder(folder: Path, within: Path | None) -> list[str]:
    found = [
        name
        for name in matching(f"{escape(str(folder))}/**/*", within)
        if _ending(Path(name)) in READERS and Path(name).stat().st_size
    ]
    if not any("=" in part for path in found for part in Path(path).relative_to(folder).parts[:-1]):
        raise SourceError(
            f"{folder} is a folder, and not one of parts such as year=2026; name a file in it, or "
            f"all with {folder}/*.parquet"
        )
    return found


def _sort(path: str) -> str:
    sort = READERS.get(_ending(Path(path)))
    if sort is None and is_pipe(path):
        return "csv"  # Such as /dev/fd/63, which has no ending to go by.
    if sort is None:
        raise SourceError(
            f"{path}: files are read by their ending; known are {', '.join(READERS)}. Save it as "
            "one of these, or give what another library reads of it as a data frame"
        )
    return sort


def _ending(path: Path) -> str:
    return ("".join(path.suffixes[-2:]) if path.suffix == ".gz" else path.suffix).lower()


def _near_file(path: Path) -> str | None:
    try:
        others = [other.name for other in path.parent.iterdir() if other.is_file()]
    except (OSError, ValueError):
        return None
    near = nearest(path.name, others)
    return str(path.parent / near) if near else None

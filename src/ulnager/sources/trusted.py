"""What a user trusts beside the folder of a book: folders and hosts, named once.

They stand in the user's own configuration file, which the command line reads; Python code says
``allow_outside`` instead. Looked at only where a book leaves its folder.
"""

from __future__ import annotations

import functools
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from ulnager.core.errors import SourceError
from ulnager.core.suggest import no_such

if TYPE_CHECKING:
    from pathlib import Path

    from ulnager.sources.urls import Address

_ASKED: ContextVar[bool] = ContextVar("trusted", default=False)
HINT: Final = (
    "allow it with --allow-outside (read_book(…, allow_outside=True)) if you trust the book, or "
    "name the place in your own configuration (docs/security.md)"
)
_PLACES: Final = ("folders", "hosts")
_HOSTS: Final = ("host", "hostaddr")


class Trusted(NamedTuple):
    """Folders, links followed, and the hosts of database servers, in small letters."""

    folders: tuple[Path, ...] = ()
    hosts: frozenset[str] = frozenset()


@contextmanager
def configured() -> Iterator[None]:
    """While the user's configuration file holds."""
    token = _ASKED.set(True)
    try:
        yield
    finally:
        _ASKED.reset(token)


def configuration_file() -> Path:
    """Where the user's configuration file lies, or would."""
    from platformdirs import user_config_path

    return user_config_path("ulnager", appauthor=False) / "config.toml"


def is_trusted_file(path: Path) -> bool:
    """Whether a path, its links followed, is in or below a trusted folder."""
    return any(path.is_relative_to(folder) for folder in _trusted().folders)


def check_server(address: Address) -> None:
    """SourceError for the server of a book's URL, unless every host it may lead to is trusted."""
    if not is_trusted_server(address):
        raise SourceError(
            f"{address.name} is a database server, which is outside the folder of the book; {HINT}"
        )


def is_trusted_server(address: Address) -> bool:
    """Whether every host that a URL may lead to is trusted; options of it name some, too."""
    url = address.url
    named = [url.host or ""]
    for option in _HOSTS:
        given = url.query.get(option, ())
        for text in (given,) if isinstance(given, str) else given:
            named += text.split(",")
    if "unix_socket" in url.query:
        return False
    # A host of an option may have its port; an IPv6 address has colons of its own.
    plain = {one.lower().partition(":")[0] if one.count(":") == 1 else one.lower() for one in named}
    return plain <= _trusted().hosts


def _trusted() -> Trusted:
    if not _ASKED.get():
        return Trusted()
    file = configuration_file()
    try:
        changed = file.stat().st_mtime_ns
    except OSError:
        return Trusted()
    return _read(file, changed)


@functools.lru_cache(maxsize=4)
def _read(file: Path, _changed: int) -> Trusted:
    import tomllib
    from pathlib import Path

    try:
        found = tomllib.loads(file.read_text("utf-8-sig"))
    except (OSError, ValueError, RecursionError) as error:
        raise SourceError(f"your configuration {file} cannot be read: {error}") from None
    for name in found.keys() - {"trusted"}:
        raise SourceError(f"your configuration {file}: {no_such('table', name, ['trusted'])}")
    given = found.get("trusted", {})
    if not isinstance(given, dict):
        raise SourceError(f"your configuration {file}: write [trusted], with folders and hosts")
    for name in given.keys() - set(_PLACES):
        raise SourceError(f"your configuration {file}: {no_such('key', name, _PLACES)}")
    folders = _texts(file, given, "folders")
    paths = tuple(Path(one).expanduser() for one in folders)
    for text, path in zip(folders, paths, strict=True):
        if not path.is_absolute():
            raise SourceError(
                f"your configuration {file}: the folder {text!r} is relative; write it from the "
                "root, or from ~"
            )
    hosts = frozenset(one.lower() for one in _texts(file, given, "hosts") if one)
    return Trusted(tuple(path.resolve() for path in paths), hosts)


def _texts(file: Path, given: dict[str, Any], name: str) -> list[str]:
    found = given.get(name, [])
    if not isinstance(found, list) or not all(isinstance(one, str) and one for one in found):
        raise SourceError(f"your configuration {file}: {name} is a list of texts")
    return found

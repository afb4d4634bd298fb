"""What was worked out and is still true: kept for a while, worked out once, however many ask.

Nothing of a viewer is kept here: the keys hold the question and what the files looked like, so that
each copy of the service comes to the same answers.
"""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from concurrent.futures import Future
from glob import escape
from pathlib import Path
from threading import Lock
from typing import Any, Final, TypeVar

from ulnager.book.sources import BookSource
from ulnager.core.errors import SourceError
from ulnager.sources.guard import matching
from ulnager.sources.source import GivenUp

Found = TypeVar("Found")
FRESH_SECONDS: Final = 5
"""So long what a database holds is taken for unchanged; a file is looked at each time."""


class Cache:
    """The last answers, at most ``most``; an answer that failed is not kept."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[Hashable, Future[Any]] = OrderedDict()
        self._lock = Lock()

    def of(
        self, key: Hashable, make: Callable[[], Found], holds: Callable[[], bool] = lambda: True
    ) -> Found:
        """What ``make`` gives, or gave for that key; others that ask meanwhile wait for it.

        Where the one who asked first gives up, the next asks itself. What no longer ``holds`` when
        it is made is not kept: a file that went away and came back looks as it did before.
        """
        while True:
            with self._lock:
                found = self._held.get(key)
                is_mine = found is None
                if found is None:
                    found = self._held[key] = Future()
                self._held.move_to_end(key)
                while len(self._held) > self._most:
                    self._held.popitem(last=False)
            if is_mine:
                try:
                    made = make()
                    if not holds():
                        self._forget(key, found)
                    found.set_result(made)
                except BaseException as error:
                    self._forget(key, found)
                    found.set_exception(error)
            try:
                return found.result()  # type: ignore[no-any-return]
            except GivenUp:
                if is_mine:
                    raise

    def _forget(self, key: Hashable, found: Future[Any]) -> None:
        with self._lock:
            if self._held.get(key) is found:
                del self._held[key]


def stamp_of(source: BookSource) -> Hashable:
    """What changes when a source does: size and time of its files; of a database the time."""
    if source.query is not None:
        return tuple(stamp_of(one) for one in source.others)
    places = (source.place,) if isinstance(source.place, str) else source.place
    found: list[Hashable] = []
    for place in places:
        if "://" in place:
            found.append(int(time.monotonic() / FRESH_SECONDS))
            continue
        path = Path(place)
        if path.exists() and not path.is_dir():
            found.append(_of_file(path))
        else:
            place = f"{escape(place)}/**/*" if path.is_dir() else place
            try:
                found += [_of_file(Path(one)) for one in matching(place, source.within)]
            except SourceError:
                found.append(None)  # Whoever opens it is told.
    return tuple(found)


def _of_file(path: Path) -> Hashable:
    try:
        told = path.stat()
    except OSError:
        return None
    return str(path), told.st_mtime_ns, told.st_size, told.st_ino

"""What was opened or worked out and is still true: kept for a while, once for all who ask.

Nothing of a viewer is kept here: the keys hold the question and what the files looked like, so that
each copy of the service comes to the same answers.
"""

from __future__ import annotations

import os
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from concurrent.futures import Future
from glob import escape
from pathlib import Path
from threading import Lock
from typing import TYPE_CHECKING, Any, Final, TypeVar

from ulnager.core.errors import SourceError
from ulnager.sources.guard import limits_now, matching
from ulnager.sources.source import GivenUp

if TYPE_CHECKING:
    from ulnager.book.sources import BookSource
    from ulnager.choices.resolver import Moment
    from ulnager.core.periods.anchors import Extent
    from ulnager.sources.duckdb_source import Rows
    from ulnager.sources.source import Relation

Found = TypeVar("Found")
_FINE, _COARSE = 0.05, 2.0
"""So many seconds two changes of a file can have one time, by the file system."""
_MOST_OPEN: Final = 12
_MOST_ANSWERS: Final = 200
_MOST_ROWS: Final = 2_000
FRESH_SECONDS: Final = 5
"""So long what a database holds is taken for unchanged; a file is looked at each time."""


class Cache:
    """The last answers, at most ``most``; an answer that failed is not kept."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[Hashable, Future[Any]] = OrderedDict()
        self._lock = Lock()

    def of(
        self,
        key: Hashable,
        make: Callable[[], Found],
        holds: Callable[[Found], bool] = lambda made: True,
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
                    if not holds(made):
                        self.forget(key, found)
                    found.set_result(made)
                except BaseException as error:
                    self.forget(key, found)
                    found.set_exception(error)
            try:
                return found.result()  # type: ignore[no-any-return]
            except GivenUp:
                if is_mine:
                    raise

    def forget(self, key: Hashable, found: Future[Any] | None = None) -> None:
        """Keep what a key had no longer, or no longer if it is this."""
        with self._lock:
            if found is None or self._held.get(key) is found:
                self._held.pop(key, None)


class OpenedFiles:
    """The files of a book, each opened once while it does not change, with what it answered.

    What the columns of a CSV file hold takes longer to find out than most questions. Databases are
    opened each time: who writes to one must not wait for us.
    """

    def __init__(self) -> None:
        self._begin()

    def _begin(self) -> None:
        self._process = os.getpid()
        self._opened, self._answers = Cache(_MOST_OPEN), Cache(_MOST_ANSWERS)
        self._last: dict[str, Hashable] = {}

    def __reduce__(self) -> tuple[Any, ...]:
        return OpenedFiles, ()

    def __call__(
        self, source: BookSource, newly: Callable[[], Relation], seconds: float | None
    ) -> Relation:
        """The source as ``newly`` opens it, or opened it; each question may take so long."""
        key = self._key_of(source)
        if key is None:
            return newly()
        from ulnager.sources.file_source import FileSource

        def still() -> bool:
            return self._key_of(source) == key

        def answers(sql: str, ask: Callable[[str], Rows]) -> Rows:
            def is_kept(rows: Rows) -> bool:
                return len(rows) <= _MOST_ROWS and still()

            rows = self._answers.of((key, sql), lambda: ask(sql), is_kept)
            return rows.copy()

        before, self._last[source.name] = self._last.get(source.name, key), key
        if before != key:
            self._opened.forget(before)  # As it was, it holds memory.

        def opened() -> Relation:
            made = newly()
            if isinstance(made, FileSource):
                made.hold()
            return made

        found = self._opened.of(key, opened, lambda made: isinstance(made, FileSource) and still())
        if not isinstance(found, FileSource):
            return newly()  # Others that waited have this one.
        found = found.again()
        found.timeout, found.answers = seconds, answers
        return found

    def extent(self, source: BookSource, moment: Moment, find: Callable[[], Extent]) -> Extent:
        """The dates of a source at a moment, found or as they were found while its files do not
        change."""
        key = self._key_of(source)
        if key is None or moment.up_to is not None:
            return find()
        asked = (key, "extent", moment.today, moment.day_starts)
        return self._answers.of(asked, find, lambda _: self._key_of(source) == key)

    def _key_of(self, source: BookSource) -> Hashable | None:
        """What a source is and how its files look, which all that is kept of it hangs on; None for
        one of which nothing is kept."""
        if source.given is not None or source.query is not None or "://" in "".join(source.place):
            return None
        if self._process != os.getpid():
            # An engine does not live on in a process that was forked, and cannot be taken apart.
            _LEFT.append((self._opened, self._answers))
            self._begin()
        told = source.form, source.column, source.where, source.tz, source.share, source.limit
        return source.name, source.place, repr(told), limits_now(), stamp_of(source)


_LEFT: Final[list[object]] = []


def stamp_of(source: BookSource) -> Hashable:
    """What changes when a source does: size and time of its files; of a database the time.

    Nothing is opened, so that files outside of the book's folder, which are refused when they are,
    do no harm here.
    """
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
            found.append(_of_file(place))
        else:
            place = f"{escape(place)}/**/*" if path.is_dir() else place
            try:
                found += [_of_file(one) for one in matching(place)]
            except SourceError:
                found.append(None)  # Whoever opens it is told.
    return tuple(found)


def _of_file(path: str) -> Hashable:
    """What tells a file from what it was; while it may change without that, nothing is the same."""
    try:
        told = Path(path).stat()
    except OSError:
        return None
    whole_seconds = told.st_mtime_ns % 1_000_000_000 == 0
    if time.time() - told.st_mtime < (_COARSE if whole_seconds else _FINE):
        return object()
    return path, told.st_mtime_ns, told.st_ctime_ns, told.st_size, told.st_ino

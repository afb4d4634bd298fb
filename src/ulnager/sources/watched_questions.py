"""A question to an engine: asked aside, given up when its time is over or nobody waits any more.

Engines have limits of their own, and do not always keep them: a server may accept and say nothing,
one function may take minutes without looking up. So every question has a watch on this side, too.
"""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar, copy_context
from typing import Any, Final, TypeVar

from ulnager.core.errors import SourceError

Found = TypeVar("Found")
GRACE: Final = 1.0
"""So many seconds an engine has to stop after it was told to."""
_MOMENT: Final = 0.05


class GivenUp(SourceError):  # noqa: N818
    """Nobody waits for the answer any more."""


def too_long(name: str, timeout: float | None) -> str:
    """What to say when a question took longer than it may."""
    return (
        f"{name}: no answer within {timeout:g} seconds; allow more with --timeout (timeout=), or "
        "ask a smaller table"
    )


class Question:
    """What somebody waits for, whichever engines have to be asked; it can be given up.

    An answer that is worked out for several is given up when the last of them has gone.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._stops: list[Callable[[], None]] = []
        self.is_given_up = False

    def give_up(self) -> None:
        """Stops what the engines are at, and lets nothing more be asked."""
        with self._lock:
            self.is_given_up = True
            stops = list(self._stops)
        for stop in stops:
            with contextlib.suppress(Exception):
                stop()

    @contextmanager
    def stoppable(self, stop: Callable[[], None]) -> Iterator[None]:
        """While an engine is asked, which ``stop`` would stop; GivenUp where it is too late."""
        with self._lock:
            if self.is_given_up:
                raise GivenUp("nobody waits for this answer any more")
            self._stops.append(stop)
        try:
            yield
        finally:
            with self._lock:
                self._stops.remove(stop)


_QUESTION: ContextVar[Question | None] = ContextVar("question", default=None)


@contextmanager
def belonging_to(question: Question) -> Iterator[None]:
    """While all that engines are asked belongs to a question."""
    token = _QUESTION.set(question)
    try:
        yield
    finally:
        _QUESTION.reset(token)


def asked(
    work: Callable[[], Found],
    stop: Callable[[], None],
    seconds: float | None,
    late: Callable[[], SourceError],
) -> Found:
    """What ``work`` gives, which ``stop`` stops from another thread.

    It is told to stop after so many seconds, when its question is given up, and at Ctrl-C, and is
    left to itself where it does not: then the error is ``late``, all the same.
    """
    question = _QUESTION.get()
    if question is None:
        return _aside(work, stop, seconds, late)
    with question.stoppable(stop):
        try:
            return _aside(work, stop, seconds, late)
        except SourceError:
            if question.is_given_up:
                raise GivenUp("nobody waits for this answer any more") from None
            raise


def _aside(
    work: Callable[[], Found],
    stop: Callable[[], None],
    seconds: float | None,
    late: Callable[[], SourceError],
) -> Found:
    done: list[Any] = []
    failed: list[BaseException] = []

    def run() -> None:
        try:
            done.append(work())
        except BaseException as error:  # Raised again below.
            failed.append(error)

    # Aside from the main thread, which hears Ctrl-C at once then, and in the caller's context.
    thread = threading.Thread(target=copy_context().run, args=(run,), daemon=True)
    thread.start()
    try:
        thread.join(seconds)
    except KeyboardInterrupt:
        while thread.is_alive():
            stop()
            thread.join(_MOMENT)
        raise
    if thread.is_alive():
        stop()
        thread.join(GRACE)
        raise late()
    if failed:
        raise failed[0]
    return done[0]  # type: ignore[no-any-return]

"""Few questions at once: asked once for all who wait, and given up when nobody waits any more."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Hashable
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass, field
from threading import Lock
from typing import Any, Final, TypeVar

from ulnager.sources.source import GivenUp, Question, belonging_to
from ulnager.web.problems import Refused

Found = TypeVar("Found")
MOST_AT_ONCE: Final = 8
MOST_WAITING: Final = 200


@dataclass
class _Shared:
    """A question that is asked, the future with its answer, and how many wait for that."""

    question: Question = field(default_factory=Question)
    future: Future[Any] | None = None
    askers: int = 0


class Workers:
    """Works answers out in threads, at most so many at once; the rest wait for their turn.

    A thread is free again when its work is over, and not before, whoever has gone meanwhile.
    """

    def __init__(self, most: int = MOST_AT_ONCE) -> None:
        self._pool = ThreadPoolExecutor(most, thread_name_prefix="ulnager")
        self._asked: dict[Hashable, _Shared] = {}
        self._lock = Lock()

    async def answer(self, key: Hashable, make: Callable[[], Found]) -> Found:
        """What a function gives, which is called once for all that ask with one key meanwhile."""
        while True:
            shared = self._joined(key, make)
            assert shared.future is not None
            try:
                return await asyncio.shield(asyncio.wrap_future(shared.future))
            except GivenUp:
                continue  # The last of the others had just gone when this one came.
            finally:
                self._left(key, shared)

    def close(self) -> None:
        """Gives up whatever is still asked."""
        with self._lock:
            left = list(self._asked.values())
        for shared in left:
            shared.question.give_up()
        self._pool.shutdown(wait=False, cancel_futures=True)

    def _joined(self, key: Hashable, make: Callable[[], Any]) -> _Shared:
        with self._lock:
            shared = self._asked.get(key)
            if shared is None or shared.question.is_given_up:
                if len(self._asked) >= MOST_WAITING:
                    raise Refused(503, "busy", "too many questions wait", {"retry-after": "5"})
                shared = self._asked[key] = _Shared()
                context, question = copy_context(), shared.question

                def work() -> Any:
                    if question.is_given_up:
                        raise GivenUp("nobody waits for this answer any more")
                    with belonging_to(question):
                        return make()

                shared.future = self._pool.submit(context.run, work)
            shared.askers += 1
            return shared

    def _left(self, key: Hashable, shared: _Shared) -> None:
        with self._lock:
            shared.askers -= 1
            is_last = shared.askers == 0
            if is_last and self._asked.get(key) is shared:
                del self._asked[key]
        if is_last and shared.future is not None and not shared.future.done():
            # Aside, since telling a server to stop may take a moment.
            asyncio.get_running_loop().run_in_executor(None, shared.question.give_up)

"""A sign of life on standard error, where that is a terminal and something takes over a second."""

from __future__ import annotations

import contextlib
import sys
import threading
from collections.abc import Iterator
from typing import Any, Final

_AFTER: Final = 1.0
_SHOWN: list[_Sign] = []


class _Sign:
    """A line that says what is done; it shows itself after a second, and goes without a trace."""

    def __init__(self, text: str) -> None:
        self._text = text
        self._status: Any = None
        self._lock = threading.Lock()
        self._is_over = False
        self._timer = threading.Timer(_AFTER, self._show)
        self._timer.daemon = True
        self._timer.start()

    def _show(self) -> None:
        from rich.console import Console

        with self._lock:
            if not self._is_over:
                self._status = Console(stderr=True).status(self._text)
                self._status.start()

    def stop(self) -> None:
        with self._lock:
            self._is_over = True
            self._timer.cancel()
            if self._status is not None:
                self._status.stop()
                self._status = None


@contextlib.contextmanager
def working(text: str) -> Iterator[None]:
    """While something is worked out, a line says so."""
    if sys.stderr is None or not sys.stderr.isatty():
        yield
        return
    sign = _Sign(text)
    _SHOWN.append(sign)
    try:
        yield
    finally:
        sign.stop()
        _SHOWN.remove(sign)


def stop_signs() -> None:
    """Takes away what is shown, before anything else is written to the terminal."""
    for sign in _SHOWN:
        sign.stop()

"""Runs the service in a server of its own, on this machine."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Sequence
from typing import Any

import uvicorn
from uvicorn.protocols.http.h11_impl import H11Protocol

from ulnager.core.errors import SourceError
from ulnager.web.request_guard import SECONDS_TO_SEND
from ulnager.web.service import service


class Hurried(H11Protocol):
    """Ends connections whose headers take too long: the server itself waits for them for ever."""

    _watch: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._start()

    def handle_events(self) -> None:
        super().handle_events()
        # Between the first sign of a request and its whole head.
        if self.cycle is not None and not self.cycle.response_complete:
            self._stop()

    def data_received(self, data: bytes) -> None:
        if self._watch is None and (self.cycle is None or self.cycle.response_complete):
            self._start()
        super().data_received(data)

    def connection_lost(self, exc: Exception | None) -> None:
        self._stop()
        super().connection_lost(exc)

    def _start(self) -> None:
        self._watch = self.loop.call_later(SECONDS_TO_SEND, self._end)

    def _stop(self) -> None:
        if self._watch is not None:
            self._watch.cancel()
            self._watch = None

    def _end(self) -> None:
        self._watch = None
        if not self.transport.is_closing():
            self.transport.abort()


def run(
    book: Any, host: str, port: int, today: Any, hosts: Sequence[str], *, any_day: bool = False
) -> None:
    """Serve a book until it is interrupted; SourceError where the port cannot be had."""
    app = service(book, today=today, hosts=hosts, any_day=any_day)
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    listening = socket.socket(family, socket.SOCK_STREAM)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((host, port))
        # Whoever reads the address below may ask at once.
        listening.listen(2_048)
    except OSError as error:
        listening.close()
        raise SourceError(
            f"port {port} of {host} cannot be had: {error.strerror or error}; take another, such "
            "as --port 0"
        ) from None
    port = listening.getsockname()[1]
    shown = f"[{host}]" if ":" in host else host
    print(f"http://{shown}:{port}/  (Ctrl-C ends it)", flush=True)
    config = uvicorn.Config(
        app,
        http=Hurried,
        log_level="warning",
        access_log=False,
        server_header=False,
        timeout_keep_alive=10,
        h11_max_incomplete_event_size=65_536,
        timeout_graceful_shutdown=5,
    )
    uvicorn.Server(config).run(sockets=[listening])

"""Runs the service in a server of its own, on this machine."""

from __future__ import annotations

import socket
from collections.abc import Sequence
from typing import Any

import uvicorn

from ulnager.core.errors import SourceError
from ulnager.web.service import service


def run(book: Any, host: str, port: int, today: Any, hosts: Sequence[str]) -> None:
    """Serve a book until it is interrupted; SourceError where the port cannot be had."""
    app = service(book, today=today, hosts=hosts)
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
        app, log_level="warning", access_log=False, server_header=False, timeout_keep_alive=10,
        h11_max_incomplete_event_size=65_536, timeout_graceful_shutdown=5,
    )  # fmt: skip
    uvicorn.Server(config).run(sockets=[listening])

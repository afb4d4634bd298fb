"""What stands before every request: its size, its time, its host; and what every answer carries."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Awaitable, Callable, MutableMapping, Sequence
from typing import Any, Final

from ulnager.web.problems import MEDIA_TYPE, Refused, problem, written

MOST_QUERY: Final = 16_384
MOST_PATH: Final = 1_024
MOST_BODY: Final = 65_536
SECONDS_TO_SEND: Final = 10.0
SECONDS_TO_ANSWER: Final = 25.0
_POLICY: Final = (
    "default-src 'none'; style-src 'self'; script-src 'self'; img-src 'self'; connect-src 'self'; "
    "form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)
HEADERS: Final = (
    (b"content-security-policy", _POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
    (b"cross-origin-resource-policy", b"same-origin"),
)
"""With every answer, so that a page asks nothing of another origin and stands in no frame."""

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[MutableMapping[str, Any], Receive, Send], Awaitable[None]]


class RequestGuard:
    """An ASGI application behind its limits.

    ``hosts`` are the names that it answers to; none is any name. A page of another site that had
    its name point at this machine would otherwise be answered like the viewer's own.
    """

    def __init__(self, app: App, hosts: Sequence[str] = ()) -> None:
        self.app, self.hosts = app, {one.lower() for one in hosts}

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] == "lifespan":
            await self.app(scope, receive, send)
            return
        if scope["type"] != "http":
            await send({"type": "websocket.close", "code": 1008})
            return
        answer = _Sent(send, is_head=scope["method"] == "HEAD")
        if answer.is_head:
            scope = {**scope, "method": "GET"}
        try:
            self._check(scope)
            body = await asyncio.wait_for(_body(receive), SECONDS_TO_SEND)
            if body is None:
                return  # Whoever asked has gone.
            await _while_there(self.app(scope, _once(body), answer), receive)
        except Refused as refused:
            await answer.refuse(refused)
        except TimeoutError:
            await answer.refuse(
                Refused(503, "time", "the answer takes too long", {"retry-after": "5"})
            )
        except Exception:
            # What it was is told here, and not in the answer.
            logging.getLogger(__name__).exception("a request failed")
            await answer.refuse(Refused(500, "inside", "something went wrong inside the service"))

    def _check(self, scope: MutableMapping[str, Any]) -> None:
        headers = dict(scope["headers"])
        host = headers.get(b"host", b"").decode("latin-1").lower()
        name = host.rpartition(":")[0] if host.rpartition(":")[2].isdigit() else host
        # Whoever watches over the service asks by its address.
        is_watched = scope["path"] == "/health"
        if self.hosts and name.strip("[]") not in self.hosts and not is_watched:
            raise Refused(421, "host", "this service does not answer to that name")
        if len(scope.get("raw_path") or scope["path"].encode()) > MOST_PATH:
            raise Refused(414, "size", f"the path has more than {MOST_PATH:,} bytes")
        if len(scope.get("query_string", b"")) > MOST_QUERY:
            raise Refused(414, "size", f"the query has more than {MOST_QUERY:,} bytes")
        length = headers.get(b"content-length", b"0")
        if not length.isdigit() or int(length) > MOST_BODY:
            raise Refused(413, "size", f"the body has more than {MOST_BODY:,} bytes")


async def _body(receive: Receive) -> bytes | None:
    """The whole body; None where whoever sent it has gone."""
    found: bytes = b""
    while True:
        message = await receive()
        if message["type"] == "http.disconnect":
            return None
        found += message.get("body", b"")
        if len(found) > MOST_BODY:
            raise Refused(413, "size", f"the body has more than {MOST_BODY:,} bytes")
        if not message.get("more_body"):
            return found


def _once(body: bytes) -> Receive:
    sent = False

    async def again() -> Message:
        nonlocal sent
        if sent:
            await asyncio.Event().wait()  # Whether somebody is there is looked at elsewhere.
        sent = True
        return {"type": "http.request", "body": body, "more_body": False}

    return again


async def _while_there(app: Awaitable[None], receive: Receive) -> None:
    """Answers while whoever asked is there; TimeoutError when it takes too long."""
    answering = asyncio.ensure_future(app)
    gone = asyncio.ensure_future(_gone(receive))
    try:
        done, _ = await asyncio.wait(
            {answering, gone}, timeout=SECONDS_TO_ANSWER, return_when=asyncio.FIRST_COMPLETED
        )
        if answering in done:
            answering.result()
        elif gone not in done:
            raise TimeoutError
    finally:
        for one in (answering, gone):
            one.cancel()
        await asyncio.wait({answering, gone})
        if not answering.cancelled():
            answering.exception()


async def _gone(receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass


class _Sent:
    """Where an answer is sent: with the headers that all have, and without a body for HEAD."""

    def __init__(self, send: Send, *, is_head: bool) -> None:
        self._send, self.is_head = send, is_head
        self._has_begun = False

    async def __call__(self, message: Message) -> None:
        if message["type"] == "http.response.start":
            self._has_begun = True
            message = {**message, "headers": [*message.get("headers", ()), *HEADERS]}
        elif self.is_head:
            message = {**message, "body": b""}
        await self._send(message)

    async def refuse(self, refused: Refused) -> None:
        if self._has_begun:
            return
        body = written(problem(refused.status, refused.code, refused.detail))
        headers = {
            "content-type": MEDIA_TYPE,
            "content-length": str(len(body)),
            "cache-control": "no-store",
            **refused.headers,
        }
        await self(
            {
                "type": "http.response.start",
                "status": refused.status,
                "headers": [(name.encode(), text.encode()) for name, text in headers.items()],
            }
        )
        await self({"type": "http.response.body", "body": body})

"""Answers over HTTP: as JSON, with a tag, and how long they may be kept."""

from __future__ import annotations

import hashlib
import json
import math
from collections.abc import Callable, Hashable
from datetime import datetime
from typing import Any, Final, TypeVar
from urllib.parse import parse_qs

from starlette.requests import Request
from starlette.responses import Response

from ulnager.core.arguments import shown
from ulnager.core.messages import with_codes
from ulnager.web.answers import Answer
from ulnager.web.problems import Refused
from ulnager.web.workers import Workers

Found = TypeVar("Found")
MOST_FIELDS: Final = 500
_KEPT_WITHOUT_CLOCK: Final = 3_600


async def worked_out(request: Request, make: Callable[[], Found], *more: Hashable) -> Found:
    """What a function gives for a request, worked out beside the others: few at once, and once for
    all that ask the same at the time."""
    workers: Workers = request.app.state.workers
    return await workers.answer((request.url.path, request.url.query, *more), make)


def answered(request: Request, answer: Answer) -> Response:
    """An answer as JSON; 304 where whoever asks has it already."""
    told = answer.to_dict()
    if request.query_params.get("codes") == "true":
        told = with_codes(told)
    body = json.dumps(_finite(told), ensure_ascii=False, default=str).encode()
    return tagged(request, body, "application/json", _kept_for(answer))


def _kept_for(answer: Answer) -> str:
    """How long an answer may be kept: until the day ends, but for what hangs on the data."""
    if answer.of_data:
        return "private, no-cache"
    if answer.until is None:
        return f"private, max-age={_KEPT_WITHOUT_CLOCK}"
    left = int((answer.until - datetime.now(answer.until.tzinfo)).total_seconds())
    return f"private, max-age={max(0, left)}"


def tagged(request: Request, body: bytes, media_type: str, kept: str) -> Response:
    """A body with a tag by which it is told from others; empty where that is known already."""
    tag = f'"{hashlib.sha256(body).hexdigest()[:24]}"'
    headers = {"etag": tag, "cache-control": kept}
    known = [
        one.strip().removeprefix("W/")
        for one in request.headers.get("if-none-match", "").split(",")
    ]
    if tag in known or "*" in known:
        return Response(status_code=304, headers=headers)
    return Response(body, media_type=media_type, headers=headers)


def _finite(value: Any) -> Any:
    """Plain values with null in place of numbers that JSON does not have."""
    if isinstance(value, dict):
        return {key: _finite(one) for key, one in value.items()}
    if isinstance(value, list):
        return [_finite(one) for one in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value


def fields_of(request: Request, *others: str) -> dict[str, list[str]]:
    """The fields of a query but for those of other names; Refused for too many."""
    try:
        found = parse_qs(request.url.query, keep_blank_values=True, max_num_fields=MOST_FIELDS)
    except ValueError:
        raise Refused(414, "size", f"the query has more than {MOST_FIELDS} fields") from None
    return {name: texts for name, texts in found.items() if name not in others}


async def state_of(request: Request) -> dict[str, str | list[str]]:
    """The fields in the body of a request; Refused for what is no such body."""
    kind = request.headers.get("content-type", "").partition(";")[0].strip().lower()
    if kind != "application/json":
        raise Refused(415, "media", "send the state as application/json")
    try:
        told = json.loads(await request.body())
        json.dumps(told, ensure_ascii=False).encode()  # Half a character is no text.
    except (ValueError, RecursionError):
        raise Refused(400, "body", "the body is no JSON that can be read") from None
    if not isinstance(told, dict) or not told.keys() <= {"state"}:
        raise Refused(422, "body", "the body is an object with 'state', and nothing else")
    state = told.get("state", {})
    if not isinstance(state, dict) or len(state) > MOST_FIELDS:
        raise Refused(422, "body", f"'state' holds at most {MOST_FIELDS} fields by their names")
    return {name: _text(name, value) for name, value in state.items()}


def _text(name: str, value: Any) -> str | list[str]:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, (str, int)):
        return str(value)
    if isinstance(value, list) and all(isinstance(one, str) for one in value):
        return value
    raise Refused(422, "body", f"{shown(name)} holds neither text nor a list of texts")

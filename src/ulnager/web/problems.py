"""What went wrong, as problem details (RFC 9457), in words that give nothing away."""

from __future__ import annotations

import json
from http import HTTPStatus
from typing import Any, Final

from ulnager.core.errors import (
    BookError,
    FilterError,
    PeriodSyntaxError,
    ResolveError,
    SettingError,
    SourceError,
    UlnagerError,
)

MEDIA_TYPE: Final = "application/problem+json"
UNREADABLE: Final = "a source of the book cannot be read at the moment"
_CODES: Final[dict[type[UlnagerError], tuple[int, str]]] = {
    PeriodSyntaxError: (422, "phrase"),
    SettingError: (422, "setting"),
    FilterError: (422, "condition"),
    ResolveError: (422, "dates"),
    SourceError: (503, "source"),
    BookError: (404, "name"),
}

_TITLES: Final = {413: "Content Too Large", 414: "URI Too Long", 422: "Unprocessable Content"}
"""Those of RFC 9110, section 15.5, that a Python before 3.13 calls otherwise."""


class Refused(Exception):  # noqa: N818
    """A request that is not answered: its status, a word for programs, and a sentence."""

    def __init__(
        self, status: int, code: str, detail: str, headers: dict[str, str] | None = None
    ) -> None:
        super().__init__(detail)
        self.status, self.code, self.detail = status, code, detail
        self.headers = headers or {}


def problem(status: int, code: str, detail: str, **more: Any) -> dict[str, Any]:
    """Problem details as plain values."""
    title = _TITLES.get(status) or HTTPStatus(status).phrase
    return {
        "type": "about:blank",
        "title": title,
        "status": status,
        "code": code,
        "detail": detail,
        **more,
    }


def written(told: dict[str, Any]) -> bytes:
    """Problem details as they are sent."""
    return json.dumps(told, ensure_ascii=False).encode()


def of_error(error: UlnagerError) -> dict[str, Any]:
    """Problem details of one of our own errors; a source's error names no place."""
    status, code = next(
        (_CODES[kind] for kind in type(error).__mro__ if kind in _CODES), (422, "wrong")
    )
    if isinstance(error, SourceError):
        return problem(status, code, UNREADABLE)
    if isinstance(error, BookError):
        return problem(status, code, error.problem)
    if isinstance(error, PeriodSyntaxError):
        return problem(
            status,
            code,
            str(error).splitlines()[0],
            phrase=error.phrase[:200],
            position=error.position,
            instead=list(error.suggestions),
        )
    return problem(status, code, str(error))

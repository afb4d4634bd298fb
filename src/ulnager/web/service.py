"""The service put together: its paths, its page, its limits and its description."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from datetime import date
from pathlib import Path
from typing import Any, Final

from fastapi import FastAPI
from fastapi.exceptions import RequestValidationError
from fastapi.responses import Response
from starlette.exceptions import HTTPException
from starlette.requests import Request
from starlette.routing import Match
from starlette.types import ASGIApp

from ulnager.book.book import Book
from ulnager.book.book_reader import read_book
from ulnager.core.arguments import Wanted, checked
from ulnager.core.errors import UlnagerError
from ulnager.web.answers import BookAnswers
from ulnager.web.api_routes import routes
from ulnager.web.page_routes import html_routes, problem_page
from ulnager.web.problems import MEDIA_TYPE, Refused, of_error, problem, written
from ulnager.web.request_guard import RequestGuard
from ulnager.web.response_models import Description
from ulnager.web.workers import Workers


@checked(book=Wanted((str, Path, Book), "a book, or the path of one"))
def service(
    book: Book | str | Path,
    *,
    today: date | str | None = None,
    hosts: Sequence[str] = (),
    any_day: bool = False,
    allow_outside: bool = False,
) -> ASGIApp:
    """A book over HTTP as an ASGI application, for any server of such.

    ``today`` stops its clock, to try a day; with ``any_day`` requests may set the day, which no
    book with a link_key allows. ``hosts`` are the names that it answers to; none is any
    name, for behind a server that looks at that itself. It keeps nothing of a viewer, so many
    copies may run. ``allow_outside`` is as for :func:`ulnager.read_book`, for a path.

    >>> from ulnager.demo import book_file
    >>> service(book_file(), today="2026-05-20").hosts
    set()

    Raises BookError for a book that cannot be read, SettingError for a day that is none.
    """
    opened = book if isinstance(book, Book) else read_book(book, allow_outside=allow_outside)
    answers = BookAnswers(opened, today, any_day=any_day)
    workers = Workers()
    app = FastAPI(
        title="Ulnager",
        version="1",
        docs_url=None,
        redoc_url=None,
        openapi_url=None,
        lifespan=_living,
        redirect_slashes=False,
        description="The periods, pickers and pages of a book, as JSON. Read-only; nothing of a "
        "viewer is kept between requests.",
    )
    routers = routes(answers), html_routes(answers)
    for router in routers:
        app.include_router(router)
    app.state.workers = workers
    app.state.routes = [route for router in routers for route in router.routes]
    app.openapi = app.state.description = Description(app, answers)  # type: ignore[method-assign]

    @app.get("/health", include_in_schema=False)
    async def health() -> Response:
        """That it is there, for whoever starts it anew when it is not; no data is asked."""
        return Response('{"status": "ok"}', media_type="application/json")

    @app.get("/openapi.json", include_in_schema=False)
    async def description(request: Request) -> Response:
        """The OpenAPI description; it waits for its examples while the service starts."""
        prepared = getattr(app.state, "prepared", None)
        if prepared is not None:
            await asyncio.wait({asyncio.ensure_future(asyncio.shield(prepared))}, timeout=_PATIENCE)
        return Response(json.dumps(app.openapi(), default=str), media_type="application/json")

    app.add_exception_handler(UlnagerError, _ours)
    app.add_exception_handler(Exception, _inside)
    app.add_exception_handler(Refused, _refused)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(RequestValidationError, _invalid)
    return RequestGuard(app, hosts)


_PATIENCE: Final = 10.0


@asynccontextmanager
async def _living(app: FastAPI) -> AsyncIterator[None]:
    """While the service runs: the examples of its description are worked out as it starts."""
    prepare = asyncio.ensure_future(
        app.state.workers.answer("examples", app.state.description.prepare)
    )
    prepare.add_done_callback(lambda done: done.cancelled() or done.exception())
    app.state.prepared = prepare
    try:
        yield
    finally:
        prepare.cancel()
        app.state.workers.close()


def _sent(
    request: Request, told: dict[str, Any], headers: dict[str, str] | None = None
) -> Response:
    """Problem details; a page that says the same for who reads pages."""
    path = request.scope["path"].removeprefix(request.scope.get("root_path", ""))
    if "text/html" in request.headers.get("accept", "") and not path.startswith("/api/"):
        return problem_page(told, path, headers)
    return Response(
        written(told),
        told["status"],
        media_type=MEDIA_TYPE,
        headers={"cache-control": "no-store", **(headers or {})},
    )


async def _ours(request: Request, error: Exception) -> Response:
    assert isinstance(error, UlnagerError)
    return _sent(request, of_error(error))


async def _inside(request: Request, error: Exception) -> Response:
    # What it was stays here: an answer holds no path, password or traceback.
    told = problem(500, "inside", "something went wrong inside the service")
    return _sent(request, told)


async def _refused(request: Request, error: Exception) -> Response:
    assert isinstance(error, Refused)
    return _sent(request, problem(error.status, error.code, error.detail), error.headers)


async def _http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    details = {404: "there is nothing at this path", 405: "this path is not asked in that way"}
    detail = details.get(error.status_code, "the request cannot be answered")
    code = {404: "path", 405: "method"}.get(error.status_code, "request")
    headers = {name.lower(): text for name, text in (error.headers or {}).items()}
    if error.status_code == 405:
        headers["allow"] = ", ".join(sorted(_methods(request))) or headers.get("allow", "GET")
    return _sent(request, problem(error.status_code, code, detail), headers)


def _methods(request: Request) -> set[str]:
    """How a path may be asked; several routes can share one."""
    found: set[str] = set()
    for route in request.app.state.routes:
        if route.matches(request.scope)[0] is not Match.NONE:
            found |= set(route.methods or ())
    return found | ({"HEAD"} if "GET" in found else set())


async def _invalid(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    told = [
        f"{one['loc'][-1]}: {one['msg'][:1].lower()}{one['msg'][1:]}" for one in error.errors()[:5]
    ]
    return _sent(request, problem(422, "parameters", "; ".join(told)))

"""The OpenAPI description, with real answers of this book as its examples."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

from ulnager.core.errors import PeriodSyntaxError, UlnagerError
from ulnager.web.answers import Answer, Answers
from ulnager.web.problems import MEDIA_TYPE, of_error
from ulnager.web.told import ProblemTold

_PHRASE = "last 3 whole months"


def described(app: FastAPI, answers: Answers) -> Callable[[], dict[str, Any]]:
    """What gives the description, worked out when it is first asked for."""

    def openapi() -> dict[str, Any]:
        if app.openapi_schema is None:
            found = get_openapi(
                title=app.title, version=app.version, description=app.description,
                routes=app.routes, servers=[{"url": "/", "description": "This service."}],
                tags=[{"name": "book", "description": "What a book answers."}],
            )  # fmt: skip
            schemas = found["components"]["schemas"]
            schemas["ProblemTold"] = ProblemTold.model_json_schema()
            for name in ("HTTPValidationError", "ValidationError"):
                schemas.pop(name, None)
            _exemplify(found["paths"], answers)
            app.openapi_schema = found
        return app.openapi_schema

    return openapi


def _exemplify(paths: dict[str, Any], answers: Answers) -> None:
    """Real answers beside the descriptions of answers, and values of this book for parameters."""
    book = answers.book
    named: dict[str, str | None] = {
        "pickers": next(iter(book.pickers), None), "pages": next(iter(book.pages), None),
        "schedules": next(iter(book.schedules), None),
    }  # fmt: skip
    makes: dict[str, Callable[[], Answer]] = {
        "/api/book": answers.at_a_glance,
        "/api/resolve": lambda: answers.resolution(_PHRASE),
        "/api/readings": lambda: answers.readings("last 3 months"),
        "/api/condition": lambda: answers.condition(_PHRASE, "sold_on"),
    }
    for kind, name in named.items():
        if name is not None:
            makes[f"/api/{kind}/{{name}}"] = _of(answers, kind, name)
    for path, methods in paths.items():
        name = named.get(path.split("/")[2]) if path.count("/") > 2 else None
        example = None
        if path in makes:
            try:
                example = makes[path]().to_dict()
            except UlnagerError:
                example = None  # Such as a source that is not there at the moment.
        for operation in methods.values():
            if example is not None:
                operation["responses"]["200"]["content"]["application/json"]["example"] = example
            for parameter in operation.get("parameters", ()):
                known = {"name": name, "phrase": _PHRASE, "column": "sold_on"}
                value = known.get(parameter["name"])
                if value is not None:
                    parameter["example"] = value
            told = operation["responses"].get("422")
            if told is not None and "phrase" in str(operation.get("parameters")):
                told["content"][MEDIA_TYPE]["example"] = _wrong(answers)


def _of(answers: Answers, kind: str, name: str) -> Callable[[], Answer]:
    if kind == "pickers":
        return lambda: answers.view(name, {})
    if kind == "pages":
        return lambda: answers.page(name, {})
    return lambda: answers.schedule(name)


def _wrong(answers: Answers) -> dict[str, Any]:
    try:
        answers.resolution("last 3 hole months")
    except PeriodSyntaxError as error:
        return of_error(error)
    return {}

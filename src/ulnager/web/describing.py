"""The OpenAPI description, with real answers of this book as its examples."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

from ulnager.core.errors import PeriodSyntaxError, UlnagerError
from ulnager.web.answers import Answer, Answers
from ulnager.web.problems import MEDIA_TYPE, of_error
from ulnager.web.told import ProblemTold

_PHRASE = "last 3 whole months"


class Description:
    """The description of a service, with answers of its book as examples.

    The examples are worked out once, when the service starts; asking for the description asks no
    data.
    """

    def __init__(self, app: FastAPI, answers: Answers) -> None:
        self._app, self._answers = app, answers
        self._examples: dict[str, Any] | None = None

    def prepare(self) -> None:
        """Works the examples out; one whose source cannot be read is left out."""
        self._examples = _examples(self._answers)

    def __call__(self) -> dict[str, Any]:
        app = self._app
        if app.openapi_schema is None or not app.openapi_schema["paths"]:
            app.openapi_schema = get_openapi(
                title=app.title, version=app.version, description=app.description,
                routes=app.routes, servers=[{"url": "/", "description": "This service."}],
                tags=[{"name": "book", "description": "What a book answers."}],
            )  # fmt: skip
            schemas = app.openapi_schema["components"]["schemas"]
            schemas["ProblemTold"] = ProblemTold.model_json_schema()
            for name in ("HTTPValidationError", "ValidationError"):
                schemas.pop(name, None)
            _exemplify(app.openapi_schema["paths"], self._answers)
        if self._examples:
            for path, example in self._examples.items():
                for operation in app.openapi_schema["paths"].get(path, {}).values():
                    content = operation["responses"]["200"]["content"]["application/json"]
                    content["example"] = example
            self._examples = None
        return app.openapi_schema


def _named(answers: Answers) -> dict[str, str | None]:
    return {
        "pickers": next(iter(answers.pickers), None), "pages": next(iter(answers.pages), None),
        "schedules": next(iter(answers.book.schedules), None),
    }  # fmt: skip


def _examples(answers: Answers) -> dict[str, Any]:
    """Real answers by the paths that give them."""
    makes: dict[str, Callable[[], Answer]] = {
        "/api/book": answers.at_a_glance,
        "/api/resolve": lambda: answers.resolution(_PHRASE),
        "/api/readings": lambda: answers.readings("last 3 months"),
        "/api/condition": lambda: answers.condition(_PHRASE, "sold_on"),
    }
    for kind, name in _named(answers).items():
        if name is not None:
            makes[f"/api/{kind}/{{name}}"] = _of(answers, kind, name)
    found = {}
    for path, make in makes.items():
        with contextlib.suppress(UlnagerError):
            found[path] = make().to_dict()
    return found


def _exemplify(paths: dict[str, Any], answers: Answers) -> None:
    """Values of this book for parameters, and what a phrase that cannot be read gives."""
    named = _named(answers)
    for path, methods in paths.items():
        name = named.get(path.split("/")[2]) if path.count("/") > 2 else None
        for operation in methods.values():
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

"""The API's operations: registered once, served by Flask, described as OpenAPI 3.1."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar

from flask import Blueprint, Response, g, request
from pydantic import BaseModel, TypeAdapter
from pydantic.json_schema import models_json_schema

from .. import __version__
from ..core.errors import SettingError
from ..models import Problem
from ..records.paging import PageRequest
from ..records.users import Principal

PREFIX = "/api/v1"
H = TypeVar("H", bound=Callable[..., Any])
_PAGE_QUERY = {
    "limit": "at most so many items, 1 to 500",
    "cursor": "“next” of the page before",
    "sort": "a column's name, with “-” before it for backwards",
}


@dataclass(frozen=True, slots=True)
class Operation:
    """One method of one path."""

    method: str
    path: str
    summary: str
    handler: Callable[..., Any]
    takes: type[BaseModel] | None = None
    gives: Any = None
    status: int = 200
    query: dict[str, str] = field(default_factory=dict)
    open: bool = False
    media: str = "application/json"

    @property
    def name(self) -> str:
        return self.handler.__name__


OPERATIONS: list[Operation] = []


def operation(method: str, path: str, summary: str, **more: Any) -> Callable[[H], H]:
    """Register a handler. It gets the path's values, and ``body`` when it takes one."""

    def register(handler: H) -> H:
        query = dict(more.pop("query", {}))
        if more.pop("paged", False):
            query.update(_PAGE_QUERY)
        OPERATIONS.append(Operation(method, path, summary, handler, query=query, **more))
        return handler

    return register


def paging() -> PageRequest:
    """The paging part of the request's query."""
    text = request.args.get("limit", "50")
    if not text.isdigit() or not 1 <= int(text) <= 500:
        raise SettingError(
            f"“{text}” is not a limit.", "Give a number from 1 to 500.", field="limit"
        )
    return PageRequest(request.args.get("sort", ""), int(text), request.args.get("cursor") or None)


def arg(name: str) -> str:
    return request.args.get(name, "").strip()


def visitor() -> Principal:
    """Who asks."""
    found: Principal = g.visitor
    return found


def _flask_path(path: str) -> str:
    return re.sub(
        r"{(\w+)}", lambda m: f"<int:{m[1]}>" if m[1].endswith("id") else f"<{m[1]}>", path
    )


def _view(operation: Operation) -> Callable[..., Any]:
    def view(**values: Any) -> Any:
        if operation.takes is not None:
            values["body"] = operation.takes.model_validate_json(request.get_data() or b"{}")
        answer = operation.handler(**values)
        if answer is None:
            return Response(status=204)
        if isinstance(answer, Response):
            return answer
        if isinstance(answer, BaseModel):
            text = answer.model_dump_json()
        else:
            text = TypeAdapter(operation.gives).dump_json(answer).decode()
        return Response(text, operation.status, mimetype="application/json")

    view.__name__ = operation.name
    return view


def blueprint() -> Blueprint:
    """All operations as Flask routes."""
    api = Blueprint("api", __name__, url_prefix=PREFIX)
    for operation in OPERATIONS:
        api.add_url_rule(
            _flask_path(operation.path),
            operation.name,
            _view(operation),
            methods=[operation.method],
        )
    return api


def openapi() -> dict[str, Any]:
    """The OpenAPI 3.1 document of all operations."""
    models: list[type[BaseModel]] = [Problem]
    for row in OPERATIONS:
        models += [
            m for m in (row.takes, row.gives) if isinstance(m, type) and issubclass(m, BaseModel)
        ]
    refs, schemas = models_json_schema(
        [(model, "serialization") for model in dict.fromkeys(models)],
        ref_template="#/components/schemas/{model}",
    )
    paths: dict[str, Any] = {}
    for row in OPERATIONS:
        paths.setdefault(PREFIX + row.path, {})[row.method.lower()] = _described(row, refs)
    paths["/health"] = {
        "get": {
            "operationId": "health",
            "summary": "Whether the service works; needs no sign-in",
            "security": [],
            "responses": {
                "200": {"description": "all is well"},
                "503": {"description": "something does not work"},
            },
        }
    }
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Fasciculus",
            "version": __version__,
            "description": "Scheduled backups of web hosting accounts and sites.",
        },
        "paths": paths,
        "components": {
            "schemas": schemas.get("$defs", {}),
            "securitySchemes": {
                "token": {"type": "http", "scheme": "bearer"},
                "session": {"type": "apiKey", "in": "cookie", "name": "fasciculus_session"},
            },
        },
        "security": [{"token": []}, {"session": []}],
    }


def _described(row: Operation, refs: Any) -> dict[str, Any]:
    parameters: list[dict[str, Any]] = [
        {
            "name": name,
            "in": "path",
            "required": True,
            "schema": {"type": "integer" if name.endswith("id") else "string"},
        }
        for name in re.findall(r"{(\w+)}", row.path)
    ]
    parameters += [
        {"name": name, "in": "query", "description": about, "schema": {"type": "string"}}
        for name, about in row.query.items()
    ]
    problem = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    good: dict[str, Any] = {"description": "done"}
    if row.gives is not None:
        schema = refs.get((row.gives, "serialization")) or TypeAdapter(row.gives).json_schema(
            mode="serialization", ref_template="#/components/schemas/{model}"
        )
        schema.pop("$defs", None)
        good = {"description": "the answer", "content": {row.media: {"schema": schema}}}
    elif row.media != "application/json":
        good = {"description": "the answer", "content": {row.media: {}}}
    status = str(row.status if row.gives is not None or row.media != "application/json" else 204)
    document: dict[str, Any] = {
        "operationId": row.name,
        "summary": row.summary,
        "parameters": parameters,
        "responses": {status: good, "default": {"description": "a problem", "content": problem}},
    }
    if row.takes is not None:
        document["requestBody"] = {
            "required": True,
            "content": {"application/json": {"schema": refs[row.takes, "serialization"]}},
        }
    if row.open:
        document["security"] = []
    return document

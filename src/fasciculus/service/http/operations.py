"""The API's operations: registered once, served by Flask, described as OpenAPI 3.1."""

from __future__ import annotations

import inspect
import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cache
from typing import Any, TypeVar, get_origin

from flask import Blueprint, Response, request
from pydantic import BaseModel, TypeAdapter

from ...core.errors import MissingError, SettingError
from ...core.permissions import Permission
from ...models.queries import LARGEST_ID

PREFIX = "/api/v1"
#: A NUL character as JSON writes it: after an even number of backslashes.
_NUL = re.compile(rb"(?<!\\)(?:\\\\)*\\u0000")
_NO_NUL, _WITHOUT = "A text holds a NUL character.", "Send it without."
H = TypeVar("H", bound=Callable[..., Any])


@dataclass(frozen=True, slots=True)
class Operation:
    """One method of one path.

    ``permission`` is what the user needs; ``query`` and ``body`` are the models of what is sent,
    ``response`` that of the answer; ``media`` is the answer's type. ``former`` are the paths of the
    previous version, which still answer and are not described.
    """

    method: str
    path: str
    summary: str
    permission: Permission
    handler: Callable[..., Any]
    query: type[BaseModel] | None = None
    body: type[BaseModel] | None = None
    #: A body that the handler reads itself.
    raw_body: type[BaseModel] | None = None
    #: Whether the body is bytes, which the handler reads itself.
    takes_bytes: bool = False
    response: Any = None
    status: int = 200
    media: str = "application/json"
    former: tuple[str, ...] = ()
    #: Whether it shows and does only what is in the user's scope. All others are closed to users
    #: whose scope is not everything.
    scoped: bool = False

    @property
    def name(self) -> str:
        """Return the name of its function."""
        return self.handler.__name__

    @property
    def public(self) -> bool:
        """Return whether it needs no sign-in."""
        return self.permission is Permission.PUBLIC

    @property
    def path_values(self) -> dict[str, type]:
        """Return the values in the path, with their types."""
        kinds = inspect.get_annotations(self.handler, eval_str=True)
        return {name: kinds[name] for name in re.findall(r"{(\w+)}", self.path)}


OPERATIONS: list[Operation] = []


def operation(
    method: str, path: str, summary: str, permission: Permission, **more: Any
) -> Callable[[H], H]:
    """Register a handler. It gets the path's values, and ``query`` and ``body`` when it has them.

    An operation without a permission does not register: the import fails.
    """

    def register(handler: H) -> H:
        OPERATIONS.append(Operation(method, path, summary, permission, handler, **more))
        return handler

    return register


def parse_query(model: type[BaseModel]) -> BaseModel:
    """Return the request's query as a model; empty values count as left out."""
    values: dict[str, Any] = {}
    for name, field in model.model_fields.items():
        given = [value for value in request.args.getlist(name) if value]
        if get_origin(field.annotation) is list:
            values[name] = given
        elif given:
            values[name] = given[0].strip()
    return model.model_validate(values)


def blueprint() -> Blueprint:
    """Return all operations as Flask routes."""
    api = Blueprint("api", __name__, url_prefix=PREFIX)
    for operation in OPERATIONS:
        view = _view(operation)
        for path in (operation.path, *operation.former):
            for name, kind in operation.path_values.items():
                path = path.replace(f"{{{name}}}", f"<int:{name}>" if kind is int else f"<{name}>")
            api.add_url_rule(path, operation.name, view, methods=[operation.method])
    return api


def _check_text(values: Iterable[Any]) -> None:
    """Neither files nor records can hold a NUL character in their names."""
    if any(isinstance(value, str) and "\0" in value for value in values):
        raise SettingError(_NO_NUL, _WITHOUT)


def _view(operation: Operation) -> Callable[..., Any]:
    def view(**values: Any) -> Any:
        for value in values.values():
            if isinstance(value, int) and value > LARGEST_ID:
                raise MissingError(f"There is no {value}.", "Take the number from the list.")
        _check_text([*values.values(), *(v for _, v in request.args.items(multi=True))])
        if operation.query is not None:
            values["query"] = parse_query(operation.query)
        if operation.body is not None:
            body = request.get_data() or b"{}"
            if _NUL.search(body):
                raise SettingError(_NO_NUL, _WITHOUT)
            values["body"] = operation.body.model_validate_json(body)
        return _answer(operation, operation.handler(**values))

    view.__name__ = operation.name
    return view


@cache
def _adapter(response: Any) -> TypeAdapter[Any]:
    return TypeAdapter(response)


def _answer(operation: Operation, answer: Any) -> Response:
    if answer is None:
        return Response(status=204)
    if isinstance(answer, Response):
        return answer
    if isinstance(answer, BaseModel):
        text = answer.model_dump_json()
    else:
        text = _adapter(operation.response).dump_json(answer).decode()
    return Response(text, operation.status, mimetype=operation.media)

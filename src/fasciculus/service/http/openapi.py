"""The OpenAPI 3.1 document of all operations."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from pydantic import BaseModel, TypeAdapter
from pydantic.json_schema import models_json_schema

from ... import __version__
from ...core.outcome import OUTCOMES, STATES
from ...models import Problem
from ...models.queries import LARGEST_ID
from ..settings.kind_settings import described_kinds
from .operations import OPERATIONS, PREFIX, Operation

MEDIA = "application/vnd.oai.openapi+json;version=3.1"
_TEMPLATE = "#/components/schemas/{model}"
_SECURITY = {
    "token": {"type": "http", "scheme": "bearer"},
    "session": {"type": "apiKey", "in": "cookie", "name": "fasciculus_session"},
}


def openapi() -> dict[str, Any]:
    """Return the document; the settings of stores, hosts and servers are those of the kinds there
    are.
    """
    refs, schemas = _schemas()
    paths: dict[str, Any] = {}
    for row in OPERATIONS:
        paths.setdefault(PREFIX + row.path, {})[row.method.lower()] = _described(row, refs)
    paths["/health"] = _health()
    components = schemas.get("$defs", {})
    _put_in_kinds(components)
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Fasciculus",
            "version": __version__,
            "description": "Scheduled backups of web hosting accounts and sites.",
        },
        "paths": paths,
        "components": {"schemas": components, "securitySchemes": _SECURITY},
        # How outcomes and states are shown: {name: {word, mark, tone}}, the serious ones later.
        "x-outcomes": {name: asdict(row) for name, row in (OUTCOMES | STATES).items()},
        "security": [{"token": []}, {"session": []}],
    }


def _is_model(kind: Any) -> bool:
    return isinstance(kind, type) and issubclass(kind, BaseModel)


def _schemas() -> tuple[Any, dict[str, Any]]:
    models: list[tuple[Any, Any]] = [(Problem, "serialization")]
    bodies = [row.body or row.raw_body for row in OPERATIONS]
    models += [(body, "validation") for body in bodies if body is not None]
    models += [(row.response, "serialization") for row in OPERATIONS if _is_model(row.response)]
    return models_json_schema(list(dict.fromkeys(models)), ref_template=_TEMPLATE)


def _put_in_kinds(components: dict[str, Any]) -> None:
    """Instead of any settings, those of the kinds that this service has."""
    for model, name, registry in described_kinds():
        mapping = {}
        for kind, schema in registry.items():
            title = f"{name.title()}{kind.title()}Settings"
            components[title] = schema
            mapping[kind] = _TEMPLATE.format(model=title)
        choice = {
            "oneOf": [{"$ref": place} for place in mapping.values()],
            "discriminator": {"propertyName": "kind", "mapping": mapping},
        }
        for suffix in ("", "Input"):
            properties = components.get(f"{model}{suffix}", {}).get("properties", {})
            if name == "servers":
                properties.get(name, {})["items"] = choice
            elif name in properties:
                properties[name] = choice | {
                    key: value for key, value in properties[name].items() if key == "default"
                }


def _health() -> dict[str, Any]:
    return {
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


def _described(row: Operation, refs: Any) -> dict[str, Any]:
    problem = {"application/problem+json": {"schema": {"$ref": _TEMPLATE.format(model="Problem")}}}
    status, good = _success(row, refs)
    document: dict[str, Any] = {
        "operationId": row.name,
        "summary": row.summary,
        "x-permission": row.permission,
        "parameters": _parameters(row),
        "responses": {status: good, "default": {"description": "a problem", "content": problem}},
    }
    body = row.body or row.raw_body
    if body is not None:
        schema = refs[body, "validation"]
        document["requestBody"] = {
            "required": True,
            "content": {"application/json": {"schema": schema}},
        }
    elif row.takes_bytes:
        binary = {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}
        document["requestBody"] = {"required": True, "content": binary}
    if row.public:
        document["security"] = []
    return document


def _parameters(row: Operation) -> list[dict[str, Any]]:
    number = {"type": "integer", "minimum": 1, "maximum": LARGEST_ID}
    found: list[dict[str, Any]] = [
        {
            "name": name,
            "in": "path",
            "required": True,
            "schema": number if kind is int else {"type": "string"},
        }
        for name, kind in row.path_values.items()
    ]
    if row.query is not None:
        schema = row.query.model_json_schema()
        for name, value in schema["properties"].items():
            required = name in schema.get("required", ())
            found.append(
                {
                    "name": name,
                    "in": "query",
                    "required": required,
                    "description": value.pop("description", ""),
                    "schema": value,
                }
            )
    return found


def _success(row: Operation, refs: Any) -> tuple[str, dict[str, Any]]:
    if row.response is None and row.media == "application/json":
        return "204", {"description": "done"}
    schema: dict[str, Any] = {}
    if row.response is not None:
        found = refs.get((row.response, "serialization"))
        schema = found or TypeAdapter(row.response).json_schema(
            mode="serialization", ref_template=_TEMPLATE
        )
        schema.pop("$defs", None)
    content: dict[str, Any] = {"schema": schema} if schema else {}
    return str(row.status), {"description": "the answer", "content": {row.media: content}}

"""The API about itself."""

from __future__ import annotations

import json

from flask import Response, render_template

from ..operations import (
    OPERATIONS,
    PREFIX,
    openapi,
    operation,
)


@operation(
    "GET", "/openapi.json", "This description (OpenAPI 3.1)", media="application/openapi+json"
)
def openapi_document() -> Response:
    return Response(json.dumps(openapi()), mimetype="application/json")


@operation("GET", "/reference", "A page to read this description", media="text/html")
def reference() -> Response:
    return Response(render_template("reference.html", operations=OPERATIONS, prefix=PREFIX))

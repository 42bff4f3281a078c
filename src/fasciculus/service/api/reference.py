"""The API about itself."""

from __future__ import annotations

import json

from flask import Response, render_template

from ..openapi import MEDIA, openapi
from ..operations import OPERATIONS, PREFIX, operation


@operation("GET", "/openapi.json", "This description (OpenAPI 3.1)", media=MEDIA)
def openapi_document() -> Response:
    return Response(json.dumps(openapi()), content_type=MEDIA)


@operation("GET", "/reference", "A page to read this description", media="text/html")
def reference() -> Response:
    return Response(render_template("reference.html", operations=OPERATIONS, prefix=PREFIX))

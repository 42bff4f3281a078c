"""The API about itself."""

from __future__ import annotations

import json
import secrets

from flask import Response

from ....core.permissions import Permission
from ....models import Kinds
from ...pages import rendered_page
from ...settings import kind_settings
from ..openapi import MEDIA, openapi
from ..operations import OPERATIONS, PREFIX, operation


@operation(
    "GET", "/openapi.json", "This description (OpenAPI 3.1)", Permission.SIGNED_IN, media=MEDIA
)
def openapi_document() -> Response:
    return Response(json.dumps(openapi()), content_type=MEDIA)


@operation(
    "GET", "/reference", "A page to read this description", Permission.SIGNED_IN, media="text/html"
)
def reference() -> Response:
    nonce = secrets.token_urlsafe(16)
    page = rendered_page("reference.html", operations=OPERATIONS, prefix=PREFIX, nonce=nonce)
    policy = f"default-src 'none'; style-src 'nonce-{nonce}'; frame-ancestors 'none'"
    return Response(page, headers={"Content-Security-Policy": policy})


@operation(
    "GET",
    "/kinds",
    "Kinds of stores, hosts and database servers",
    Permission.SIGNED_IN,
    response=Kinds,
)
def kinds_list() -> Kinds:
    return kind_settings.kinds()

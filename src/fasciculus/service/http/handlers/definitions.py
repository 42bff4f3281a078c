"""Everything an operator defines, as one text, and applied again."""

from __future__ import annotations

from flask import Response

from ....core.permissions import Permission
from ....models import Applied, Definitions
from ...usecases.definitions import definitions
from ..operations import operation
from ..request import caller


@operation(
    "GET",
    "/definitions",
    "All settings as one TOML text; secrets only as references",
    Permission.ADMINISTER,
    media="application/toml",
)
def definitions_export() -> Response:
    return Response(definitions.definitions_export(caller()), mimetype="application/toml")


@operation(
    "POST",
    "/definitions",
    "Apply such a text; with “dry_run”, say what would change",
    Permission.ADMINISTER,
    body=Definitions,
    response=Applied,
)
def definitions_apply(body: Definitions) -> Applied:
    return definitions.definitions_apply(caller(), body)

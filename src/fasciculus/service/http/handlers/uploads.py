"""Uploads of bundles from elsewhere."""

from __future__ import annotations

from flask import request

from ....core.permissions import Permission
from ....models import MaintenanceStarted, Upload, UploadPart, UploadReceived, UploadStart
from ...usecases.stores import uploads
from ..operations import operation
from ..request import caller


@operation(
    "POST",
    "/uploads",
    "Begin or continue an upload of bundles",
    Permission.ADMINISTER,
    body=UploadStart,
    response=Upload,
    status=201,
)
def uploads_start(body: UploadStart) -> Upload:
    return uploads.uploads_start(caller(), body)


@operation(
    "GET",
    "/uploads/{name}",
    "Progress of an upload",
    Permission.ADMINISTER,
    response=Upload,
)
def uploads_show(name: str) -> Upload:
    return uploads.uploads_show(caller(), name)


@operation(
    "PUT",
    "/uploads/{name}/parts",
    "Add a part of a file: its bytes, at most 4 MiB",
    Permission.ADMINISTER,
    query=UploadPart,
    takes_bytes=True,
    response=UploadReceived,
)
def uploads_add(name: str, query: UploadPart) -> UploadReceived:
    return uploads.uploads_add(caller(), name, query, request.get_data())


@operation(
    "POST",
    "/uploads/{name}/finish",
    "Make a store of an upload, and import its bundles",
    Permission.ADMINISTER,
    response=MaintenanceStarted,
    status=202,
)
def uploads_finish(name: str) -> MaintenanceStarted:
    return uploads.uploads_finish(caller(), name)


@operation(
    "DELETE", "/uploads/{name}", "Remove an upload that is not a store yet", Permission.ADMINISTER
)
def uploads_remove(name: str) -> None:
    uploads.uploads_remove(caller(), name)

"""Uploads of bundles from elsewhere, which become a store."""

from __future__ import annotations

from pathlib import Path

from ....core.errors import NameTakenError, SettingError
from ....models import (
    MaintenanceStarted,
    StoreInput,
    Upload,
    UploadPart,
    UploadReceived,
    UploadStart,
)
from ....models.queries import UntriedQuery
from ....models.uploads import PART
from ....records.stores import stores as records
from ... import uploads
from ..caller import Caller
from .maintenance import stores_import
from .stores import stores_add


def uploads_start(caller: Caller, body: UploadStart) -> Upload:
    """Begin an upload, or return the one that was begun."""
    folder = _folder(caller, body.name)
    if not folder.exists():
        caller.note("began an upload", body.name)
    uploads.begin(folder)
    return _shown(body.name, folder)


def uploads_show(caller: Caller, name: str) -> Upload:
    """Return how much of an upload has arrived."""
    return _shown(name, _begun(caller, name))


def uploads_add(caller: Caller, name: str, query: UploadPart, data: bytes) -> UploadReceived:
    """Add a part of a file."""
    if len(data) > PART:
        raise SettingError(f"A part has at most {PART} bytes.", "Send smaller ones.")
    folder = _begun(caller, name)
    return UploadReceived(
        file=query.file,
        received=uploads.add(folder, query.file, query.offset, query.size, data),
    )


def uploads_finish(caller: Caller, name: str) -> MaintenanceStarted:
    """Make a store of an upload, and import its bundles: as copies that nothing vouches for."""
    folder = _begun(caller, name)
    uploads.check_complete(folder)
    settings = {"kind": "folder", "folder": str(folder)}
    store = StoreInput.model_validate({"name": name, "settings": settings})
    stores_add(caller, store, UntriedQuery())
    return stores_import(caller, name)


def uploads_remove(caller: Caller, name: str) -> None:
    """Remove what was uploaded, unless it is a store."""
    uploads.remove(_begun(caller, name))
    caller.note("removed an upload", name)


def _folder(caller: Caller, name: str) -> Path:
    """Return the folder of an upload; its name is not that of a store."""
    if records.id_of(caller.reader, name) is not None:
        raise NameTakenError(
            f"There is a store “{name}” already.",
            "Choose another name; to remove an upload that has become a store, remove the store "
            "first.",
            field="name",
        )
    return caller.config.uploads(UploadStart(name=name).name)


def _begun(caller: Caller, name: str) -> Path:
    folder = _folder(caller, name)
    uploads.check_begun(folder)
    return folder


def _shown(name: str, folder: Path) -> Upload:
    found = list(uploads.files(folder))
    return Upload(
        name=name,
        received={path: size for path, size, _ in found},
        complete=[path for path, _, is_complete in found if is_complete],
    )

"""Files of bundles that are uploaded in parts, next to the records until they are a store."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from pathlib import Path

from ..core.bundle.layout import is_bundle_file
from ..core.errors import MissingError, SettingError, StoreFullError

#: The ending of a file that is not complete.
_PARTIAL = ".part"
#: Bytes that stay free on the disk.
_RESERVE = 256 * 1024 * 1024


def begin(folder: Path) -> None:
    """Create the folder of an upload; harmless if it exists."""
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)


def check_begun(folder: Path) -> None:
    """Check that an upload was begun. Raises ``MissingError``."""
    if not folder.is_dir():
        raise MissingError(
            f"No upload “{folder.name}” was begun.", "“stores upload” begins and continues one."
        )


def files(folder: Path) -> Iterator[tuple[str, int, bool]]:
    """Yield the path, the bytes that have arrived, and whether it is complete, of each file."""
    for above, _, names in os.walk(folder):
        for name in sorted(names):
            path = Path(above) / name
            whole = str(path.relative_to(folder)).removesuffix(_PARTIAL)
            if is_bundle_file(whole):
                yield whole, path.stat().st_size, not name.endswith(_PARTIAL)


def add(folder: Path, path: str, offset: int, size: int, data: bytes) -> int:
    """Append a part of a file; return the bytes that have arrived.

    ``path`` is that of a bundle's file. A part that is there already changes nothing; one that
    leaves a gap raises ``SettingError``, a full disk ``StoreFullError``.
    """
    target = folder / path
    partial = target.with_name(target.name + _PARTIAL)
    if target.exists():
        return target.stat().st_size
    arrived = partial.stat().st_size if partial.exists() else 0
    if offset > arrived or offset + len(data) > size:
        raise SettingError(
            f"{arrived} bytes of {path} have arrived, and this part begins at {offset}.",
            "Continue where the last part ended.",
            field="offset",
        )
    new = data[arrived - offset :]
    if shutil.disk_usage(folder).free - len(new) < _RESERVE:
        raise StoreFullError(
            "The disk of the service's home is nearly full.", "Make room, then continue the upload."
        )
    target.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    with partial.open("ab") as sink:
        sink.write(new)
        sink.flush()
        if arrived + len(new) == size:
            os.fsync(sink.fileno())
    if arrived + len(new) == size:
        partial.rename(target)
    return arrived + len(new)


def check_complete(folder: Path) -> None:
    """Check that there is a bundle, and that no file is incomplete. Raises ``SettingError``."""
    found = list(files(folder))
    unfinished = [path for path, _, is_complete in found if not is_complete]
    if unfinished or not any(path.endswith("/bundle.json") for path, *_ in found):
        what = f"{unfinished[0]} is not complete" if unfinished else "There is no bundle in it"
        raise SettingError(f"{what}.", "Continue the upload.")


def remove(folder: Path) -> None:
    """Remove an upload; harmless if it is missing."""
    shutil.rmtree(folder, ignore_errors=True)

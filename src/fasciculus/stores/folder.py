"""A folder of this machine: a second disk, a mounted share."""

from __future__ import annotations

import errno
import hashlib
import io
import os
import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import BinaryIO, Literal

from pydantic import Field, field_validator

from ..core.errors import (
    FasciculusError,
    MissingError,
    StoreFullError,
    UnreachableError,
)
from ..core.formatting import format_size
from ..core.steps import Step
from ..fields import absolute_folder
from ..kinds import Secrets, Settings
from .base import StoreItem, StoreKind, StoreSpec

_CHUNK = 4 * 1024 * 1024


class FolderSettings(Settings):
    """A folder that exists."""

    kind: Literal["folder"] = "folder"
    folder: str = Field(
        title="Folder",
        description="It must exist. A copy on this machine alone is lost with it.",
        examples=["/mnt/second-disk/bundles"],
    )

    @field_validator("folder")
    @classmethod
    def _absolute(cls, value: str) -> str:
        return absolute_folder(value)

    def describe(self) -> str:
        return self.folder


class FolderStore:
    """A store in a local folder."""

    digests_itself = False

    def __init__(self, spec: StoreSpec) -> None:
        assert isinstance(spec.settings, FolderSettings)
        self.spec = spec
        self._root = Path(spec.settings.folder)
        self._linked: set[str] = set()

    def connect(self) -> None:
        if not self._root.is_dir():
            raise MissingError(
                f"The folder {self._root} of store “{self.spec.name}” does not exist.",
                "Create it, or mount the disk it is on.",
            )

    def close(self) -> None:
        pass

    @contextmanager
    def _said(self, path: str) -> Iterator[None]:
        try:
            yield
        except FileNotFoundError as error:
            raise MissingError(f"{path} is not on store “{self.spec.name}”.") from error
        except OSError as error:
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise StoreFullError(
                    f"Store “{self.spec.name}” is full: {path} did not fit.",
                    "Free space there, or keep fewer copies.",
                ) from error
            raise UnreachableError(
                f"Store “{self.spec.name}” refused {path}: {error.strerror or error}.",
                "Check the folder's owner and rights.",
            ) from error

    def items(self, folder: str) -> list[StoreItem]:
        try:
            with self._said(folder), os.scandir(self._root / folder) as found:
                rows = [
                    StoreItem(e.name, 0 if e.is_dir() else e.stat().st_size, e.is_dir())
                    for e in found
                ]
        except MissingError:
            return []
        return sorted(rows, key=lambda item: item.name)

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        with self._said(path):
            file = (self._root / path).open("rb")
            file.seek(offset)
            return file if length is None else io.BytesIO(_read_and_close(file, length))

    @contextmanager
    def _whole(self, path: str) -> Iterator[Path]:
        """A file to fill that takes its name only once it is whole and flushed."""
        target = self._root / path
        partial = target.with_name(target.name + ".part")
        with self._said(path):
            target.parent.mkdir(parents=True, exist_ok=True)
            partial.unlink(missing_ok=True)
            try:
                yield partial
                _flush(partial)
                partial.rename(target)
                _flush(target.parent)
            except OSError:
                with suppress(OSError):
                    partial.unlink(missing_ok=True)
                raise

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        with self._whole(path) as partial:
            try:
                # On the same disk the spooled file itself becomes the piece.
                os.link(local, partial)
                on_bytes(local.stat().st_size)
                self._linked.add(path)
            except OSError:
                self._linked.discard(path)
                with local.open("rb") as source, partial.open("wb") as sink:
                    while chunk := source.read(_CHUNK):
                        sink.write(chunk)
                        on_bytes(len(chunk))

    def put_bytes(self, data: bytes, path: str) -> None:
        with self._whole(path) as partial:
            partial.write_bytes(data)

    def remove(self, path: str) -> None:
        with self._said(path):
            (self._root / path).unlink(missing_ok=True)

    def remove_folder(self, folder: str) -> None:
        with suppress(MissingError), self._said(folder):
            (self._root / folder).rmdir()

    def size(self, path: str) -> int | None:
        try:
            with self._said(path):
                return (self._root / path).stat().st_size
        except MissingError:
            return None

    def sha256(self, path: str) -> str | None:
        # What was linked is the very file that was digested as it was written: nothing was
        # transferred.
        if path in self._linked:
            return None
        digest = hashlib.sha256()
        with self._said(path), (self._root / path).open("rb") as file:
            while chunk := file.read(_CHUNK):
                digest.update(chunk)
        return digest.hexdigest()

    def free(self) -> int | None:
        with self._said("."):
            return shutil.disk_usage(self._root).free

    def replaces_at_once(self) -> bool:
        return True

    def steps(self) -> list[Step]:
        try:
            self.connect()
            free = self.free() or 0
        except FasciculusError as error:
            return [Step("folder", False, error.message, error.way_out)]
        return [Step("folder", True, f"{self._root} exists; {format_size(free)} are free.")]


def _read_and_close(file: BinaryIO, length: int) -> bytes:
    with file:
        return file.read(length)


def _flush(path: Path) -> None:
    """Bytes and names survive a power cut only once they are flushed to the disk."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


KIND = StoreKind("folder", "A folder of this machine", FolderSettings, Secrets, FolderStore)

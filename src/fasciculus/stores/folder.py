"""A folder of this machine: a second disk, a mounted share."""

from __future__ import annotations

import errno
import hashlib
import io
import os
import shutil
import stat
import subprocess
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import BinaryIO, Literal

from pydantic import Field, field_validator

from ..core.bundle.root_path import FILE_FLAGS, FOLDER_FLAGS, NEW_FILE_FLAGS, child_folder
from ..core.errors import MissingError, StoreFullError, UnreachableError
from ..fields import absolute_folder
from ..kinds import Secrets
from .base import ConnectStep, StoreItem, StoreKind, StoreSettings, StoreSpec, listed_items

#: Names of a file that is spooled, and in one store.
_OF_ONE_STORE = 2
_CHUNK = 4 * 1024 * 1024
_COMMAND_SECONDS = 300
_SAID = 300
#: File systems whose files are on another machine.
_REMOTE = ("nfs", "nfs4", "cifs", "smb3", "fuse.sshfs", "ceph", "glusterfs", "fuse.glusterfs", "9p")


class FolderSettings(StoreSettings):
    """A folder of this machine, and what mounts it."""

    kind: Literal["folder"] = "folder"
    folder: str = Field(
        title="Folder",
        description="A copy only on this machine is lost with it.",
        examples=["/mnt/second-disk/bundles"],
    )
    mounted: bool = Field(
        default=False,
        title="It must be a mount point",
        description="Nothing is written while the folder, or the one above it, is not mounted.",
    )
    mount_command: str = Field(
        default="",
        title="Command to mount it",
        description="Run before the store is used, when it is not mounted.",
        examples=["mount /mnt/second-disk"],
    )
    unmount_command: str = Field(
        default="",
        title="Command to unmount it",
        description="Run when no task uses the store any more.",
        examples=["umount /mnt/second-disk"],
    )

    @field_validator("folder")
    @classmethod
    def _absolute(cls, value: str) -> str:
        return absolute_folder(value)

    def always_there(self) -> bool:
        """Return whether it can be asked at any time."""
        return not self.mount_command

    def on_this_machine(self) -> bool:
        """Return whether it is lost with this machine."""
        return file_system(Path(self.folder)) not in _REMOTE

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        return self.folder


class FolderStore:
    """A store in a local folder."""

    digests_itself = False
    #: What is not linked is digested where it lies.
    proves_transfer = True

    def __init__(self, spec: StoreSpec) -> None:
        assert isinstance(spec.settings, FolderSettings)
        self.spec, self._settings = spec, spec.settings
        self._root = Path(spec.settings.folder)
        self._linked: set[str] = set()
        #: While it is open, nobody can unmount the disk.
        self._held: int | None = None

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""
        if self._held is None or not self._root.is_dir():
            self.close()
            for step in self.connecting():
                step.run()

    def connecting(self) -> list[ConnectStep]:
        """Return the steps of connecting, for a test."""
        mount = [ConnectStep("mount", self._mount)] if self._is_mount else []
        return [*mount, ConnectStep("folder", self._find)]

    @property
    def _is_mount(self) -> bool:
        return self._settings.mounted or bool(self._settings.mount_command)

    def _mount(self) -> str:
        command, text = self._settings.mount_command, f"{self._root} is mounted."
        if command and not is_mounted(self._root):
            run_command(command, f"mount store “{self.spec.name}”")
            text = f"{self._root} was mounted."
        if not is_mounted(self._root):
            raise MissingError(
                f"{self._root} of store “{self.spec.name}” is not mounted.",
                "Mount the disk; nothing is written to its mount point.",
            )
        return text

    def _find(self) -> str:
        try:
            self._held = os.open(self._root, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        except OSError as error:
            raise MissingError(
                f"The folder {self._root} of store “{self.spec.name}” does not exist.",
                "Create it, or mount the disk it is on.",
            ) from error
        return f"{self._root} exists."

    def make_root(self) -> None:
        """Create the root folder; harmless if it exists."""
        with self._said("."):
            self._root.mkdir(mode=0o700, parents=True, exist_ok=True)

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._held is None:
            return
        os.close(self._held)
        self._held = None
        if self._settings.unmount_command and is_mounted(self._root):
            # Another task may use it still: then it is busy, and the last one unmounts it.
            with suppress(UnreachableError):
                run_command(self._settings.unmount_command, f"unmount store “{self.spec.name}”")

    @contextmanager
    def _said(self, path: str) -> Iterator[None]:
        try:
            yield
        except FileNotFoundError as error:
            raise MissingError(f"{path} is not on store “{self.spec.name}”.") from error
        except OSError as error:
            if error.errno == errno.ELOOP:
                raise MissingError(
                    f"{path} on store “{self.spec.name}” is a link, not a file."
                ) from error
            if error.errno in (errno.ENOSPC, errno.EDQUOT):
                raise StoreFullError(
                    f"Store “{self.spec.name}” is full: {path} did not fit.",
                    "Free space there, or keep fewer copies.",
                ) from error
            raise UnreachableError(
                f"Store “{self.spec.name}” refused {path}: {error.strerror or error}.",
                "Check the folder's owner and rights.",
            ) from error

    # Every path is opened from the root name by name: the folder may be a share that others write
    # to, and a link or a pipe there must not mislead or block.

    @contextmanager
    def _folder(self, path: str, make: bool = False) -> Iterator[int]:
        """Open a folder of the store, never through a link below its root."""
        here = os.open(self._root, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            for name in filter(None, os.fsencode(path).split(b"/")):
                if name in (b".", b".."):
                    raise OSError(errno.EINVAL, "it leads outside")
                further = (
                    child_folder(here, name, 0o777)
                    if make
                    else os.open(name, FOLDER_FLAGS, dir_fd=here)
                )
                os.close(here)
                here = further
            yield here
        finally:
            os.close(here)

    @contextmanager
    def _place(self, path: str, make: bool = False) -> Iterator[tuple[int, str]]:
        """Open the parent folder of a path, and return it with the name."""
        above, _, name = path.rpartition("/")
        with self._folder(above, make) as folder:
            yield folder, name

    def _file(self, path: str) -> BinaryIO:
        """Open a regular file for reading."""
        with self._place(path) as (folder, name):
            descriptor = os.open(name, FILE_FLAGS, dir_fd=folder)
        if not stat.S_ISREG(os.fstat(descriptor).st_mode):
            os.close(descriptor)
            raise MissingError(f"{path} on store “{self.spec.name}” is not a regular file.")
        return os.fdopen(descriptor, "rb")

    def items(self, folder: str) -> list[StoreItem]:
        """Return the contents of a folder, by name."""
        try:
            with self._said(folder), self._folder(folder) as opened, os.scandir(opened) as found:
                rows = [
                    (
                        e.name,
                        e.stat(follow_symlinks=False).st_size,
                        e.is_dir(follow_symlinks=False),
                    )
                    for e in found
                ]
        except MissingError:
            return []
        return listed_items(self.spec.name, rows)

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes."""
        with self._said(path):
            file = self._file(path)
            file.seek(offset)
            return file if length is None else io.BytesIO(_read_and_close(file, length))

    @contextmanager
    def _whole(self, path: str) -> Iterator[tuple[int, str]]:
        """Provide a name to fill in an open folder, which becomes the file's once it is whole and
        flushed."""
        with self._said(path), self._place(path, make=True) as (folder, name):
            partial = name + ".part"
            with suppress(FileNotFoundError):
                os.unlink(partial, dir_fd=folder)
            try:
                yield folder, partial
                _flush(partial, folder)
                os.rename(partial, name, src_dir_fd=folder, dst_dir_fd=folder)
                os.fsync(folder)
            except OSError:
                with suppress(OSError):
                    os.unlink(partial, dir_fd=folder)
                raise

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        """Store a local file, completely or not at all."""
        with self._whole(path) as (folder, partial):
            if _linked(local, partial, folder):
                on_bytes(local.stat().st_size)
                self._linked.add(path)
            else:
                self._linked.discard(path)
                with local.open("rb") as source, _new_file(partial, folder) as sink:
                    while chunk := source.read(_CHUNK):
                        sink.write(chunk)
                        on_bytes(len(chunk))

    def put_bytes(self, data: bytes, path: str) -> None:
        """Store a few bytes as a file."""
        with self._whole(path) as (folder, partial), _new_file(partial, folder) as sink:
            sink.write(data)

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""
        with suppress(MissingError), self._said(path), self._place(path) as (folder, name):
            os.unlink(name, dir_fd=folder)

    def remove_folder(self, folder: str) -> None:
        """Remove an empty folder; harmless if it does not exist."""
        with suppress(MissingError), self._said(folder), self._place(folder) as (above, name):
            os.rmdir(name, dir_fd=above)

    def size(self, path: str) -> int | None:
        """Return the size of a file in bytes, None if it does not exist."""
        info = self._state(path)
        return info.st_size if info is not None and stat.S_ISREG(info.st_mode) else None

    def _state(self, path: str) -> os.stat_result | None:
        try:
            with self._said(path), self._place(path) as (folder, name):
                return os.stat(name, dir_fd=folder, follow_symlinks=False)
        except MissingError:
            return None

    def sha256(self, path: str) -> str | None:
        """Return the SHA-256 that the store computes, None if it cannot."""
        # The linked file is the one that was digested while it was written: nothing was
        # transferred.
        if path in self._linked:
            return None
        digest = hashlib.sha256()
        with self._said(path), self._file(path) as file:
            while chunk := file.read(_CHUNK):
                digest.update(chunk)
        return digest.hexdigest()

    def free(self) -> int | None:
        """Return the free bytes, None if unknown."""
        with self._said("."):
            return shutil.disk_usage(self._root).free

    def replaces_at_once(self) -> bool:
        """Return whether replacing a file is atomic."""
        return True

    def arrived(self, path: str) -> int:
        """Return the bytes of an interrupted upload that need not be sent again."""
        return 0

    def clear_partial(self, folder: str) -> None:
        """Nothing is left that :meth:`items` does not show."""

    def rename(self, path: str, to: str) -> None:
        """Rename a file in its folder, replacing any file of that name."""
        with (
            self._said(path),
            self._place(path) as (folder, name),
            self._place(to) as (other, new),
        ):
            os.rename(name, new, src_dir_fd=folder, dst_dir_fd=other)

    def modified(self, path: str) -> datetime | None:
        """Return the modification time by the store's clock, None if unknown."""
        info = self._state(path)
        return datetime.fromtimestamp(info.st_mtime, UTC) if info is not None else None


def file_system(folder: Path) -> str:
    """Return the type of the file system that a folder is on, such as ``ext4``; empty
    when unknown.
    """
    best, found = Path("/"), ""
    with suppress(OSError), open("/proc/mounts", encoding="utf-8", errors="replace") as mounts:
        for line in mounts:
            _, place, kind, *_ = line.split(" ")
            mount = Path(place.replace("\\040", " "))
            if (folder == mount or mount in folder.parents) and len(mount.parts) >= len(best.parts):
                best, found = mount, kind
    return found


def is_mounted(folder: Path) -> bool:
    """Return whether a folder, or the one above it, is a mount point other than the root."""
    return any(place != Path("/") and place.is_mount() for place in (folder, folder.parent))


def run_command(command: str, purpose: str) -> None:
    """Run a command of the store's settings. Raises ``UnreachableError`` when it fails."""
    try:
        done = subprocess.run(
            ["/bin/sh", "-c", command],
            capture_output=True,
            stdin=subprocess.DEVNULL,
            timeout=_COMMAND_SECONDS,
        )
    except subprocess.TimeoutExpired as error:
        raise UnreachableError(
            f"The command to {purpose} took more than {_COMMAND_SECONDS} seconds.",
            "Try it by hand.",
        ) from error
    if done.returncode:
        said = done.stderr.decode("utf-8", "replace").strip()[-_SAID:] or "nothing was said"
        raise UnreachableError(
            f"The command to {purpose} ended with {done.returncode}: {said}", "Try it by hand."
        )


def _read_and_close(file: BinaryIO, length: int) -> bytes:
    with file:
        return file.read(length)


def _new_file(name: str, folder: int) -> BinaryIO:
    """Return a new file in an open folder, where nothing of its name is."""
    return os.fdopen(os.open(name, NEW_FILE_FLAGS, 0o666, dir_fd=folder), "wb")


def _linked(local: Path, name: str, folder: int) -> bool:
    """Return whether a spooled file itself has become a file of a store's folder: on the same disk,
    and unless it is one of another store already. Damage to one store's copy must not damage the
    others.
    """
    try:
        os.link(local, name, dst_dir_fd=folder)
    except OSError:
        return False
    if os.stat(name, dir_fd=folder, follow_symlinks=False).st_nlink <= _OF_ONE_STORE:
        return True
    os.unlink(name, dir_fd=folder)
    return False


def _flush(name: str, folder: int) -> None:
    """Bytes survive a power cut only once they are flushed to the disk."""
    descriptor = os.open(name, FILE_FLAGS, dir_fd=folder)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


KIND = StoreKind("folder", "A folder of this machine", FolderSettings, Secrets, FolderStore)

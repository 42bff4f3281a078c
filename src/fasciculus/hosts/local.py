"""This machine."""

from __future__ import annotations

import io
import os
import stat
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any, Literal

from ..core.bundle import tree_walk as walking
from ..core.bundle.entry import Entry
from ..core.bundle.tree_walk import WalkRules, Warn
from ..core.errors import FasciculusError, MissingError
from ..core.steps import Step
from ..kinds import Secrets, Settings
from .base import (
    CommandResult,
    FileState,
    HostEntry,
    HostKind,
    TreeName,
)


class LocalFile(io.FileIO):
    """An open file of this machine."""

    def now(self) -> FileState:
        info = os.fstat(self.fileno())
        return FileState(info.st_size, info.st_mtime_ns, info.st_ctime_ns)

    def again(self) -> bool:
        self.seek(0)
        return True


class LocalSettings(Settings):
    """The machine that the service runs on."""

    kind: Literal["local"] = "local"

    def describe(self) -> str:
        return "this machine"


class LocalHost:
    """The machine that the worker runs on."""

    is_local, seen_key = True, ""

    def steps(self) -> Iterator[Step]:
        yield from ()

    def connect(self) -> None:
        pass

    def close(self) -> None:
        pass

    def tree(self, root: str, chosen: WalkRules, warn: Warn) -> Iterator[HostEntry]:
        base = os.fsencode(root)
        try:
            for entry in walking.scan(base, "files", chosen, warn):
                path = base + b"/" + entry.path if entry.path else base
                yield HostEntry(entry, partial(self.open, path))
        except FileNotFoundError as error:
            raise MissingError(
                f"The folder {root} does not exist.", "Correct the folder of this account or site."
            ) from error
        except OSError as error:
            raise FasciculusError(
                f"The folder {root} cannot be read: {error.strerror}.",
                "Check its owner and rights.",
            ) from error

    def survey(self, root: str, warn: Warn) -> Iterator[TreeName]:
        base = os.fsencode(root)
        lstat = os.lstat
        stack = [(b"", iter(self._listed(base, b"", warn)))]
        while stack:
            folder, names = stack[-1]
            below = folder + b"/" if folder else b""
            place = base + b"/" + below
            for name in names:
                try:
                    info = lstat(place + name)
                except OSError:
                    continue
                kind = info.st_mode & 0o170000
                is_dir = kind == stat.S_IFDIR
                relative = below + name
                yield TreeName(
                    relative,
                    is_dir,
                    kind == stat.S_IFREG,
                    info.st_size,
                    info.st_mtime_ns,
                    info.st_dev,
                )
                if is_dir:
                    stack.append((relative, iter(self._listed(place + name, relative, warn))))
                    break
            else:
                stack.pop()

    @staticmethod
    def _listed(path: bytes, relative: bytes, warn: Warn) -> list[bytes]:
        try:
            return sorted(os.listdir(path))
        except OSError as error:
            warn(f"{walking.shown(relative)}: the folder could not be read ({error.strerror})")
            return []

    def open(self, path: bytes) -> LocalFile:
        # A FIFO put where a file was must not hold the worker up, nor a link lead it away.
        descriptor = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
        return LocalFile(descriptor, "rb")

    def type_of(self, path: str) -> str:
        if os.path.isfile(path):
            return "file"
        if os.path.isdir(path):
            return "dir"
        return "other" if os.path.exists(path) else ""

    def names(self, folder: bytes) -> list[bytes]:
        return os.listdir(folder)

    def read_text(self, path: str) -> str:
        try:
            return Path(path).read_text("utf-8", "surrogateescape")
        except OSError as error:
            raise MissingError(
                f"{path} cannot be read: {error.strerror}.", "Correct the host's mail settings."
            ) from error

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        try:
            return walking.describe(path, kind, relative, os.lstat(path), warn)
        except FileNotFoundError:
            return None

    def write(self, path: str, data: bytes, like: Entry | None = None) -> None:
        target = Path(os.path.realpath(path))
        target.parent.mkdir(parents=True, exist_ok=True)
        partial = target.with_name(target.name + ".fasciculus-new")
        mode, owner = 0o644, None
        if like is not None:
            mode, owner = like.mode, (like.uid, like.gid)
        elif target.exists():
            info = target.stat()
            mode, owner = stat.S_IMODE(info.st_mode), (info.st_uid, info.st_gid)
        try:
            # Never readable by more people than the file that it stands in for.
            descriptor = os.open(
                partial, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW, 0o600
            )
            with os.fdopen(descriptor, "wb") as sink:
                sink.write(data)
                if owner and os.geteuid() == 0:
                    os.fchown(sink.fileno(), *owner)
                os.fchmod(sink.fileno(), mode)
                sink.flush()
                os.fsync(sink.fileno())
            partial.rename(target)
        finally:
            partial.unlink(missing_ok=True)

    def link(self, path: str, target: bytes) -> None:
        Path(path).parent.mkdir(parents=True, exist_ok=True)
        Path(path).unlink(missing_ok=True)
        os.symlink(target, os.fsencode(path))

    def remove(self, path: str) -> None:
        Path(path).unlink(missing_ok=True)

    def run(
        self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20
    ) -> CommandResult:
        from .local_command import run

        return run(command, seconds, stdin, limit)

    def state_of(self, path: bytes) -> bytes:
        try:
            info = os.stat(path)
        except OSError:
            return b""
        return f"{info.st_size} {info.st_mtime_ns} {info.st_ctime_ns} {info.st_ino}".encode()

    def dial(self, socket: str, address: str, port: int) -> Any:
        return None


KIND = HostKind(
    "local",
    "This machine",
    LocalSettings,
    Secrets,
    lambda spec, spool: LocalHost(),
    at_once=os.cpu_count() or 1,
)

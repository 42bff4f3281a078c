"""Settings of a host or of an account's services, and the output of commands worth having."""

from __future__ import annotations

import os
import time
from collections.abc import Callable

from ....contracts.orders import BackupOrder
from ....core.bundle.entry import order
from ....core.bundle.tree.tree_walk import WalkRules
from ....core.bundle.writer import BundleWriter
from ....core.errors import FasciculusError
from ....hosts.base import HostConnection
from ....hosts.path_patterns import expand
from ..excluded_paths import excluded_paths
from .files import FileSource, made_up

_USER_FILES = ("group", "passwd", "shadow")


class SystemSource:
    """Packs what the order's patterns mean under ``system/``, by its absolute path."""

    def __init__(
        self,
        order: BackupOrder,
        host: HostConnection,
        writer: BundleWriter,
        file_source: FileSource,
        warn: Callable[[str], None],
        seen: Callable[[int, int], None],
    ) -> None:
        self._order, self._host, self._writer, self._file_source = order, host, writer, file_source
        self._warn, self._seen = warn, seen

    def system(self) -> None:
        """Pack the system settings."""
        if self._order.system_user:
            self._user_entry(self._order.system_user)
        paths: set[str] = set()
        for pattern in self._order.system:
            found = expand(self._host, pattern)
            if not found:
                self._warn(f"{pattern}: nothing on the host is called so")
            paths.update(found)
        done = "//"
        for path in sorted(paths, key=lambda path: order(os.fsencode(path.lstrip("/")))):
            if not (path + "/").startswith(done):
                self._place(path)
                done = path + "/"

    def _place(self, path: str) -> None:
        base = os.fsencode(path.lstrip("/"))
        if self._host.type_of(path) != "dir":
            entry = self._host.describe(os.fsencode(path), "system", base, self._warn)
            if entry is not None:
                self._file_source.file(entry, lambda: self._host.open(os.fsencode(path)))
            return
        chosen = WalkRules(excluded_paths(self._order, os.fsencode(path), self._host.is_local))
        try:
            for found in self._host.tree(path, chosen, self._warn):
                entry, name = found.entry, found.entry.path
                entry.kind, entry.path = "system", base + b"/" + name if name else base
                if entry.link is not None:
                    entry.link = base + b"/" + entry.link
                self._file_source.file(entry, found.open)
        except FasciculusError as error:
            self._warn(f"{path}: {error.message}")

    def _user_entry(self, user: str) -> None:
        """Read the account's lines of passwd(5), group(5) and shadow(5), if the host has them."""
        for name in _USER_FILES:
            try:
                text = self._host.read_text(f"/etc/{name}")
            except FasciculusError:
                continue
            lines = [line + "\n" for line in text.splitlines() if line.split(":", 1)[0] == user]
            if lines:
                entry = made_up("system", f"@user/{name}".encode(), time.time_ns())
                self._writer.add(entry, "".join(lines).encode("utf-8", "surrogateescape"))
                self._seen(1, entry.size)

    def notes(self) -> None:
        """Pack the output of commands."""
        for note in sorted(self._order.notes, key=lambda note: order(f"{note.name}.txt".encode())):
            ran = self._host.run(note.command, note.seconds)
            if ran.code is None:
                self._warn(
                    f"note {note.name}: it was not done after {note.seconds} s; "
                    "what it had said by then is kept"
                )
            elif ran.code:
                self._warn(f"note {note.name}: its command ended with code {ran.code}")
            entry = made_up("notes", f"{note.name}.txt".encode(), time.time_ns())
            self._writer.add(entry, ran.output)
            self._seen(1, entry.size)

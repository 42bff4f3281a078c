"""The target folder of a restore on another host, written by our script there."""

from __future__ import annotations

import base64
import json
import os
from collections.abc import Callable, Iterable
from contextlib import suppress
from typing import Any

import paramiko

from ...core.bundle.entry import Entry
from ...core.errors import ConnectionLostError, FasciculusError

#: The longest answer that is read, in bytes.
_LONGEST = 8 * 1024 * 1024
_CHUNK = 256 * 1024
#: What reading an answer raises that did not come, or is none.
NO_ANSWER = (TimeoutError, EOFError, ValueError, KeyError, TypeError)


class SshTree:
    """Sends each entry to ``tree_program.py`` on the host, which answers what became of it.

    ``open_session`` runs the program and gives its channel; ``where`` is the host in messages.
    """

    def __init__(
        self, open_session: Callable[[], paramiko.Channel], where: str, root: bytes
    ) -> None:
        self._where, self._root = where, root
        self._channel = open_session()
        self._answers = self._channel.makefile("rb", 64 * 1024)
        self.sets_owners = bool(self._answer())

    def close(self) -> None:
        """End the program."""
        with suppress(OSError, EOFError, paramiko.SSHException):
            self._channel.close()

    def make_folder(self, path: bytes) -> bool:
        """Create a folder; return whether it is new."""
        return bool(self._ask("make_folder", path))

    def finish_folder(self, path: bytes, like: Entry) -> None:
        """Set owner, attributes, mode and time of a folder."""
        self._ask("finish_folder", path, like=_sent(like))

    def create_file(self, path: bytes, chunks: Iterable[bytes], like: Entry) -> None:
        """Create a file."""
        self._send_file("create_file", path, chunks, like)

    def replace_file(self, path: bytes, chunks: Iterable[bytes], like: Entry) -> None:
        """Replace a file atomically."""
        self._send_file("replace_file", path, chunks, like)

    def create_node(self, path: bytes, like: Entry) -> None:
        """Create a link, pipe or device."""
        self._ask("create_node", path, like=_sent(like))

    def replace_node(self, path: bytes, like: Entry) -> None:
        """Replace an entry by a link, pipe or device."""
        self._ask("replace_node", path, like=_sent(like))

    def link(self, first: bytes, path: bytes) -> None:
        """Give a file another name."""
        self._ask("link", path, first=_text(first))

    def link_live(
        self, root: bytes, home: bytes, first: bytes, path: bytes, size: int, mtime_ns: int
    ) -> bool:
        """Give a file of the folder in use a name here; return whether that was possible."""
        more = {"root": _text(root), "home": _text(home), "first": _text(first)}
        return bool(self._ask("link_live", path, size=size, mtime_ns=mtime_ns, **more))

    def relink(self, first: bytes, path: bytes) -> None:
        """Replace an entry by another name of a file."""
        self._ask("relink", path, first=_text(first))

    def set_flags(self, path: bytes, flags: str) -> None:
        """Set the inode flags of an entry."""
        self._ask("set_flags", path, flags=flags)

    def drop(self, path: bytes) -> None:
        """Remove a file; harmless if it does not exist."""
        self._ask("drop", path)

    def holds(self, path: bytes) -> bool:
        """Return whether a path exists."""
        return bool(self._ask("holds", path))

    @property
    def unknown_owners(self) -> dict[str, int]:
        """Return the owners that do not exist there, with the number of entries."""
        owners = self._ask("notes", b"")["owners"]
        return {str(name): int(count) for name, count in owners.items()}

    @property
    def unset(self) -> list[tuple[bytes, str, str]]:
        """Return the attributes that could not be set."""
        return [
            (os.fsencode(path), str(key), str(why))
            for path, key, why in self._ask("notes", b"")["unset"]
        ]

    # The conversation ------------------------------------------------------------

    def _send_file(self, what: str, path: bytes, chunks: Iterable[bytes], like: Entry) -> None:
        self._send(_request(what, path, like=_sent(like)))
        try:
            for chunk in chunks:
                for start in range(0, len(chunk), _CHUNK):
                    part = chunk[start : start + _CHUNK]
                    self._send(b"%d\n" % len(part) + part)
        except FasciculusError:
            self._send(b"-1\n")
            self._answer()
            raise
        self._send(b"0\n")
        self._answer()

    def _ask(self, what: str, path: bytes, **more: Any) -> Any:
        self._send(_request(what, path, **more))
        return self._answer()

    def _send(self, data: bytes) -> None:
        try:
            self._channel.sendall(data)
        except (OSError, EOFError, paramiko.SSHException) as error:
            raise self._lost() from error

    def _answer(self) -> Any:
        try:
            line = self._answers.readline(_LONGEST)
            answer = json.loads(line)
            if "errno" in answer:
                raise OSError(int(answer["errno"]), str(answer["text"]), os.fsdecode(self._root))
            return answer["value"]
        except (*NO_ANSWER, paramiko.SSHException) as error:
            raise self._lost() from error

    def _lost(self) -> ConnectionLostError:
        return ConnectionLostError(f"The connection to {self._where} was lost.", "Start again.")


def _text(data: bytes) -> str:
    return base64.b64encode(data).decode()


def _request(what: str, path: bytes, **more: Any) -> bytes:
    return json.dumps({"do": what, "path": _text(path), **more}).encode() + b"\n"


def _sent(like: Entry) -> dict[str, Any]:
    return {
        "type": like.type,
        "mode": like.mode,
        "uid": like.uid,
        "gid": like.gid,
        "user": like.user,
        "group": like.group,
        "mtime_ns": like.mtime_ns,
        "target": _text(like.target or b""),
        "rdev": list(like.rdev),
        "xattrs": {key: _text(value) for key, value in like.xattrs.items()},
    }

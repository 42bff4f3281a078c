"""SFTP servers that say what no honest one says: to stores and to hosts."""

from __future__ import annotations

import os
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import paramiko
import pytest
from paramiko.message import Message
from paramiko.sftp import CMD_HANDLE, CMD_NAME, CMD_STATUS, SFTP_EOF

from fasciculus import sftp_client
from fasciculus.core.bundle.tree.tree_walk import WalkRules
from fasciculus.core.errors import MissingError, UnreachableError
from fasciculus.hosts import sftp_walk
from fasciculus.sftp_client import SftpClient
from fasciculus.stores import base
from fasciculus.stores.base import is_item_name, listed_items


class Answer:
    """One answer of READDIR."""

    def __init__(self, names: list[Any], size: int) -> None:
        self._names, self._size = list(names), size
        self._next = []

    def get_int(self) -> Any:
        return len(self._names)

    def get_string(self) -> Any:
        if not self._next:
            name = self._names.pop(0)
            self._next = [name, b"long name"]
        return self._next.pop(0)

    def get_binary(self) -> Any:
        return b"handle"


class Rogue(SftpClient):
    """Answers without a connection."""

    def __init__(self, answers: Iterator[Any] | list[Any], size: int = 5) -> None:
        self._answers, self._size = iter(answers), size

    def _request(self, kind: int, *_: Any) -> Any:
        return CMD_HANDLE, Answer([], 0)

    def _together(self, *requests: Any) -> Any:
        ended = Message()
        ended.add_int(SFTP_EOF)
        for _ in requests:
            names = next(self._answers, None)
            end = CMD_STATUS, Message(ended.asbytes())
            yield end if names is None else (CMD_NAME, Answer(names, self._size))

    def let_go(self, handle: bytes) -> None:
        pass

    def __del__(self) -> None:
        pass


@pytest.fixture(autouse=True)
def attributes(monkeypatch: pytest.MonkeyPatch) -> None:
    """Attributes as the answer has them."""

    def read(message: Any) -> Any:
        return SimpleNamespace(st_size=message._size, st_mode=0o040755)

    monkeypatch.setattr(paramiko.SFTPAttributes, "_from_msg", staticmethod(read))


ODD = (b"", b".", b"..", b"../evil", b"/etc/passwd", b"a/b", b"nul\0")


def test_only_names_of_that_folder_are_taken() -> None:
    assert [name for name, _ in Rogue([[*ODD, b"fine", b"fine"]]).listed(b"/")] == [b"fine"]


@pytest.mark.parametrize("size", [2**63, 2**64 - 1, -1])
def test_a_size_that_no_file_has_is_not_taken(size: int) -> None:
    assert Rogue([[b"huge"]], size).listed(b"/") == []


def test_a_listing_without_an_end_ends(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sftp_client, "_MOST_NAMES", 1000)

    def endless() -> Iterator[Any]:
        number = 0
        while True:
            number += 1
            yield [b"%d" % number]

    def the_same() -> Iterator[Any]:
        while True:
            yield [b"again"]

    for answers in (endless(), the_same()):
        with pytest.raises(OSError, match="without an end"):
            Rogue(answers).listed(b"/")


def test_a_folder_that_contains_itself_ends() -> None:
    class Loop:
        def lstat(self, path: bytes) -> Any:
            return SimpleNamespace(st_size=0, st_mode=0o040755, st_uid=0, st_gid=0, st_mtime=2**70)

        def listed(self, path: bytes) -> list[Any]:
            return [(b"again", self.lstat(path))]

    said = []
    rows = list(sftp_walk.walk(Loop(), lambda path: None, b"/", WalkRules(), said.append))  # type: ignore[return-value]
    assert len(rows) <= sftp_walk._DEEPEST + 2 and "contained itself" in said[0]


@pytest.mark.parametrize(
    "name", ["", ".", "..", "a/b", "/x", "nul\0", "line\n", "\x1b[2J", "ü" * 200, "\udcff"]
)
def test_what_a_store_lists_is_a_name_or_nothing(name: str) -> None:
    assert not is_item_name(name)
    rows = [(name, 1, False), ("fine", 2, False), ("huge", 2**63, False), ("less", -1, False)]
    assert [item.name for item in listed_items("attic", rows)] == ["fine"]


def test_a_store_lists_no_folder_without_an_end(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(base, "_MOST_ITEMS", 1000)
    endless = ((f"name-{n}", 1, False) for n in range(10**9))
    with pytest.raises(UnreachableError, match="lists more than"):
        listed_items("attic", endless)


def test_a_pipe_or_a_link_in_a_folder_store_holds_up_and_leads_nobody(tmp_path: Path) -> None:
    from fasciculus.stores import open_store, store_spec
    from fasciculus.stores.base import connected
    from fasciculus.stores.reading import read_all

    root, outside = tmp_path / "attic", tmp_path / "outside"
    (root / "accounts").mkdir(parents=True)
    outside.mkdir()
    (outside / "secret").write_text("of another user")
    os.mkfifo(root / "accounts/pipe")
    os.mkfifo(root / "fasciculus-store.json")
    (root / "accounts/link").symlink_to(outside / "secret")
    (root / "accounts/out").symlink_to(outside)
    spec = store_spec("attic", {"kind": "folder", "folder": str(root)})
    with connected(open_store(spec)) as store:
        for path in (
            "accounts/pipe",
            "fasciculus-store.json",
            "accounts/link",
            "accounts/out/secret",
        ):
            assert path.startswith("accounts/out") or store.size(path) is None
            for read in (partial(read_all, store), store.sha256):
                with pytest.raises((MissingError, UnreachableError)):
                    read(path)
        for change in (
            lambda: store.put_bytes(b"x", "accounts/out/secret"),
            lambda: store.remove("accounts/out/secret"),
            lambda: store.rename("accounts/out/secret", "accounts/mine"),
            lambda: store.remove_folder("accounts/out/deeper"),
            lambda: store.put_bytes(b"x", "accounts/../../outside/secret"),
        ):
            with pytest.raises(UnreachableError):
                change()  # type: ignore[no-untyped-call]
        store.put_bytes(b"mine", "accounts/link")
        assert read_all(store, "accounts/link") == b"mine", "the link itself was replaced"
    assert (outside / "secret").read_text() == "of another user"
    assert [path.name for path in outside.iterdir()] == ["secret"]

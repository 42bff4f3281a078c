"""Refused values, each with its field and a hint."""

from __future__ import annotations

import os
import socket
from pathlib import Path
from typing import Any

import pytest

from fasciculus.core.bundle.codecs import codec, codec_of
from fasciculus.core.bundle.tree.tree_walk import scan
from fasciculus.core.errors import DamagedError, SettingError
from fasciculus.core.schedule import zone


@pytest.mark.parametrize(
    ("name", "level"), [("zstd", 0), ("zstd", 20), ("gzip", 0), ("gzip", 10), ("rar", None)]
)
def test_a_packing_that_is_none(name: str, level: int | None) -> None:
    with pytest.raises(SettingError) as caught:
        codec(name, level)
    assert caught.value.field in ("level", "compression") and caught.value.hint


def test_a_piece_of_unknown_packing() -> None:
    with pytest.raises(DamagedError, match="ending that is not known"):
        codec_of("p.tar.rar")
    assert codec_of("p.tar").name == "none"


@pytest.mark.parametrize("name", ["Heronmere/Lake", "", "../etc/passwd"])
def test_a_zone_that_is_none(name: str) -> None:
    with pytest.raises(SettingError):
        zone(name)


def warned(tree: Path) -> Any:
    found = []
    entries = list(scan(os.fsencode(tree), warn=found.append))
    return [entry.path for entry in entries], found


def test_a_socket_is_named_and_left_out(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    with socket.socket(socket.AF_UNIX) as listening:
        listening.bind("here.sock")
        paths, found = warned(tmp_path)
    assert b"here.sock" not in paths and "here.sock: a socket" in found[0]


def test_what_cannot_be_looked_at_is_named_and_the_rest_is_kept(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "good").write_text("x")
    (tmp_path / "bad").write_text("x")
    look = os.listxattr

    def refused(path: bytes, **more: Any) -> list[Any]:
        if os.fsencode(path).endswith(b"bad"):
            raise OSError(5, "Input/output error")
        return look(path, **more)

    monkeypatch.setattr(os, "listxattr", refused)
    paths, found = warned(tmp_path)
    assert {b"good", b"bad"} <= set(paths)
    assert found == ["bad: its extended attributes could not be read (Input/output error)"]


def test_a_root_that_is_not_there(tmp_path: Path) -> None:
    with pytest.raises(OSError):
        warned(tmp_path / "none")

"""Durability of a file: its bytes first, then its name, then its folder."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import pytest

from fasciculus.stores import open_store, store_spec
from fasciculus.stores.folder import FolderStore


@pytest.fixture
def store(tmp_path: Path) -> Any:
    (tmp_path / "store").mkdir()
    return open_store(store_spec("attic", {"kind": "folder", "folder": str(tmp_path / "store")}))


@pytest.fixture
def calls(monkeypatch: pytest.MonkeyPatch) -> list[Any]:
    """fsync and rename as they come: (call, path at that time)."""
    found = []
    fsync, rename = os.fsync, os.rename

    def recorded_fsync(descriptor: int) -> None:
        found.append(("fsync", os.readlink(f"/proc/self/fd/{descriptor}")))
        fsync(descriptor)

    def recorded_rename(source: str, target: str, **more: Any) -> None:
        found.append(("rename", str(target)))
        rename(source, target, **more)

    monkeypatch.setattr(os, "fsync", recorded_fsync)
    monkeypatch.setattr(os, "rename", recorded_rename)
    return found


@pytest.mark.parametrize("linked", [True, False])
def test_bytes_then_name_then_folder(
    store: FolderStore,
    tmp_path: Path,
    calls: list[Any],
    monkeypatch: pytest.MonkeyPatch,
    linked: bool,
) -> None:
    if not linked:
        monkeypatch.setattr(
            os, "link", lambda *_, **__: (_ for _ in ()).throw(OSError("another disk"))
        )
    local = tmp_path / "piece"
    local.write_bytes(b"piece" * 1000)
    seen = []
    store.put(local, "accounts/m/pieces/p", seen.append)
    target = tmp_path / "store/accounts/m/pieces/p"
    assert calls == [
        ("fsync", f"{target}.part"),
        ("rename", target.name),
        ("fsync", str(target.parent)),
    ]
    assert target.read_bytes() == local.read_bytes() and sum(seen) == 5000


def test_small_files_go_the_same_way(store: FolderStore, tmp_path: Path, calls: list[Any]) -> None:
    store.put_bytes(b"{}", "accounts/m/bundles/b/bundle.json")
    target = tmp_path / "store/accounts/m/bundles/b/bundle.json"
    assert [call for call, _ in calls] == ["fsync", "rename", "fsync"]
    assert calls[0][1] == f"{target}.part" and target.read_bytes() == b"{}"


def test_a_write_that_fails_leaves_the_old_file_and_nothing_half(
    store: FolderStore, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    store.put_bytes(b"old", "fasciculus-store.json")

    def full(descriptor: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(Exception, match="is full"):
        store.put_bytes(b"new", "fasciculus-store.json")
    assert [p.name for p in (tmp_path / "store").iterdir()] == ["fasciculus-store.json"]
    assert (tmp_path / "store/fasciculus-store.json").read_bytes() == b"old"

"""Disks that are full, on servers that say so in their own way, or not at all."""

from __future__ import annotations

import os
import subprocess
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from servers import Place, ftp_place, webdav_place

from fasciculus.core.errors import StoreFullError
from fasciculus.stores import open_store
from fasciculus.stores import retrying as retrying_module
from fasciculus.stores.base import connected
from fasciculus.stores.retrying import RetryingStore
from fasciculus.stores.trying import try_store

MIB = 1024 * 1024
#: The folder below which a server keeps its files.
ROOTS = {
    "pyftpdlib": (ftp_place(), "web-space"),
    "wsgidav": (webdav_place, "drive"),
}


@pytest.fixture(params=ROOTS)
def place(
    request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Place]:
    monkeypatch.setattr(retrying_module, "_FIRST_WAIT", 0.001)
    make, root = ROOTS[request.param]
    disk = tmp_path / root
    disk.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=4m", "tmpfs", str(disk)], check=True)
    try:
        with make(tmp_path) as found:
            yield found
    finally:
        subprocess.run(["umount", "-l", str(disk)], check=True)


def test_a_piece_that_does_not_fit_is_not_sent_again_and_again(
    place: Place, tmp_path: Path
) -> None:
    piece = tmp_path / "piece"
    piece.write_bytes(os.urandom(8 * MIB))
    said, sent = [], []
    assert all(step.ok for step in try_store(open_store(place.spec), make_root=True))
    with connected(open_store(place.spec)) as inner:
        store = RetryingStore(inner, threading.Event(), said.append)
        with pytest.raises(StoreFullError) as caught:
            store.put(piece, "a/piece", sent.append)
        assert "full" in caught.value.sentence() and "a/piece" in caught.value.message
        assert len(said) <= 1 and sum(sent) <= 2 * piece.stat().st_size
        assert store.items("a") == [] and [item.name for item in store.items("")] == ["a"]
        store.put_bytes(b"small", "a/small")
        assert store.size("a/small") == 5

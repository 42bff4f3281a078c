"""``python -m bench.breaks [MB]``: a piece of so many megabytes (2000) over a line that breaks ten
times, to each kind of store; what was sent twice, of the piece.
"""

from __future__ import annotations

import hashlib
import os
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

from fasciculus.demo.drive import DriveStandIn
from fasciculus.demo.ftp import FtpStandIn
from fasciculus.demo.object_storage import ObjectStorageStandIn
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import StoreSpec, connected
from fasciculus.stores.confirmation import confirm
from fasciculus.stores.retrying import RetryingStore
from fasciculus.stores.trying import try_store

_USER, _PASSWORD = "fasciculus", "boat-and-rope"
_KINDS = ("sftp", "ftp", "s3", "webdav")
_BREAKS, _CHUNK = 10, 10**6
_PATH = "accounts/bench/pieces/large.tar.zst"


@contextmanager
def _store(kind: str, folder: Path) -> Iterator[tuple[Any, StoreSpec]]:
    """Provide a stand-in of a kind, and the store on it."""
    stand_in: Any
    login = {"address": "127.0.0.1", "user": _USER, "folder": "/bundles"}
    secrets = {"password": _PASSWORD}
    if kind == "sftp":
        stand_in = SftpStandIn(folder / "files", folder / "host-key", _USER, _PASSWORD)
        settings = {**login, "port": stand_in.port, "host_key": stand_in.host_key}
    elif kind == "ftp":
        stand_in = FtpStandIn(folder / "files", _USER, _PASSWORD)
        settings = {**login, "port": stand_in.port, "security": "none"}
    elif kind == "s3":
        stand_in = ObjectStorageStandIn(folder / "files", _USER, _PASSWORD)
        settings = {
            "endpoint": stand_in.url,
            "bucket": "bundles",
            "path_style": True,
            "create_bucket": True,
        }
        secrets = {"access_key": _USER, "secret_key": _PASSWORD}
    else:
        stand_in = DriveStandIn(folder / "files", user=_USER, password=_PASSWORD)
        settings = {"url": f"{stand_in.url}/dav/bundles", "user": _USER}
    with closing(stand_in):
        yield stand_in, store_spec(kind, {"kind": kind, **settings}, secrets)


def _sent(kind: str, folder: Path, piece: Path, digest: str) -> tuple[int, int]:
    """Return the bytes that reached the store, and how often the line broke."""
    size, told = piece.stat().st_size, list[str]()
    with _store(kind, folder) as (stand_in, spec):
        with closing(open_store(spec)) as store:
            assert all(step.ok for step in try_store(store, make_root=True))
        wrong = stand_in.misbehaviour
        wrong.received, wrong.cuts = 0, _BREAKS
        wrong.cut_after = wrong.cut_each = size // (_BREAKS + 1)
        with connected(RetryingStore(open_store(spec), threading.Event(), told.append)) as sending:
            sending.put(piece, _PATH, lambda count: None)
            wrong.cut_after = None
            received = int(wrong.received)
            confirm(sending, _PATH, size, digest)
    return received, len(told)


def main() -> None:
    """Measure an upload whose connection breaks."""
    megabytes = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    with tempfile.TemporaryDirectory(dir=os.environ.get("BENCH_FOLDER")) as name:
        piece, digest = Path(name) / "piece", hashlib.sha256()
        with piece.open("wb") as sink:
            for _ in range(megabytes):
                data = os.urandom(_CHUNK)
                digest.update(data)
                sink.write(data)
        size = piece.stat().st_size
        for kind in _KINDS:
            folder = Path(name) / kind
            folder.mkdir()
            begin = time.monotonic()
            received, breaks = _sent(kind, folder, piece, digest.hexdigest())
            print(
                f"{kind:8} {breaks} breaks, {(received - size) / size:.2%} sent twice (must 10%), "
                f"{time.monotonic() - begin:.0f} s, whole",
                flush=True,
            )


if __name__ == "__main__":
    main()

"""Bundles of one tree night after night, and maintenance of them, made in this process."""

from __future__ import annotations

import io
import json
import os
import shutil
import threading
import time
from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

import msgspec
from running import until
from trees import picture

from fasciculus.bundles.retiring import complete
from fasciculus.contracts.artifacts import Artifact
from fasciculus.contracts.events import CopyRepacked, DamageCleared, DamageFound, from_line
from fasciculus.contracts.orders import BackupOrder, RepackOrder, RestoreOrder, VerifyOrder
from fasciculus.contracts.sealed_secrets import Secret
from fasciculus.core.bundle.entry import Entry
from fasciculus.core.bundle.listing import ListingWriter, read_listing
from fasciculus.core.bundle.manifest import parse_manifest, sums
from fasciculus.core.subject import Subject
from fasciculus.hosts.local import LocalHost
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import StoreSpec
from fasciculus.stores.identity import write_identity
from fasciculus.worker.backup.task import BackupTask
from fasciculus.worker.connections import Connections
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.maintenance.repack import RepackTask
from fasciculus.worker.maintenance.verify import VerifyTask
from fasciculus.worker.restore.task import RestoreTask

MIB = 1024 * 1024


def made(kind: type[Any], values: dict[Any, Any]) -> Any:
    """An order of plain values."""
    return msgspec.convert(values, kind, dec_hook=_of_text)


def _of_text(kind: type[Any], value: str) -> Artifact | Secret:
    return artifact(value) if kind is Artifact else kind(value)


def artifact(path: str | Path) -> Artifact:
    """Any path of this machine, as orders name artifacts."""
    return Artifact.within("home", Path("/"), Path(path))


SUBJECT = Subject("account", "millpond")
#: The key of authentication tags.
KEY = "5e" * 32


class Nights:
    """Bundles of one tree to folder stores, the first of them “attic”."""

    def __init__(self, root: Path, second: str = "") -> None:
        self.root, self.tree = root, root / "tree"
        self.tree.mkdir(parents=True)
        self.specs = {}
        for name in filter(None, ("attic", second)):
            (root / name).mkdir()
            self.specs[name] = store_spec(name, {"kind": "folder", "folder": str(root / name)})
            write_identity(open_store(self.specs[name]), "5" * 32)
        self.spec = self.specs["attic"]
        self.known: list[str] = []
        self.manifests: dict[str, dict] = {}
        self.images: dict[str, dict] = {}
        self.number = 0
        #: Private keys that the worker has.
        self.identities: list[str] = []
        self.events: list[dict] = []

    def store_order(self, name: str) -> dict:
        spec = self.specs[name]
        return {
            "name": name,
            "settings": spec.settings.model_dump_json(),
            "secrets": spec.secrets,
            "tokens": str(spec.tokens.path) if spec.tokens else None,
            "tokens_key": spec.tokens.key.hex() if spec.tokens else "",
            "stall_timeout": spec.stall_timeout,
            "store_id": "5" * 32,
            "signing_key": KEY,
            "identities": self.identities,
            "recorded": [self.copy_order(name) for name in self.known],
        }

    def copy_order(self, name: str) -> dict:
        """A copy as the records know it."""
        made = self.manifests.get(name, {})
        return {
            "name": name,
            "manifest": str(self.root / f"{name}.json"),
            "manifest_sha256": made.get("manifest_sha256", ""),
            "listing": str(self.root / f"{name}.zst"),
            "listing_sha256": made.get("listing_sha256", ""),
        }

    def add_store(self, spec: StoreSpec) -> None:
        self.specs[spec.name] = spec
        store = open_store(spec)
        store.connect()
        write_identity(store, "5" * 32)
        store.close()

    def order(self, incremental: bool = True, keep: int = 1000, **more: Any) -> BackupOrder:
        self.number += 1
        previous = None
        if incremental and self.known:
            name = self.known[-1]
            found = self.manifests[name]
            previous = {
                "name": name,
                "base": found["base"],
                "listing": str(self.root / f"{name}.zst"),
                "listing_sha256": found["listing_sha256"],
                "states": str(self.root / f"{name}.states"),
                "pieces": found["pieces"],
            }
        return made(
            BackupOrder,
            {
                "run": self.number,
                "job": "nightly",
                "subject": {
                    "kind": "account",
                    "name": "millpond",
                    "host": "reed-1",
                    "root": str(self.tree),
                },
                "contents": ["files"],
                "stores": [
                    {**self.store_order(name), "known": self.known, "keep": f"{keep} newest"}
                    for name in self.specs
                ],
                "piece_size": 2 * MIB,
                "spool": str(self.root / "spool"),
                "spool_limit": 1 << 30,
                "listing": str(self.root / "listing.zst"),
                "states": str(self.root / "listing.states"),
                "manifest": str(self.root / "listing.json"),
                "writer": "tests",
                "previous": previous,
                **more,
            },
        )

    def night(
        self, incremental: bool = True, host: Any = None, servers: Any = None, **more: Any
    ) -> dict:
        raw = io.BytesIO()
        if servers is not None:
            more["host"] = {"servers": servers}
        order = self.order(incremental, **more)
        # Two nights in one second still get two names.
        connections = Connections()
        work = BackupTask(order, host or LocalHost(), connections, Emitter(raw), threading.Event())
        with closing(connections):
            finished = work.run()
        self.events = [json.loads(line) for line in raw.getvalue().splitlines()]
        for suffix in ("zst", "states", "json"):
            # There are no states of files of another host.
            with suppress(FileNotFoundError):
                os.rename(
                    self.root / f"listing.{suffix}", self.root / f"{finished.bundle}.{suffix}"
                )
        manifest = self.manifests[finished.bundle] = msgspec.to_builtins(finished.manifest)
        self.known = [name for name in [*self.known, finished.bundle] if name in self.present()]
        self.images[finished.bundle] = picture(self.tree)
        return manifest

    def forge(
        self,
        name: str,
        change: Callable[[list[Entry]], list[Entry]],
        key: bytes = b"",
        root: Path | None = None,
    ) -> None:
        """Let a store's listing of a bundle say something else, and its manifest agree with it.

        With the service's ``key`` it is the service itself that did so.
        """
        folder = (root or self.root / "attic") / SUBJECT.bundle(name)
        with (folder / "listing.jsonl.zst").open("rb") as raw:
            entries = change(list(read_listing(raw)))
        sink = io.BytesIO()
        writer = ListingWriter(sink)
        for entry in entries:
            writer.add(entry)
        digest = writer.close()
        document = json.loads((folder / "bundle.json").read_text())
        document["listing"].update(sha256=digest, bytes=len(sink.getvalue()))
        manifest = parse_manifest(json.dumps(document).encode())
        for file, data in (
            ("listing.jsonl.zst", sink.getvalue()),
            ("bundle.json", manifest.to_json(key)),
            ("SHA256SUMS", sums(digest, manifest.pieces, manifest.listing)),
        ):
            # New files: the listing next to the records may be the same one.
            (folder / file).unlink()
            (folder / file).write_bytes(data)

    def piece(self, name: str, store: str = "attic") -> Path:
        return self.root / store / SUBJECT.piece(name)

    def flip(self, path: Path, where: float = 0.5) -> None:
        data = bytearray(path.read_bytes())
        data[int(len(data) * where)] ^= 1
        # A new file: the other store must not be the same one.
        path.unlink()
        path.write_bytes(data)

    def maintenance(
        self, make: type[Any], work: type[Any], store: str = "attic", **more: Any
    ) -> Any:
        """Carry out an maintenance order; gives how it ended and what it told."""
        order = made(
            make,
            {
                "subject": {"kind": "account", "name": "millpond", "host": "", "root": ""},
                "store": self.store_order(store),
                "spool": str(self.root / "spool3"),
                "bundles": [self.copy_order(name) for name in more.pop("names", self.known)],
                **more,
            },
        )
        raw = io.BytesIO()
        finished = work(order, Emitter(raw), threading.Event()).run()
        return finished, [from_line(line) for line in raw.getvalue().splitlines()]

    def verify(self, deep: bool, store: str = "attic", **more: Any) -> Any:
        """Verify, and return the damage by file, and the files reported as sound again."""
        _, events = self.maintenance(VerifyOrder, VerifyTask, store, deep=deep, **more)
        return (
            {e.file: e for e in events if isinstance(e, DamageFound)},
            [e.file for e in events if isinstance(e, DamageCleared)],
        )

    def repack_events(self, over: float = 0.1, store: str = "attic", **more: Any) -> Any:
        """Repack; gives how it ended and what it told."""
        return self.maintenance(
            RepackOrder,
            RepackTask,
            store,
            over=over,
            piece_size=2 * MIB,
            spool_limit=1 << 30,
            listings=str(self.root / "repacked"),
            **more,
        )

    def repack(self, over: float = 0.1, store: str = "attic", **more: Any) -> Any:
        """Repack, and store the new listings like the service."""
        listings = self.root / "repacked"
        finished, events = self.repack_events(over, store, **more)
        for event in events:
            if isinstance(event, CopyRepacked):
                self.manifests[event.bundle] = msgspec.to_builtins(event.manifest)
                made = listings / f"{event.bundle}.zst"
                (self.root / f"{event.bundle}.json").unlink(missing_ok=True)
                if made.with_suffix(".json").exists():
                    shutil.copy(made.with_suffix(".json"), self.root / f"{event.bundle}.json")
                if not made.exists():
                    # Turned earlier, when nobody heard of it: the store's own is the right one.
                    (made,) = (self.root / store / SUBJECT.bundle(event.bundle)).glob(
                        "listing*.zst"
                    )
                shutil.copy(made, self.root / f"{event.bundle}.zst")
        return finished

    def present(self) -> list[str]:
        return complete(open_store(self.spec), SUBJECT)

    def brought(self) -> int:
        pieces = self.manifests[self.known[-1]]["pieces"]
        return sum(piece["bytes"] for piece in pieces if piece["brought"])

    def restored(self, name: str, store: str = "attic") -> dict:
        target = self.root / "back"
        shutil.rmtree(target, ignore_errors=True)
        order = made(
            RestoreOrder,
            {
                "subject": {"kind": "account", "name": "millpond", "host": "reed-1", "root": ""},
                "bundle": name,
                "store": self.store_order(store),
                "target": str(target),
                "spool": str(self.root / "spool2"),
            },
        )
        finished = RestoreTask(order, LocalHost(), Emitter(io.BytesIO()), threading.Event()).run()
        if finished.outcome == "failed":
            raise NotAll(finished.error, picture(target / "files"))
        return picture(target / "files")


def settled(nights: Nights) -> None:
    """Wait for the clock's resolution, within which a changed file is not trusted."""
    newest = max(path.lstat().st_ctime_ns for path in nights.tree.rglob("*"))
    until(lambda: time.time_ns() - newest > 30_000_000)


class NotAll(Exception):
    """A restore that says what did not come back; ``found`` is what did."""

    def __init__(self, error: str, found: dict) -> None:
        super().__init__(error)
        self.found = found


class Power:
    """Is cut before the n-th write to the store, without any clearing up."""

    left = -1

    @classmethod
    def before_write(cls) -> None:
        if cls.left >= 0:
            cls.left -= 1
            if cls.left < 0:
                os._exit(9)

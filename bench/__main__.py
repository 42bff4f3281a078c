"""``python -m bench [scale [row …]]``: medians of several runs, and ratios; 1.0 is the full size.

Rows can be asked for alone: full, nights, database, push, s3, ftp, accounts, lists, tick, million.
"""

from __future__ import annotations

import atexit
import getpass
import json
import os
import platform
import random
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from fasciculus.contracts.artifacts import Artifact
from fasciculus.contracts.orders import (
    BackupOrder,
    HostOrder,
    InPlaceOrder,
    PreviousOrder,
    RestoreOrder,
    ServerOrder,
    StoreOrder,
    SubjectOrder,
)
from fasciculus.contracts.results import BackupResult
from fasciculus.core.bundle.entry import FILE
from fasciculus.core.bundle.listing import read_listing
from fasciculus.core.bundle.manifest import ManifestSummary
from fasciculus.core.bundle.reader import BundleReader
from fasciculus.core.formatting import format_size
from fasciculus.core.subject import Subject, SubjectKind
from fasciculus.databases.base import DatabaseRef
from fasciculus.demo.mariadb import PrivateMariaDb, found
from fasciculus.hosts.side_folder import NAME
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import connected
from fasciculus.worker.pool import WorkerPool

from . import data, records, ssh
from .accounts import small_accounts
from .changed_rows import changed_rows
from .night import Night
from .one_table import CountingStore, one_table
from .postgresql import postgresql
from .storage import KEYS, ObjectStorage, Vsftpd, vsftpd_found

RUNS = 3
#: Of what takes less than a second.
MANY_RUNS = 9
#: Rows that read the tree of mixed files; one_file, restore and in_place need the bundle of full.
OF_TREE = {"full", "one_file", "restore", "in_place", "nights"}
ROWS = (
    "full",
    "one_file",
    "restore",
    "in_place",
    "nights",
    "database",
    "postgresql",
    "memory",
    "push",
    "s3",
    "ftp",
    "accounts",
    "lists",
    "tick",
    "million",
)
MIB = 1024 * 1024
TAR = "tar --listed-incremental=../$h.snar"
SUBJECT = Subject.of("account", "bench")
STORE_ID = "be" * 16


def peak_of(pidfd: int) -> int:
    """Return the most memory that a process had so far, in bytes; 0 where it has ended.

    The system's count for a child would start from its parent's.
    """
    try:
        known = Path(f"/proc/self/fdinfo/{pidfd}").read_text()
        pid = next(line.split()[1] for line in known.splitlines() if line.startswith("Pid:"))
        status = Path(f"/proc/{pid}/status").read_text()
    except OSError:
        return 0
    return next(
        (int(line.split()[1]) * 1024 for line in status.splitlines() if line.startswith("VmHWM")),
        0,
    )


def timed(action: Callable[[], object]) -> float:
    """Return how many seconds an action takes."""
    start = time.perf_counter()
    action()
    return time.perf_counter() - start


def side_by_side(*actions: Callable[[], object], short: bool = False) -> list[float]:
    """Return the medians of several runs, taken in turns so that both meet the same machine."""
    runs = MANY_RUNS if short else RUNS
    rows = [[timed(action) for action in actions] for _ in range(runs)]
    return [statistics.median(column) for column in zip(*rows, strict=True)]


def shell(command: str, where: Path) -> Callable[[], object]:
    """Return an action that runs a shell command in a folder."""
    return lambda: subprocess.run(
        ["bash", "-o", "pipefail", "-c", command], check=True, cwd=where, stdout=subprocess.DEVNULL
    )


class Bench:
    """The measured rows, and the tree, store and workers that they use."""

    def __init__(self, folder: Path, scale: float) -> None:
        self.folder, self.scale = folder, scale
        self.rows: list[tuple[str, str, str, str, str]] = []
        self.tree, self.store = folder / "tree", folder / "store"
        self.bundle, self.packed, self.peak = "", 0, 0
        self.workers = WorkerPool()
        self.workers.warm_up()
        self.manifest = ManifestSummary(started="")

    def say(self, what: str, against: str, value: str, must: str, aim: str) -> None:
        self.rows.append((what, against, value, must, aim))
        print(f"{what:52} {value:>10}  (must {must}, aim {aim}; against {against})", flush=True)

    def worker(self, order: BackupOrder | RestoreOrder) -> None:
        """Carry out an order as the service does: in a worker that is forked ready."""
        worker = self.workers.start(order)
        for _ in worker.events():
            self.peak = max(self.peak, peak_of(worker.pidfd))
        result = worker.result
        assert result is not None and result.outcome in ("done", "warned"), (result, worker.ended)
        if isinstance(result, BackupResult):
            self.bundle, self.packed, self.manifest = result.bundle, result.packed, result.manifest

    def store_order(self, keep: str = "1 newest") -> StoreOrder:
        settings = json.dumps({"kind": "folder", "folder": str(self.store)})
        return StoreOrder(name="attic", settings=settings, store_id=STORE_ID, keep=keep)

    def subject(self, name: str = "bench", root: Path | None = None) -> SubjectOrder:
        return SubjectOrder(
            kind=SubjectKind.ACCOUNT, name=name, host="reed-1", root=str(root or self.tree)
        )

    def artifact(self, path: Path) -> Artifact:
        """Return a file or folder of the measurement, as orders name it."""
        return Artifact.within("home", self.folder, path)

    def order(self, **more: Any) -> BackupOrder:
        values: dict[str, Any] = {
            "run": 1,
            "job": "bench",
            "subject": self.subject(),
            "contents": ["files"],
            "stores": [self.store_order()],
            "piece_size": 256 * MIB,
            "threads": os.cpu_count(),
            "spool": self.artifact(self.folder / "spool"),
            "spool_limit": 1024 * MIB,
            "listing": self.artifact(self.folder / "listing.zst"),
            "states": self.artifact(self.folder / "listing.states"),
            "writer": "bench",
        }
        return BackupOrder(**{**values, **more})

    def make_store(self) -> None:
        self.store.mkdir(exist_ok=True)
        (self.store / "fasciculus-store.json").write_text(
            json.dumps({"format": "fasciculus-store", "version": 1, "id": STORE_ID})
        )

    def full(self) -> None:
        ours, pipe, gzip = side_by_side(
            lambda: self.worker(self.order()),
            shell(
                "tar -cf - -C tree . | zstd -q -3 -T2 | tee base.tar.zst | sha256sum", self.folder
            ),
            shell("tar -czf base.tar.gz -C tree .", self.folder),
        )
        self.say(
            "first full bundle to a folder store",
            "tar | zstd -3 -T2 | tee | sha256sum",
            f"{ours / pipe:.2f}x",
            "1.2x",
            "0.7x",
        )
        self.say("the same", "tar -czf", f"{ours / gzip:.2f}x", "0.25x", "0.1x")

    def restore(self) -> None:
        def ours() -> None:
            shutil.rmtree(self.folder / "back", ignore_errors=True)
            self.worker(
                RestoreOrder(
                    subject=self.subject(),
                    bundle=self.bundle,
                    store=self.store_order(),
                    target=str(self.folder / "back"),
                    spool=self.artifact(self.folder / "spool2"),
                )
            )

        mine, tar = side_by_side(
            ours, shell("rm -rf back; mkdir back; tar --zstd -xf base.tar.zst -C back", self.folder)
        )
        self.say("restore of everything", "tar --zstd -x", f"{mine / tar:.2f}x", "1.5x", "1.0x")
        shutil.rmtree(self.folder / "back", ignore_errors=True)

    def in_place(self) -> None:
        """Measure a restore in place after 1 % of the files changed, and its plan alone."""
        files = sorted(path for path in self.tree.rglob("*") if path.is_file())
        changed = random.Random(7).sample(files, max(len(files) // 100, 1))

        def restore(plan_only: bool) -> None:
            self.worker(
                RestoreOrder(
                    subject=self.subject(),
                    bundle=self.bundle,
                    store=self.store_order(),
                    target="",
                    in_place=InPlaceOrder(
                        side="bench",
                        kept=self.artifact(self.folder / "set-aside"),
                        plan=self.artifact(self.folder / "plan.jsonl"),
                        plan_only=plan_only,
                    ),
                    spool=self.artifact(self.folder / "spool2"),
                )
            )

        def ours() -> None:
            for path in changed:
                path.write_bytes(b"changed")
            restore(False)
            shutil.rmtree(self.folder / os.fsdecode(NAME), ignore_errors=True)

        mine, tar = side_by_side(
            ours, shell("rm -rf back; mkdir back; tar --zstd -xf base.tar.zst -C back", self.folder)
        )
        against = "tar --zstd -x of everything"
        self.say("in place, 99 % unchanged", against, f"{mine / tar:.2f}x", "1.2x", "0.3x")
        (plan,) = side_by_side(lambda: restore(True))
        self.say(f"plan of {len(files):,} files", "absolute", f"{plan:.1f} s", "3 s", "3 s")
        shutil.rmtree(self.folder / "back", ignore_errors=True)

    def one_file(self) -> None:
        """Measure the bytes requested for one small file on an SFTP-like store."""
        with (
            connected(
                open_store(store_spec("attic", {"kind": "folder", "folder": str(self.store)}))
            ) as store,
            (self.folder / "listing.zst").open("rb") as raw,
        ):
            files = [entry for entry in read_listing(raw) if entry.type == FILE]
            wanted = files[len(files) // 2]
            counting = CountingStore(store)
            with BundleReader(counting, SUBJECT) as reader:
                b"".join(reader.contents(wanted, alone=True))
        listing = (self.folder / "listing.zst").stat().st_size
        self.say(
            "one file out of a bundle, listing at hand",
            "bytes read",
            format_size(counting.asked),
            "20 MB",
            "9 MB",
        )
        print(f"{'':52} (and {format_size(listing)} of listing where it is not)")

    def previous(self, kept: str) -> PreviousOrder:
        """Return the bundle that was just made, as what the next one builds on."""
        kept_states = Path(kept).with_suffix(".states")
        shutil.copy(self.folder / "listing.zst", self.folder / kept)
        # Of databases only there are none.
        (self.folder / "listing.states").touch()
        shutil.copy(self.folder / "listing.states", self.folder / kept_states)
        return PreviousOrder(
            name=self.bundle,
            base=self.manifest.base,
            listing=self.artifact(self.folder / kept),
            listing_sha256=self.manifest.listing_sha256,
            states=self.artifact(self.folder / kept_states),
            pieces=self.manifest.pieces,
        )

    def nights(self) -> None:
        """Measure a night without changes, and one on which every hundredth file changed."""
        # Many bundles in one second would retire each other.
        more: dict[str, Any] = {"stores": [self.store_order("1000 newest")]}
        self.worker(self.order(**more))
        before = self.previous("before.zst")
        shell("tar --listed-incremental=snar -cf /dev/null tree", self.folder)()
        ours, tar = side_by_side(
            lambda: self.worker(self.order(previous=before, **more)),
            shell("cp snar snar2; tar --listed-incremental=snar2 -cf night.tar tree", self.folder),
            short=True,
        )
        self.say(
            "a night on which nothing changed",
            "tar --listed-incremental",
            f"{ours / tar:.1f}x",
            "4x",
            "1.5x",
        )
        changed = sorted(path for path in self.tree.rglob("*") if path.is_file())[::100]
        for path in changed:
            path.write_bytes(path.read_bytes()[::-1])
        self.worker(self.order(previous=before, **more))
        (self.folder / "changed").write_text(
            "".join(f"{path.relative_to(self.folder)}\n" for path in changed)
        )
        packed = subprocess.run(
            "tar -cf - -T changed | zstd -q -3 | wc -c",
            shell=True,
            check=True,
            cwd=self.folder,
            capture_output=True,
        )
        self.say(
            "a night with 1 % changed: bytes stored",
            "the changed files, compressed",
            f"{self.packed / int(packed.stdout):.3f}x",
            "1.10x",
            "1.02x",
        )

    def database(self) -> None:
        if not found():
            print("no MariaDB on this machine: its rows are left out")
            return
        server = PrivateMariaDb(self.folder / "mariadb")
        try:
            server.run(*data.table_statements(int(1_000_000 * self.scale)))
            home = self.folder / "empty"
            home.mkdir()
            settings = json.dumps(
                {"kind": "mariadb", "socket": server.socket, "user": getpass.getuser()}
            )
            order = self.order(
                contents=["databases"],
                databases=[DatabaseRef("mariadb", "bench")],
                host=HostOrder(servers={"mariadb": ServerOrder(settings=settings)}),
                subject=self.subject("table", home),
            )
            ours, theirs = side_by_side(
                lambda: self.worker(order),
                shell(
                    f"mariadb-dump -S {server.socket} --single-transaction --quick bench | zstd "
                    "-q -3 > dump.zst",
                    self.folder,
                ),
            )
            self.say(
                "MariaDB dump into the bundle",
                "mariadb-dump | zstd -3",
                f"{ours / theirs:.2f}x",
                "2x",
                "1.0x",
            )
            whole = (self.folder / "dump.zst").stat().st_size
            changed_rows(
                self, order, lambda words: server.run("USE bench", words), "CRC32(id)", whole
            )
            server.run("CREATE TABLE bench.pier AS SELECT id, name FROM bench.t WHERE id < 1000")
            self.worker(order)
            one_table(self, "pier")
        finally:
            server.close()

    def postgresql(self) -> None:
        postgresql(self)

    def push(self) -> None:
        """Measure sending a piece to a real OpenSSH server, by the store and by the system's own
        client.
        """
        if not ssh.found():
            print("no OpenSSH on this machine: its row is left out")
            return
        server = ssh.OpenSsh(self.folder / "ssh")
        try:
            piece = self.piece()
            store = open_store(
                store_spec(
                    "boathouse", {"kind": "sftp", **server.settings}, {"private_key": server.key}
                )
            )
            with connected(store):
                ours, theirs = side_by_side(
                    lambda: store.put(piece, "ours", lambda count: None),
                    shell(server.put(piece), self.folder),
                )
            self.say(
                "push to SFTP on loopback", "sftp put", f"{ours / theirs:.2f}x", "1.5x", "1.0x"
            )
        finally:
            server.close()

    def piece(self) -> Path:
        """Return a file of bytes that do not pack, as a piece is."""
        piece = self.folder / "piece"
        block = random.Random("piece").randbytes(64 * MIB)
        with piece.open("wb") as sink:
            for _ in range(max(1, round(6 * self.scale))):
                sink.write(block)
        return piece

    def s3(self) -> None:
        """Measure sending a piece to the object storage stand-in and back, and by the client's own
        transfer.
        """
        storage = ObjectStorage(self.folder / "objects")
        try:
            piece, theirs, back = self.piece(), storage.client(), self.folder / "back"
            theirs.create_bucket(Bucket="bench")
            settings = {
                "endpoint": storage.url,
                "bucket": "bench",
                "path_style": True,
                "create_bucket": True,
            }
            secrets = dict(zip(("access_key", "secret_key"), KEYS, strict=True))
            store = open_store(store_spec("objects", {"kind": "s3", **settings}, secrets))

            def fetch() -> None:
                with store.open("ours") as source, back.open("wb") as sink:
                    shutil.copyfileobj(source, sink, MIB)

            with connected(store):
                push = side_by_side(
                    lambda: store.put(piece, "ours", lambda count: None),
                    lambda: theirs.upload_file(str(piece), "bench", "theirs"),
                )
                get = side_by_side(
                    fetch, lambda: theirs.download_file("bench", "theirs", str(back))
                )
            self.say("push to S3", "boto3 upload_file", f"{push[0] / push[1]:.2f}x", "1.5x", "1.0x")
            self.say(
                "fetch from S3", "boto3 download_file", f"{get[0] / get[1]:.2f}x", "1.5x", "1.0x"
            )
        finally:
            storage.close()

    def ftp(self) -> None:
        """Measure sending a piece to a real FTP server, by the store and by curl."""
        if not vsftpd_found() or shutil.which("curl") is None:
            print("no vsftpd or no curl on this machine, or not root: its row is left out")
            return
        server = Vsftpd(self.folder / "ftp")
        try:
            piece = self.piece()
            store = open_store(store_spec("ftp", {"kind": "ftp", **server.settings}))
            with connected(store):
                ours, theirs = side_by_side(
                    lambda: store.put(piece, "ours", lambda count: None),
                    shell(
                        f"curl -s -T {piece} ftp://127.0.0.1:{server.port}/up/theirs", self.folder
                    ),
                )
            self.say("push to FTP", "curl -T", f"{ours / theirs:.2f}x", "1.5x", "1.0x")
        finally:
            server.close()

    def accounts(self) -> None:
        small_accounts(self)

    def lists(self) -> None:
        """Measure calls of the API with the records of many accounts, without any bundles."""
        count = max(2, round(1000 * self.scale))
        homes = self.folder / "no-homes"
        homes.mkdir()
        with Night(self.folder / "lists", homes) as night:
            records.stores_and_jobs(night.client, self.folder)
            file = self.folder / "lists" / "home" / records.FILE
            total = records.fill(file, count)
            for what, call in records.calls(night.client).items():
                took = 1000 * records.p95(call)
                self.say(f"p95 of {what}", "absolute", f"{took:.0f} ms", "100 ms", "30 ms")
        print(f"{'':52} ({count:,} accounts, {30 * count:,} bundles, {format_size(total)})")

    def tick(self) -> None:
        """Measure a tick of the scheduler with many timetables: the worst and the median
        of a day.
        """
        count = max(2, round(5000 * self.scale))
        worst, usual = records.ticks(count)
        self.say(
            f"usual tick, {count:,} timetables", "absolute", f"{usual:.1f} ms", "100 ms", "10 ms"
        )
        self.say(
            f"worst tick, {count:,} timetables", "absolute", f"{worst:.1f} ms", "100 ms", "10 ms"
        )

    def million(self) -> None:
        """Measure a full bundle and an unchanged night of very many small files: their peak of
        memory.
        """
        count = int(1_000_000 * self.scale)
        root = self.folder / "many"
        data.many(root, count)
        order = self.order(
            subject=self.subject("many", root),
        )
        self.peak = 0
        took = timed(lambda: self.worker(order))
        night = timed(
            lambda: self.worker(msgspec.structs.replace(order, previous=self.previous("many.zst")))
        )
        self.say(
            f"peak memory of a worker, {count:,} files",
            "absolute",
            format_size(self.peak),
            "300 MiB",
            "150 MiB",
        )
        print(f"{'':52} (full {took:.0f} s, the night after {night:.0f} s)")

    def memory(self) -> None:
        self.say(
            "peak memory of a worker, all of the above",
            "absolute",
            format_size(self.peak),
            "300 MiB",
            "150 MiB",
        )


def main() -> None:
    """Measure the rows that are named, or all, and print them."""
    scale = float(sys.argv[1]) if len(sys.argv) > 1 else 1.0
    only = sys.argv[2:]
    if strange := [name for name in only if name not in ROWS]:
        sys.exit(f"There is no row “{strange[0]}”. There are: {', '.join(ROWS)}.")
    with tempfile.TemporaryDirectory(dir=os.environ.get("BENCH_FOLDER")) as folder:
        bench = Bench(Path(folder), scale)
        atexit.register(bench.workers.close)
        bench.make_store()
        print(
            f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}, "
            f"scale {scale}"
        )
        if not only or OF_TREE & set(only):
            data.tree(bench.tree, int(50_000 * scale), int(1_200_000_000 * scale))
        for name in only or ROWS:
            getattr(bench, name)()


if __name__ == "__main__":
    main()

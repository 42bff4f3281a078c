"""The records of a small hosting company, for tests without a service."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from fasciculus.config import load
from fasciculus.contracts.results import BackupResult
from fasciculus.core.bundle.manifest import ContentsCount, ManifestSummary, PieceRecord
from fasciculus.models import AccountInput, Database, HostInput, JobInput, Site, StoreInput
from fasciculus.records import inventory
from fasciculus.records.bundles import bundles
from fasciculus.records.db import Records, stamp
from fasciculus.records.jobs import jobs
from fasciculus.records.runs import runs
from fasciculus.records.secret_cipher import SecretCipher
from fasciculus.records.stores import stores
from fasciculus.service.event_stream import EventStream
from fasciculus.service.tasks.orders.connections import OrderInputs

START = datetime(2026, 11, 1, 2, 15, tzinfo=UTC)
MILLPOND = ("account", "millpond")


def id_of(store: str) -> str:
    """The id that a store of these tests has."""
    return hashlib.blake2b(store.encode(), digest_size=16).hexdigest()


class SampleRecords:
    """Records with what tests put into them."""

    def __init__(self, folder: Path) -> None:
        self.config = load({"FASCICULUS_HOME": str(folder / "home")})
        for place in (self.config.home, self.config.listings, self.config.spool):
            place.mkdir(parents=True)
        self.config.under_way.mkdir(parents=True, exist_ok=True)
        self.records = Records(self.config.records)
        self.cipher = SecretCipher(self.config.key_file)
        self.events = EventStream()
        self.folder = folder

    @property
    def db(self) -> Any:
        return self.records.reader

    @property
    def sources(self) -> OrderInputs:
        return OrderInputs(self.config, self.records.reader, self.cipher)

    def host(self, name: str = "reed-1", **fields: Any) -> None:
        with self.records.write() as db:
            inventory.save_host(db, self.cipher, HostInput(name=name, **fields), "somewhere")

    def account(self, name: str = "millpond", host: str = "reed-1", **fields: Any) -> None:
        new = AccountInput(**{"name": name, "host": host, "home": f"/home/{name}", **fields})
        with self.records.write() as db:
            inventory.save_account(db, new)

    def store(self, name: str = "attic", secrets: dict[str, str] | None = None) -> None:
        settings: dict[str, Any] = {"kind": "folder", "folder": str(self.folder / name)}
        if secrets:
            settings = {
                "kind": "sftp",
                "address": "boathouse.example",
                "user": "fasciculus",
                "folder": "/bundles",
                "host_key": "SHA256:abc",
            }
        new = StoreInput(name=name, settings=settings, secrets=secrets or {})
        with self.records.write() as db:
            stores.save_store(db, self.cipher, new, stores.ProvedStore(name, id_of(name)))

    def job(self, name: str = "nightly", **fields: Any) -> JobInput:
        found = JobInput(**{"name": name, "stores": ["attic"], "timetable": "by hand", **fields})
        with self.records.write() as db:
            jobs.save_job(db, found, name if jobs.find(db, name) else None)
        return found

    def run(self, job: JobInput, subject: tuple[str, str] = MILLPOND) -> tuple[int, int]:
        """The numbers of a queued run of one subject and of its task."""
        with self.records.write() as db:
            run = runs.add(db, job, "test", [subject])
            return run, runs.tasks(db, run)[0].id

    def bundle(
        self,
        night: int = 0,
        job: str = "nightly",
        on: tuple[str, ...] = ("attic",),
        subject: tuple[str, str] = MILLPOND,
        pieces: tuple[PieceRecord, ...] | None = None,
        **fields: Any,
    ) -> str:
        """A bundle of a night in the records; the name of it."""
        made = bundle_of(night, job, pieces, **fields)
        with self.records.write() as db:
            known = stores.store_ids(db)
            run = runs.add(db, JobInput(name=job, stores=list(on)), "test", [subject])
            bundles.add(
                db,
                subject_kind=subject[0],
                subject=subject[1],
                job=job,
                host="reed-1",
                run_id=run,
                result=made,
                copies={known[store]: "" for store in on},
            )
            for task in runs.tasks(db, run):
                runs.end_task(db, task.id, "done")
            runs.end(db, run, "done", "")
        return made.bundle

    def listing(self, bundle: str, subject: tuple[str, str] = MILLPOND, text: str = "x") -> Path:
        """The file of a listing next to the records; ``bundle`` may have ``@store``."""
        path = self.config.listing(*subject, bundle)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
        return path


def piece(name: str, size: int = 100, **fields: Any) -> PieceRecord:
    return PieceRecord(name, size, "ab" * 32, **fields)


def bundle_of(
    night: int = 0,
    job: str = "nightly",
    pieces: tuple[PieceRecord, ...] | None = None,
    **fields: Any,
) -> BackupResult:
    """The result of a worker for a bundle."""
    moment = START + timedelta(days=night)
    name = f"{moment:%Y-%m-%dT%H%M%SZ}-{job}"
    summary: dict[str, Any] = {
        "started": stamp(moment),
        "contents": {"files": ContentsCount(3, 1000)},
        "pieces": list(pieces if pieces is not None else (piece(f"{name}.files-0001.tar.zst"),)),
        "listing_sha256": f"{night:02d}" * 32,
        "base": stamp(moment),
        **fields,
    }
    return BackupResult(
        outcome="done",
        bundle=name,
        entries=3,
        bytes=1000,
        packed=100,
        manifest=ManifestSummary(**summary),
    )


@contextmanager
def sample_records(folder: Path, populated: bool = True) -> Iterator[SampleRecords]:
    """The records, with a host, an account of two sites, and two stores."""
    found = SampleRecords(folder)
    if populated:
        found.host()
        found.account(
            sites=[
                Site(name="mill.example", root="/home/millpond/mill"),
                Site(name="pond.example", root="/home/millpond/pond"),
            ],
            databases=[
                Database(engine="mariadb", name="mill_shop", site="mill.example"),
                Database(engine="mariadb", name="mill_blog"),
                Database(
                    engine="sqlite", name="guests", path="mill/data/guests.db", site="mill.example"
                ),
            ],
            mail_domains=["mill.example", "millpond.example"],
        )
        found.store("attic")
        found.store("boathouse", secrets={"password": "oar-and-rope"})
    yield found
    found.records.close()

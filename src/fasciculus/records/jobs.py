"""Jobs. Their setting is one JSON document; stores are linked, so that none vanishes under a
job.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator

from ..core import retention
from ..core.errors import SettingError
from ..core.selection import Selection, check_known, chosen, gone
from ..fields import check_addresses
from ..models import JobInput
from .db import now
from .inventory import account_names, nearest, site_names
from .odd_rows import readable
from .stores import store_ids


def jobs(db: sqlite3.Connection) -> list[JobInput]:
    """All jobs that can be read, by name. There are tens of them, not thousands."""
    return readable(
        db.execute("SELECT name, document FROM job ORDER BY name"),
        lambda row: JobInput.model_validate_json(row["document"]),
    )


def job(db: sqlite3.Connection, name: str) -> JobInput:
    row = db.execute("SELECT document FROM job WHERE name=?", (name,)).fetchone()
    if row is None:
        raise nearest(db, "job", name, "job")
    return JobInput.model_validate_json(row["document"])


def find(db: sqlite3.Connection, name: str) -> JobInput | None:
    """A job, or None where there is none of that name any more."""
    row = db.execute("SELECT document FROM job WHERE name=?", (name,)).fetchone()
    return JobInput.model_validate_json(row["document"]) if row else None


def known_subjects(db: sqlite3.Connection, kind: str) -> list[str]:
    match kind:
        case "accounts":
            return account_names(db)
        case "sites":
            return site_names(db)
    return [row[0] for row in db.execute("SELECT name FROM host ORDER BY name")]


def covers(
    db: sqlite3.Connection, job: JobInput, known: dict[str, list[str]] | None = None
) -> list[str]:
    """The subjects of a job as things are now. ``known`` remembers all subjects by their kind, for
    whoever asks for many jobs."""
    known = {} if known is None else known
    if job.subjects not in known:
        known[job.subjects] = known_subjects(db, job.subjects)
    return chosen(_selection(job), known[job.subjects])


def takes_new_accounts(job: JobInput) -> bool:
    """Whether a job covers accounts that are found later."""
    return job.choice != "listed" and job.subjects == "accounts"


def gone_subjects(db: sqlite3.Connection, job: JobInput) -> list[str]:
    """The subjects that a job names and that are not there any more."""
    if not job.names:
        return []
    return gone(_selection(job), known_subjects(db, job.subjects))


def check_subjects(db: sqlite3.Connection, new: JobInput, old_name: str | None) -> None:
    """Raise ``SettingError`` for a subject that is not there and was not in the saved job."""
    before = find(db, old_name) if old_name else None
    named = before.names if before is not None and before.subjects == new.subjects else ()
    check_known(_selection(new), known_subjects(db, new.subjects), named)


def _selection(job: JobInput) -> Selection:
    return Selection(job.choice, tuple(job.names))


class Coverage:
    """Which jobs cover a subject, for the time of one answer."""

    def __init__(self, db: sqlite3.Connection) -> None:
        self._rows = [(j, frozenset(j.names)) for j in jobs(db) if j.enabled]

    def __call__(self, kind: str, name: str) -> list[str]:
        return list(self._jobs(kind + "s", name))

    def _jobs(self, subjects: str, name: str) -> Iterator[str]:
        for row, names in self._rows:
            if row.subjects == subjects and (
                row.choice == "all" or (row.choice == "listed") == (name in names)
            ):
                yield row.name


def save_job(db: sqlite3.Connection, new: JobInput, old_name: str | None = None) -> None:
    """Add a job, or change the one of the old name."""
    check_subjects(db, new, old_name)
    check_addresses(new.report_to, "report_to")
    ids = store_ids(db)
    for name in new.stores:
        if name not in ids:
            error = nearest(db, "store", name, "store")
            raise SettingError(error.message, error.way_out, field="stores")
    document = new.model_dump_json(include=set(JobInput.model_fields))
    try:
        if old_name is None:
            key = db.execute(
                "INSERT INTO job (name, document, enabled, created) VALUES (?, ?, ?, ?)",
                (new.name, document, new.enabled, now()),
            ).lastrowid
        else:
            if old_name != new.name:
                raise SettingError(
                    "A job keeps its name, since its bundles carry it.",
                    "Make a new job under the new name, and remove this one.",
                    field="name",
                )
            row = db.execute("SELECT id FROM job WHERE name=?", (old_name,)).fetchone()
            if row is None:
                raise nearest(db, "job", old_name, "job")
            key = row["id"]
            db.execute(
                "UPDATE job SET document=?, enabled=? WHERE id=?", (document, new.enabled, key)
            )
            db.execute("DELETE FROM job_store WHERE job_id=?", (key,))
    except sqlite3.IntegrityError as error:
        raise SettingError(
            f"There is a job “{new.name}” already.", "Choose another name.", field="name"
        ) from error
    db.executemany(
        "INSERT INTO job_store VALUES (?, ?, ?, ?)",
        [
            (key, ids[name], position, retention.parse(new.keep_for(name)).bound)
            for position, name in enumerate(new.stores)
        ],
    )


def remove_job(db: sqlite3.Connection, name: str) -> None:
    """Remove a job; the bundles it made stay."""
    if not db.execute("DELETE FROM job WHERE name=?", (name,)).rowcount:
        raise nearest(db, "job", name, "job")


def in_use(db: sqlite3.Connection, kind: str, name: str) -> list[str]:
    """The jobs that name a subject."""
    return [j.name for j in jobs(db) if j.subjects == kind + "s" and name in j.names]

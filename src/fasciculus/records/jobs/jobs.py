"""Jobs. Their setting is one JSON document; stores are linked, so that none vanishes under a
job.
"""

from __future__ import annotations

import sqlite3

from ...core import retention
from ...core.errors import NameTakenError, SettingError
from ...core.scope import Scope
from ...core.selection import (
    Selection,
    SubjectFacts,
    check_known,
    chosen,
    gone,
    picker,
    without_match,
)
from ...core.subject import Subject, SubjectKind
from ...fields import check_addresses
from ...models import JobInput
from ..db import now
from ..inventory import nearest, subject_facts, subjects
from ..odd_rows import readable
from ..scope import has_subject
from ..stores.stores import store_ids


def jobs(db: sqlite3.Connection) -> list[JobInput]:
    """Return all jobs that can be read, by name. There are tens of them, not thousands."""
    return readable(
        db.execute("SELECT name, document FROM job ORDER BY name"),
        lambda row: JobInput.model_validate_json(row["document"]),
    )


def within(db: sqlite3.Connection, scope: Scope) -> list[JobInput]:
    """Return the jobs that cover an account in the scope, or a site of one."""
    if scope.is_everything:
        return jobs(db)
    known: dict[str, list[SubjectFacts]] = {}
    return [
        job
        for job in jobs(db)
        if any(
            has_subject(db, scope, Subject.of(job.subject_kind, name))
            for name in covers(db, job, known)
        )
    ]


def job(db: sqlite3.Connection, name: str) -> JobInput:
    """Return a job. Raises ``MissingError``."""
    row = db.execute("SELECT document FROM job WHERE name=?", (name,)).fetchone()
    if row is None:
        raise nearest(db, "job", name, "job")
    return JobInput.model_validate_json(row["document"])


def find(db: sqlite3.Connection, name: str) -> JobInput | None:
    """Return a job, or None if it no longer exists."""
    row = db.execute("SELECT document FROM job WHERE name=?", (name,)).fetchone()
    return JobInput.model_validate_json(row["document"]) if row else None


def covers(
    db: sqlite3.Connection, job: JobInput, known: dict[str, list[SubjectFacts]] | None = None
) -> list[str]:
    """Return the present subjects of a job. ``known`` caches all subjects by their kind, for calls
    on many jobs.
    """
    known = {} if known is None else known
    kind = job.subject_kind
    if kind not in known:
        known[kind] = subjects(db, kind)
    return chosen(selection_of(job), known[kind])


def takes_new_accounts(job: JobInput) -> bool:
    """Return whether a job covers accounts that are found later."""
    return job.subjects == "accounts" and selection_of(job).grows


def gone_subjects(db: sqlite3.Connection, job: JobInput) -> list[str]:
    """Return the subjects that a job names and that are not there any more."""
    if not job.names:
        return []
    return gone(selection_of(job), _names(db, job.subject_kind))


def selectors_without_match(db: sqlite3.Connection, job: JobInput) -> list[str]:
    """Return the hosts, tags and patterns of a job that choose nothing at present."""
    return without_match(selection_of(job), subjects(db, job.subject_kind))


def check_subjects(db: sqlite3.Connection, new: JobInput, old_name: str | None) -> None:
    """Raise ``SettingError`` for a subject that is not there and was not in the saved job."""
    before = find(db, old_name) if old_name else None
    named = before.names if before is not None and before.subjects == new.subjects else ()
    check_known(
        selection_of(new), _names(db, new.subject_kind), _names(db, SubjectKind.HOST), named
    )


def _names(db: sqlite3.Connection, kind: SubjectKind) -> list[str]:
    return [subject.name for subject in subjects(db, kind)]


def selection_of(job: JobInput) -> Selection:
    """Return what a job chooses among the subjects of its kind."""
    return Selection(job.choice, tuple(job.names))


class Coverage:
    """The jobs that cover a subject, for the duration of one answer."""

    def __init__(self, db: sqlite3.Connection) -> None:
        self._db = db
        self._rows = [(j, picker(selection_of(j))) for j in jobs(db) if j.enabled]

    def __call__(self, kind: SubjectKind, name: str) -> list[str]:
        """Return the jobs that cover a subject."""
        of_kind = [(job, picked) for job, picked in self._rows if job.subject_kind == kind]
        if not of_kind:
            return []
        subject = subject_facts(self._db, kind, name)
        return [job.name for job, picked in of_kind if picked(subject)]


def save_job(db: sqlite3.Connection, new: JobInput, old_name: str | None = None) -> None:
    """Add a job, or change the one of the old name."""
    check_subjects(db, new, old_name)
    check_addresses(new.report_to, "report_to")
    ids = store_ids(db)
    for name in new.stores:
        if name not in ids:
            error = nearest(db, "store", name, "store")
            raise SettingError(error.message, error.hint, field="stores")
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
        raise NameTakenError(
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
    """Return the jobs that name a subject."""
    return [j.name for j in jobs(db) if j.subjects == kind + "s" and name in j.names]


def by_host(db: sqlite3.Connection, name: str) -> list[str]:
    """Return the jobs that name a host, as a subject or for all that is on it."""
    return [j.name for j in jobs(db) if f"host:{name}" in j.names] + in_use(db, "host", name)

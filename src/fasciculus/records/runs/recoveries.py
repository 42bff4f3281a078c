"""Recoveries of lost hosts."""

from __future__ import annotations

import json
import sqlite3
from datetime import datetime
from typing import NamedTuple

from ...core.contents import Contents
from ...core.errors import MissingError, SettingError
from ...core.subject import Subject, SubjectKind
from ...models import Recovery
from ..bundles.bundles import LOST
from ..db import now


def start(db: sqlite3.Connection, host: str, who: str) -> int:
    """Return a new recovery of a host. Raises ``SettingError`` if one is open already."""
    try:
        row = db.execute(
            "INSERT INTO recovery (host, started_by, created, after_restore) "
            "VALUES (?, ?, ?, (SELECT coalesce(max(id), 0) FROM restore))",
            (host, who, now()),
        )
    except sqlite3.IntegrityError as error:
        raise SettingError(
            f"A recovery of {host} is open already.",
            f"Continue it: fasciculus recoveries run {host}",
            field="host",
        ) from error
    return int(row.lastrowid or 0)


def end(db: sqlite3.Connection, number: int) -> None:
    """End a recovery."""
    db.execute("UPDATE recovery SET ended=? WHERE id=? AND ended IS NULL", (now(), number))


def recoveries(db: sqlite3.Connection) -> list[Recovery]:
    """Return all recoveries, newest first, without their subjects."""
    return [_recovery(row) for row in db.execute("SELECT * FROM recovery ORDER BY id DESC")]


def recovery(db: sqlite3.Connection, number: int) -> Recovery:
    """Return one without its subjects. Raises ``MissingError``."""
    row = db.execute("SELECT * FROM recovery WHERE id=?", (number,)).fetchone()
    if row is None:
        raise MissingError(
            f"There is no recovery {number}.", "“fasciculus recoveries list” names them."
        )
    return _recovery(row)


def open_hosts(db: sqlite3.Connection) -> list[str]:
    """Return the hosts that are being recovered."""
    return [row[0] for row in db.execute("SELECT host FROM recovery WHERE ended IS NULL")]


def _recovery(row: sqlite3.Row) -> Recovery:
    return Recovery(**{key: row[key] for key in Recovery.model_fields if key != "subjects"})


class LastRestore(NamedTuple):
    """The last restore in place of a subject in a recovery."""

    number: int
    state: str
    outcome: str | None
    error: str


def last_restores(db: sqlite3.Connection, number: int) -> dict[Subject, LastRestore]:
    """Return the last restore in place of each subject since a recovery began, until it ended."""
    rows = db.execute(
        "SELECT restore.* FROM restore, recovery WHERE recovery.id=? AND "
        "restore.id > recovery.after_restore AND kind='restore' AND in_place IS NOT NULL AND "
        "(recovery.ended IS NULL OR restore.created <= recovery.ended) ORDER BY restore.id",
        (number,),
    )
    return {
        Subject.of(row["subject_kind"], row["subject"]): LastRestore(
            row["id"], row["state"], row["outcome"], row["error"]
        )
        for row in rows
    }


class RecoverableBundle(NamedTuple):
    """The bundle to recover a subject from; ``missing`` are kinds that only others have."""

    number: int
    moment: datetime
    contents: list[Contents]
    missing: list[Contents]


def recoverable(db: sqlite3.Connection, subject: Subject) -> RecoverableBundle | None:
    """Return the newest bundle with the most kinds of contents, of those with a sound copy."""
    rows = db.execute(
        "SELECT id, moment, (SELECT json_group_array(key) FROM json_each(manifest, '$.contents')) "
        "AS contents FROM bundle WHERE subject_kind=? AND subject=? AND "
        "EXISTS (SELECT 1 FROM copy WHERE copy.bundle_id=bundle.id) AND "
        f"id NOT IN ({LOST}) ORDER BY moment DESC",
        subject,
    ).fetchall()
    if not rows:
        return None
    kinds = [[Contents(kind) for kind in json.loads(row["contents"])] for row in rows]
    best = max(range(len(rows)), key=lambda at: (len(kinds[at]), -at))
    others = {kind for found in kinds for kind in found}
    missing = sorted(others - set(kinds[best]))
    moment = datetime.fromisoformat(rows[best]["moment"])
    return RecoverableBundle(rows[best]["id"], moment, kinds[best], missing)


def subjects_of(db: sqlite3.Connection, host: str) -> list[Subject]:
    """Return a host and its accounts, those that were not found lately too, and the sites with
    bundles of accounts that have none; in the order in which they come back.
    """
    accounts = db.execute(
        "SELECT account.id, account.name, EXISTS (SELECT 1 FROM bundle WHERE "
        "subject_kind='account' AND subject=account.name) AS has_bundles FROM account JOIN host ON "
        "host.id=host_id WHERE host.name=? ORDER BY account.name",
        (host,),
    ).fetchall()
    found = [Subject(SubjectKind.HOST, host)]
    for row in accounts:
        sites = db.execute(
            "SELECT name FROM site WHERE account_id=? AND EXISTS (SELECT 1 FROM bundle WHERE "
            "subject_kind='site' AND subject=site.name) ORDER BY name",
            (row["id"],),
        ).fetchall()
        if row["has_bundles"] or not sites:
            found.append(Subject(SubjectKind.ACCOUNT, row["name"]))
        else:
            found += [Subject(SubjectKind.SITE, site["name"]) for site in sites]
    return found

"""Sizes, growth and changes of bundles."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass
from statistics import median

from ...core.subject import SubjectKind


def measured(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, contents: list[str]
) -> tuple[int, int] | None:
    """Return bytes and packed bytes of some kinds of contents, in the newest bundle that has them
    all.
    """
    for row in db.execute(
        "SELECT manifest FROM bundle WHERE subject_kind=? AND subject=? ORDER BY moment DESC "
        "LIMIT 40",
        (subject_kind, subject),
    ):
        manifest = json.loads(row["manifest"])
        if set(contents) <= set(manifest["contents"]):
            packed = sum(
                p["bytes"]
                for p in manifest["pieces"]
                if any(f".{kind}-" in p["name"] for kind in contents)
            )
            return sum(manifest["contents"][kind]["bytes"] for kind in contents), packed
    return None


def usual_growth(db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, job: str) -> int:
    """Return what the last incremental bundles of a job brought in the middle, packed, in bytes."""
    rows = [
        int(row["packed"])
        for row in db.execute(
            "SELECT packed FROM bundle WHERE subject_kind=? AND subject=? AND job=? AND "
            "json_extract(manifest, '$.brings')='incremental' ORDER BY id DESC LIMIT 10",
            (subject_kind, subject, job),
        )
    ]
    return int(median(rows)) if rows else 0


@dataclass(frozen=True, slots=True)
class BundleMeasure:
    """The size of a bundle, and the entries changed since the previous one (None if not
    counted).
    """

    bytes: int
    entries: int
    changes: int | None


def newest_ids(db: sqlite3.Connection) -> dict[tuple[SubjectKind, str, str], int]:
    """By (subject kind, subject, job), the number of the newest bundle."""
    return {
        (SubjectKind(row[0]), row[1], row[2]): row[3]
        for row in db.execute(
            "SELECT subject_kind, subject, job, max(id) FROM bundle GROUP BY subject_kind, "
            "subject, job"
        )
    }


def measures(
    db: sqlite3.Connection, subject_kind: SubjectKind, subject: str, job: str, most: int = 11
) -> list[BundleMeasure]:
    """Return the last bundles of a job and subject, newest first."""
    return [
        BundleMeasure(row["bytes"], row["entries"], row["changes"])
        for row in db.execute(
            "SELECT bytes, entries, json_extract(manifest, '$.changes.new') + "
            "json_extract(manifest, '$.changes.changed') + json_extract(manifest, '$.changes.gone')"
            " AS changes FROM bundle WHERE subject_kind=? AND subject=? AND job=? "
            "ORDER BY id DESC LIMIT ?",
            (subject_kind, subject, job, most),
        )
    ]

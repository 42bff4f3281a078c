"""Usage of each subject on each store, and its growth."""

from __future__ import annotations

import sqlite3
from datetime import datetime

from ...core.errors import MissingError
from ...core.scope import Scope
from ...core.subject import SubjectKind
from ...models import Growth, GrowthPoint, GrowthStore
from ..scope import subjects_within

_POINTS = 400
_DAY = 86_400
_WEEK = 7 * _DAY


def refresh(db: sqlite3.Connection, store_id: int, subject_kind: SubjectKind, subject: str) -> None:
    """Weigh a subject's pieces on a store again. A piece that several bundles need counts once."""
    values = {"store": store_id, "kind": subject_kind, "subject": subject}
    copies = db.execute(
        "SELECT count(*) FROM copy JOIN bundle ON bundle.id=bundle_id WHERE store_id=:store AND "
        "subject_kind=:kind AND subject=:subject",
        values,
    ).fetchone()[0]
    if not copies:
        db.execute(
            "DELETE FROM usage WHERE store_id=:store AND subject_kind=:kind AND subject=:subject",
            values,
        )
        return
    db.execute(
        "INSERT OR REPLACE INTO usage SELECT :store, :kind, :subject, :copies, "
        "coalesce(sum(bytes), 0), "
        "coalesce(sum(holds), 0), coalesce(sum(max(0, holds - used)), 0) FROM ("
        "SELECT max(coalesce(json_extract(piece.value, '$.bytes'), 0)) AS bytes, "
        "max(coalesce(json_extract(piece.value, '$.holds'), 0)) AS holds, "
        "max(coalesce(json_extract(piece.value, '$.used'), 0)) AS used "
        "FROM bundle JOIN copy ON copy.bundle_id=bundle.id, "
        "json_each(coalesce(copy.manifest, bundle.manifest), '$.pieces') AS piece "
        "WHERE store_id=:store AND subject_kind=:kind AND subject=:subject "
        "GROUP BY json_extract(piece.value, '$.name'))",
        {**values, "copies": copies},
    )


def growth(db: sqlite3.Connection, scope: Scope, subject: str, subject_kind: str = "") -> Growth:
    """Return the bundles of a subject as a series, and what it takes on each store."""
    condition, values = subjects_within(scope, "bundle")
    kinds = [
        row[0]
        for row in db.execute(
            "SELECT DISTINCT subject_kind FROM bundle WHERE subject=? AND (?='' OR subject_kind=?) "
            f"AND {condition}",
            [subject, subject_kind, subject_kind, *values],
        )
    ]
    if not kinds:
        raise MissingError(f"There is no bundle of “{subject}” yet.", "Start a job that covers it.")
    kind = kinds[0]
    points = [
        GrowthPoint(
            bundle=row["id"],
            **{
                key: row[key]
                for key in ("name", "job", "moment", "entries", "bytes", "new_bytes", "packed")
            },
        )
        for row in db.execute(
            "SELECT * FROM bundle WHERE subject_kind=? AND subject=? ORDER BY moment DESC, id "
            "DESC LIMIT ?",
            (kind, subject, _POINTS),
        )
    ]
    points.reverse()
    stores = [
        GrowthStore(
            store=row["name"],
            copies=row["copies"],
            stored=row["stored"],
            holds=row["holds"],
            unused=row["unused"],
        )
        for row in db.execute(
            "SELECT store.name, usage.* FROM usage JOIN store ON store.id=store_id WHERE "
            "subject_kind=? AND subject=? "
            "ORDER BY store.name",
            (kind, subject),
        )
    ]
    return Growth(
        subject_kind=kind, subject=subject, points=points, stores=stores, per_week=_per_week(points)
    )


def _per_week(points: list[GrowthPoint]) -> int | None:
    """Return the slope of a straight line through the bytes shown, by least squares; of the last
    job's bundles alone.
    """
    rows = [
        (_seconds(point.moment), point.bytes) for point in points if point.job == points[-1].job
    ]
    # A trend out of a few hours would say more than anybody knows.
    if len(rows) < 2 or rows[-1][0] - rows[0][0] < _DAY:
        return None
    middle = sum(at for at, _ in rows) / len(rows)
    level = sum(size for _, size in rows) / len(rows)
    spread = sum((at - middle) ** 2 for at, _ in rows)
    return round(sum((at - middle) * (size - level) for at, size in rows) / spread * _WEEK)


def _seconds(moment: datetime) -> float:
    return moment.timestamp()

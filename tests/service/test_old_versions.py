"""Old versions in buckets, measured once a day."""

from __future__ import annotations

import json
from pathlib import Path

from running import Service
from servers import moto_place

from fasciculus.models import StoreInput
from fasciculus.service.background.old_versions import measure_if_due
from fasciculus.stores import open_store
from fasciculus.stores.base import connected


def measure(running: Service) -> None:
    measure_if_due(running.parts.config, running.parts.records, running.parts.cipher)


def test_old_versions_are_measured_once_a_day_whatever_other_stores_there_are(
    running: Service, tmp_path: Path
) -> None:
    with moto_place(tmp_path) as place, running.client() as client:
        client.stores_add(
            StoreInput(
                name="icehouse",
                settings=place.spec.settings.model_dump(mode="json"),
                secrets=dict(place.spec.secrets),
            )
        )
        with running.parts.records.write() as db:
            # One whose package is no longer installed comes first, and costs itself.
            gone = json.dumps({"name": "attic", "settings": {"kind": "gone"}})
            db.execute(
                "INSERT INTO store (name, kind, document, mark) VALUES ('attic', 'gone', ?, '')",
                (gone,),
            )
        with connected(open_store(place.spec)) as store:
            # With the store's own connection: stores switch no versioning on.
            store._client.put_bucket_versioning(  # type: ignore[attr-defined]
                Bucket=store._settings.bucket,  # type: ignore[attr-defined]
                VersioningConfiguration={"Status": "Enabled"},
            )
            for data in (b"one", b"three"):
                store.put_bytes(data, "a/piece")
                store.remove("a/piece")
            kept = store.old_bytes()  # type: ignore[attr-defined]
            assert kept == 8
            measure(running)
            assert client.stores_usage("icehouse").old_versions == kept
            store.put_bytes(b"four", "a/piece")
            store.remove("a/piece")
        measure(running)
        assert client.stores_usage("icehouse").old_versions == kept, "not again on the same day"

"""The records: paging, sealing, migrations, one writer."""

from __future__ import annotations

import sqlite3
import threading
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fasciculus.core.errors import FasciculusError, SettingError
from fasciculus.core.scope import EVERYTHING
from fasciculus.models import HostInput, JobInput, MailFiles
from fasciculus.records import inventory
from fasciculus.records.db import Records
from fasciculus.records.paging import PageRequest, Query, page
from fasciculus.records.runs import log_lines, runs
from fasciculus.records.secret_cipher import SecretCipher, merged


@given(
    st.lists(st.tuples(st.integers(-5, 5), st.text("ab%_\\'", max_size=3)), max_size=30),
    st.integers(1, 7),
    st.sampled_from(["n", "-n", "word", "-word"]),
)
@settings(suppress_health_check=[HealthCheck.too_slow], max_examples=60)
def test_pages_together_are_the_whole_list_in_order(rows: list[Any], limit: int, sort: str) -> None:
    db = sqlite3.connect(":memory:")
    db.row_factory = sqlite3.Row
    db.execute("CREATE TABLE t (id INTEGER PRIMARY KEY, n INTEGER, word TEXT)")
    db.executemany("INSERT INTO t (n, word) VALUES (?, ?)", rows)
    found, cursor = [], None
    while True:
        query = Query("t.*", "t", "t.id", {"n": "t.n", "word": "t.word"}, "n")
        part = page(
            db,
            query,
            PageRequest(sort, limit, cursor),
            lambda row: (row["id"], row["n"], row["word"]),
        )
        assert part.total == len(rows) and len(part.items) <= limit
        found += part.items
        if (cursor := part.next) is None:
            break
    column = 1 if sort.endswith("n") else 2
    wanted = sorted(((i, *row) for i, row in enumerate(rows, 1)), key=lambda r: (r[column], r[0]))
    assert found == (wanted[::-1] if sort.startswith("-") else wanted)


def test_a_cursor_or_sort_that_is_none_is_refused() -> None:
    db = sqlite3.connect(":memory:")
    query = Query("1", "(SELECT 1 AS id)", "id", {"id": "id"}, "id")
    for paging in (PageRequest("colour"), PageRequest(cursor="!"), PageRequest(cursor="W10=")):
        with pytest.raises(SettingError):
            page(db, query, paging, tuple)


_JOB = JobInput(name="nightly", stores=["attic"])


def test_secrets_are_sealed_and_merged(tmp_path: Path) -> None:
    records, cipher = Records(tmp_path / "r.sqlite"), SecretCipher(tmp_path / "keys" / "k")
    with records.write() as db:
        inventory.save_host(
            db, cipher, HostInput(name="reed-1", secrets={"mariadb_password": "ledger"}), "here"
        )
        inventory.save_host(
            db,
            cipher,
            HostInput(name="reed-1", mail=MailFiles(alias_map="/etc/virtual")),
            "here",
            "reed-1",
        )
    db = records.reader
    assert inventory.host_secrets(db, cipher, "reed-1") == {"mariadb_password": "ledger"}
    assert inventory.host(db, cipher, "reed-1").secrets_set == ["mariadb_password"]
    assert "ledger" not in str([tuple(row) for row in db.execute("SELECT * FROM host")])
    other = SecretCipher(tmp_path / "other" / "k")
    with pytest.raises(FasciculusError, match="does not open the stored secrets"):
        inventory.host_secrets(db, other, "reed-1")
    assert merged({"a": "1", "b": "2"}, {"a": None, "b": "", "c": "3"}) == {"a": "1", "c": "3"}
    records.close()


def test_a_failed_change_leaves_nothing_behind_and_readers_cannot_write(tmp_path: Path) -> None:
    records = Records(tmp_path / "r.sqlite")
    with pytest.raises(ZeroDivisionError), records.write() as db:
        runs.add(db, _JOB, "x", [("account", "millpond")])
        1 / 0  # noqa: B018
    assert runs.unended(records.reader) == []
    with pytest.raises(sqlite3.OperationalError):
        records.reader.execute("DELETE FROM run")
    records.close()


def test_later_records_and_a_second_service_are_refused(tmp_path: Path) -> None:
    records = Records(tmp_path / "r.sqlite")
    with pytest.raises(FasciculusError, match="Another Fasciculus service"):
        Records(tmp_path / "r.sqlite")
    with records.write() as db:
        pass
    records.close()
    with sqlite3.connect(tmp_path / "r.sqlite") as db:
        db.execute("PRAGMA user_version=99")
    with pytest.raises(FasciculusError, match="written by a later Fasciculus"):
        Records(tmp_path / "r.sqlite")


def test_many_threads_write_and_none_is_lost(tmp_path: Path) -> None:
    records = Records(tmp_path / "r.sqlite")
    run_id = []
    with records.write() as db:
        run_id.append(runs.add(db, _JOB, "x", []))

    def write(number: int) -> None:
        for line in range(25):
            with records.write() as db:
                log_lines.add(db, "run", run_id[0], "info", f"{number}-{line}")

    threads = [threading.Thread(target=write, args=(n,)) for n in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    found = log_lines.lines(records.reader, EVERYTHING, PageRequest(limit=500), "run_id", run_id[0])
    assert found.total == 150 and len({line.text for line in found.items}) == 150
    assert all(line.at <= datetime.now(UTC) for line in found.items)
    assert (
        log_lines.lines(
            records.reader, EVERYTHING, PageRequest(), "run_id", run_id[0], words="3-24"
        ).total
        == 1
    )
    records.close()

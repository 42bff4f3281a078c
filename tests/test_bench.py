"""Every comparison that needs no server runs, at a hundredth of its size."""

from __future__ import annotations

from pathlib import Path

import bench.__main__ as module
import pytest
from bench import data, records
from bench.__main__ import Bench

SCALE = 0.01
#: The rows, and how many numbers each gives.
ROWS = {
    "full": 2,
    "one_file": 1,
    "restore": 1,
    "nights": 2,
    "memory": 1,
    "s3": 2,
    "accounts": 3,
    "lists": 9,
    "tick": 2,
    "million": 1,
}


def test_every_row_runs_at_a_hundredth_of_its_size(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(module, "RUNS", 1)
    monkeypatch.setattr(module, "MANY_RUNS", 1)
    monkeypatch.setattr(records, "CALLS", 2)
    found = Bench(tmp_path, SCALE)
    found.make_store()
    data.tree(found.tree, int(50_000 * SCALE), int(1_200_000_000 * SCALE))
    for name, count in ROWS.items():
        before = len(found.rows)
        getattr(found, name)()
        rows = found.rows[before:]
        assert len(rows) == count and all(value[0].isdigit() for *_, value, _, _ in rows), name
    assert 10 << 20 < found.peak < 300 << 20


def test_a_row_that_is_not_there_is_named(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr("sys.argv", ["bench", "0.02", "fulll"])
    with pytest.raises(SystemExit, match="no row “fulll”"):
        module.main()

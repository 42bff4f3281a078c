"""Three workers in network namespaces, killed and cut off at random; see ``fleet_fault_run.py``."""

from __future__ import annotations

from pathlib import Path

import pytest
from fleet_fault_run import fault_run
from servers import is_root


@pytest.mark.skipif(not is_root(), reason="makes network namespaces, which root may")
@pytest.mark.xdist_group("network")
def test_no_account_is_lost_and_none_is_doubled(tmp_path: Path) -> None:
    found = fault_run(tmp_path, 30, 1)
    assert found.faults.total() > 0 and found.outcomes["done"] >= 25
    assert not found.lost and not found.doubled, found

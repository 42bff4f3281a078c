"""Records of a scan over SSH, taken apart."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fasciculus.core.errors import FasciculusError
from fasciculus.hosts.ssh import find as ssh_find

FIELD = st.binary(min_size=1, max_size=6).filter(lambda b: b"\0" not in b)


@settings(max_examples=100, deadline=None)
@given(st.lists(st.lists(FIELD, min_size=14, max_size=14), max_size=6), st.integers(1, 9))
def test_records_come_whole_however_they_are_cut(rows: list[Any], size: int) -> None:
    data = b"".join(b"\0".join(row) + b"\0" for row in rows)
    chunks = [data[start : start + size] for start in range(0, len(data), size)]
    assert list(ssh_find.records(chunks)) == rows
    if data:
        with pytest.raises(FasciculusError, match="was interrupted"):
            list(ssh_find.records([data[:-1]]))

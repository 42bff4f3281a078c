"""Fixtures of the service's tests."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from running import Service, folder_stores, set_up, small_account

from fasciculus.service import outside


@pytest.fixture
def in_this_process(monkeypatch: pytest.MonkeyPatch) -> None:
    """Talk to other machines in the tests' own process, so that parts of that can be replaced."""
    monkeypatch.setattr(outside, "call", lambda work, *args, **more: work(*args, **more))
    monkeypatch.setattr(outside, "try_out", lambda work, *args, **more: work(*args, **more))
    monkeypatch.setattr(
        outside, "call_within", lambda seconds, work, *args, **more: work(*args, **more)
    )


@pytest.fixture
def valley(running: Service, tmp_path: Path) -> Iterator[Any]:
    """A service with one account, two stores and a job: its client, and its parts."""
    with running.client() as client:
        set_up(
            client,
            [small_account(tmp_path, "millpond")],
            folder_stores(tmp_path, "attic", "cellar"),
            report_to=["duty@sedge-quill.example"],
        )
        yield client, running.parts

"""Fixtures of the service's tests."""

import pytest

from fasciculus.service import outside


@pytest.fixture
def in_this_process(monkeypatch):
    """Talk to other machines in the tests' own process, so that parts of that can be replaced."""
    monkeypatch.setattr(outside, "call", lambda work, *args, **more: work(*args, **more))
    monkeypatch.setattr(
        outside, "call_within", lambda seconds, work, *args, **more: work(*args, **more)
    )

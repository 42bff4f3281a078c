"""The demo, as ``make demo`` starts it: everything is there, works a second time, and nothing of it
is left.
"""

from __future__ import annotations

import os
import subprocess
from dataclasses import replace
from functools import partial
from pathlib import Path

import pytest
from running import until

from fasciculus.client import Client
from fasciculus.demo import scenario
from fasciculus.demo.__main__ import Demo
from fasciculus.stores import KINDS as STORE_KINDS


@pytest.fixture
def smaller(monkeypatch: pytest.MonkeyPatch) -> None:
    """The same accounts with a quarter of their pages and pictures."""
    plans = [
        replace(
            plan, sites=tuple((site, pages // 4, pics // 4) for site, pages, pics in plan.sites)
        )
        for plan in scenario.PLANS
    ]
    monkeypatch.setattr(scenario, "PLANS", tuple(plans))


@pytest.mark.usefixtures("smaller")
def test_the_demo_starts_twice_and_leaves_no_process(
    tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    first = Demo(tmp_path / "demo")
    try:
        first.start()
        with Client(first.url, token=first.kept.token) as client:
            assert {run.outcome for run in client.every(client.runs_list)} == {"done"}
            subjects = {bundle.subject for bundle in client.every(client.bundles_list)}
            assert subjects >= {
                "millpond",
                "ferryline",
                "orchardschool",
                "lanternchoir",
                "bitternpress",
            }
            stores = list(client.every(client.stores_list))
            assert {store.settings.kind for store in stores} == set(STORE_KINDS.names())
            assert all(store.tried and store.access != "none" for store in stores)
            brought = list(client.every(partial(client.stores_transfers, "library")))
            assert len({(row.subject, row.bundle) for row in brought}) == len(brought) > 5
            newest = client.bundles_list(subject="bitternpress", job="nightly").items[0]
            assert newest.new_bytes < newest.bytes // 10, "a day later only what changed was stored"
            assert until(lambda: [r for r in client.reports_list().items if r.sent])
            bundles = client.bundles_list().total
        assert list((tmp_path / "demo/mailbox").glob("*.eml"))
    finally:
        first.stop()
    again = Demo(tmp_path / "demo")
    try:
        again.start()
        with Client(again.url, token=again.kept.token) as client:
            assert (
                client.bundles_list().total == bundles
                and client.start("nightly").wait().outcome == "done"
            )
    finally:
        again.stop()
    left = subprocess.run(
        ["pgrep", "-fa", str(tmp_path / "demo")], capture_output=True, text=True
    ).stdout.splitlines()
    assert [line for line in left if str(os.getpid()) not in line.split()[0]] == []
    text = (tmp_path / "demo/service.log").read_text() + capfd.readouterr().out
    assert (
        "Traceback" not in text
        and "heronmere-demo" not in (tmp_path / "demo/service.log").read_text()
    )

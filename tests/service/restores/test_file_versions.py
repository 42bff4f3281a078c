"""Finding when a file changed and went, over all bundles of an account."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run, set_up, small_account

from fasciculus.client import ClientError
from fasciculus.models import JobInput
from fasciculus.service.usecases.bundles import versions


@pytest.fixture
def nights(running: Any, tmp_path: Path) -> Any:
    """Five nights of an account: a file that changes twice, and is deleted before the last one."""
    home, account = tmp_path / "millpond", small_account(tmp_path, "millpond")
    with running.client() as client:
        stores = folder_stores(tmp_path, "attic")
        set_up(client, [account], stores, mode="incremental", keep="9 newest")
        for text in ("one", "one", "two!", "three", None):
            if text is None:
                (home / "index.php").unlink()
            else:
                (home / "index.php").write_text(text)
            run(client, "nightly")
    return running


def spans(found: Any) -> Any:
    (file,) = found.items
    return [(v.first, v.last, v.bytes) for v in file.versions], file.is_gone


def kept(nights: Any) -> Any:
    return sorted(path.name for path in (nights.home / "changes/account/millpond").iterdir())


def test_each_version_is_named_with_its_bundles(nights: Any) -> None:
    with nights.client() as client:
        found = client.bundles_versions("index.php", subject="millpond")
        assert spans(found) == ([(1, 2, 3), (3, 3, 4), (4, 4, 5)], True)
        assert (found.bundles, found.more, found.unreadable) == (5, False, [])
        assert len(kept(nights)) == 4
        assert spans(client.bundles_versions("index.php")) == spans(found)
        assert client.bundles_versions("no-such").items == []
        for query, field in (({"words": " "}, "q"), ({"words": "x", "subject": "reed"}, "subject")):
            with pytest.raises(ClientError) as caught:
                client.bundles_versions(**query)
            assert caught.value.field == field
    shown = nights.cli("bundles", "versions", "millpond", "index.php")
    assert shown.returncode == 0 and "gone since" in shown.stdout, shown
    assert "Searched 5 bundles in" in shown.stdout
    rows = json.loads(nights.cli("bundles", "versions", "all", "index.php", "--json").stdout)
    assert len(rows["items"][0]["versions"]) == 3


def test_of_more_bundles_than_are_searched_the_newest_are(nights: Any, monkeypatch: Any) -> None:
    monkeypatch.setattr(versions, "_MOST_BUNDLES", 3)
    with nights.client() as client:
        for subject in ("millpond", ""):
            found = client.bundles_versions("index.php", subject=subject)
            assert spans(found) == ([(3, 3, 4), (4, 4, 5)], True)
            assert found.more and found.bundles == 3


def test_retired_bundles_leave_no_hole(nights: Any) -> None:
    with nights.client() as client:
        client.bundles_versions("index.php")
        fields = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
        client.jobs_change("nightly", JobInput(**{**fields, "keep": "3 newest"}))
        run(client, "nightly")
        left = client.bundles_list().items
        assert [row.id for row in left] == [6, 5, 4]
        names = {row.name for row in left}
        for name in kept(nights):
            older, _, newer = name.removesuffix(".zst").partition("..")
            assert {older, newer} <= names, "none is of a retired bundle"
        assert spans(client.bundles_versions("index.php")) == ([(4, 4, 5)], True)
        nights.parts.housekeeper.keep_changes()
        assert len(kept(nights)) == 2

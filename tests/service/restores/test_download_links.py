"""Links to one download: for hours and uses, revocable, audited, and never a way to more."""

from __future__ import annotations

import io
import tarfile
import zipfile
from pathlib import Path
from typing import Any

import httpx
import pytest
from running import folder_stores, run, set_up, small_account

from fasciculus.client import ClientError
from fasciculus.models import DownloadLinkStart
from fasciculus.records import users


@pytest.fixture
def kept(running: Any, tmp_path: Path) -> Any:
    with running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], folder_stores(tmp_path, "attic"))
        run(client, "nightly")
    return running


def made(client: Any, **more: Any) -> Any:
    return client.links_make(1, DownloadLinkStart.model_validate(more))


def test_someone_without_a_sign_in_gets_that_file_so_often(kept: Any) -> None:
    said = kept.cli("bundles", "link", "millpond", "--path", "page-0.html", "--note", "as <asked>")
    assert said.returncode == 0, said
    url = said.stdout.split()[0]
    with httpx.Client() as web:
        # A browser, or a chat program that looks ahead, uses nothing up.
        page = web.get(url, headers={"Accept": "text/html"})
        assert page.status_code == 200 and "as &lt;asked&gt;" in page.text
        assert web.head(url).status_code == 200
        got = web.post(url, headers={"Accept": "text/html"})
        assert got.status_code == 200 and got.headers["Cache-Control"] == "no-store"
        assert zipfile.ZipFile(io.BytesIO(got.content)).namelist() == ["files/page-0.html"]
        resumed = {"Range": "bytes=10-", "If-Range": got.headers["ETag"]}
        assert web.get(url, headers=resumed).content == got.content[10:]
        again = web.get(url)
        assert again.status_code == 404 and "used as often" in again.text
        assert web.get(url[:-1] + "x").status_code == 404
        for path in ("/api/v1/bundles/1/download", "/api/v1/links"):
            secret = url.rpartition("/")[2]
            answer = web.get(kept.url + path, headers={"Authorization": f"Bearer {secret}"})
            assert answer.status_code == 401
    listed = kept.cli("bundles", "links").stdout
    assert "1 of 1" in listed and url.rpartition("/")[2] not in listed
    lines = [
        (row["who"], row["action"])
        for row in kept.parts.records.reader.execute("SELECT who, action FROM audit")
    ]
    assert ("link 1", "downloaded") in lines
    assert any(action == "made a download link" for _, action in lines)
    assert users.count(kept.parts.records.reader) == 1


def test_a_link_ends_with_its_time_and_when_it_is_revoked(kept: Any) -> None:
    with kept.client() as client:
        first, second = made(client, uses=5), made(client, download={"form": "tar.gz"}, uses=5)
        assert httpx.get(second.url).status_code == 200
        whole = httpx.get(second.url).content
        assert "files/page-1.html" in tarfile.open(fileobj=io.BytesIO(whole)).getnames()
        with kept.parts.records.write() as db:
            db.execute("UPDATE download_link SET expires='2020-01-01' WHERE id=?", (first.id,))
        assert httpx.get(first.url).status_code == 404
        assert [row.id for row in client.links_list().items] == [second.id]
        assert kept.cli("bundles", "unlink", str(second.id)).returncode == 0
        assert httpx.get(second.url).status_code == 404
        for order, field in (
            ({"hours": 0}, "hours"),
            ({"uses": 1000}, "uses"),
            ({"download": {"form": "sql"}}, "database"),
        ):
            with pytest.raises((ClientError, ValueError)) as caught:
                made(client, **order)
            assert field in str(getattr(caught.value, "field", caught.value))

"""Bundles from elsewhere: uploaded from a folder, or taken over from another installation."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import httpx
import pytest
from running import folder_stores, run, service, set_up, small_account

from fasciculus.client import ClientError


@pytest.fixture
def elsewhere(tmp_path: Path) -> Any:
    """Another installation, with a bundle of millpond on a store in a folder."""
    folder = tmp_path / "elsewhere"
    with service(folder / "home") as running:
        with running.client() as client:
            account = small_account(folder, "millpond")
            set_up(client, [account], folder_stores(folder, "attic"))
            assert run(client, "nightly").outcome == "done"
        yield running


def files(tmp_path: Path) -> dict[str, bytes]:
    root = tmp_path / "elsewhere/attic"
    found = (root / "accounts/millpond").rglob("*")
    return {str(path.relative_to(root)): path.read_bytes() for path in found if path.is_file()}


def restored(running: Any, tmp_path: Path, store: str) -> None:
    """The bundle is there, and comes back."""
    with running.client() as client:
        (bundle,) = client.bundles_list(subject="millpond").items
        assert [copy.store for copy in bundle.copies] == [store]
    done = running.cli("restore", str(bundle.id), "--to", str(tmp_path / "back"))
    assert done.returncode == 0, done
    before = tmp_path / "elsewhere/millpond/page-1.html"
    assert (tmp_path / "back/files/page-1.html").read_text() == before.read_text()


@pytest.mark.parametrize("part", ["", "accounts/millpond"])
def test_a_folder_is_uploaded_and_restored(
    running: Any, elsewhere: Any, tmp_path: Path, part: str
) -> None:
    folder = tmp_path / "elsewhere/attic" / part
    (folder / "notes.txt").write_text("not ours")
    (folder / "link").symlink_to("/etc/passwd")
    done = running.cli("stores", "upload", "brought", str(folder))
    assert done.returncode == 0, done
    restored(running, tmp_path, "brought")
    kept = tmp_path / "home/uploads/brought"
    found = {path.relative_to(kept).parts[0] for path in kept.rglob("*") if path.is_file()}
    assert found == {"accounts", "fasciculus-store.json"}
    again = running.cli("stores", "upload", "brought", str(folder))
    assert again.returncode == 2 and "a store “brought” already" in again.stderr


def test_an_interrupted_upload_continues(running: Any, elsewhere: Any, tmp_path: Path) -> None:
    path, data = max(files(tmp_path).items(), key=lambda row: len(row[1]))
    with running.client() as client:
        client.uploads_start("brought")
        client.uploads_add("brought", path, 0, len(data), data[:40])
        # Sent twice, it is there once; a gap is refused.
        assert client.uploads_add("brought", path, 0, len(data), data[:50]).received == 50
        with pytest.raises(ClientError, match="50 bytes"):
            client.uploads_add("brought", path, 60, len(data), data[60:])
        with pytest.raises(ClientError, match="is not complete"):
            client.uploads_finish("brought")
    running.stop()
    running.start()
    with running.client() as client:
        assert client.uploads_show("brought").received == {path: 50}
    done = running.cli("stores", "upload", "brought", str(tmp_path / "elsewhere/attic"))
    assert done.returncode == 0, done
    assert (tmp_path / "home/uploads/brought" / path).read_bytes() == data
    restored(running, tmp_path, "brought")


@pytest.mark.parametrize(
    "path",
    [
        "../records/fasciculus.sqlite",
        "accounts/millpond/pieces/../../../x.files-0001.tar.zst",
        "accounts/../pieces/2026-11-24T021500Z-nightly.files-0001.tar.zst",
        "accounts/millpond/bundles/2026-11-24T021500Z-nightly/bundle.json.part",
        "fasciculus-store.json",
        "/etc/cron.d/x",
    ],
)
def test_no_other_file_is_written(running: Any, tmp_path: Path, path: str) -> None:
    with running.client() as client:
        client.uploads_start("brought")
        with pytest.raises(ClientError, match="is not a file of a bundle"):
            client.uploads_add("brought", path, 0, 1, b"x")
        for name in ("..", "a/b", "../listings"):
            with pytest.raises(ClientError):
                client.uploads_start(name)
    assert not [found for found in (tmp_path / "home/uploads").rglob("*") if found.is_file()]
    assert running.cli("stores", "upload", "brought", "--discard").returncode == 0
    assert not (tmp_path / "home/uploads/brought").exists()


def test_another_installation_takes_a_bundle_over_by_a_code(
    running: Any, elsewhere: Any, tmp_path: Path
) -> None:
    made = elsewhere.cli("bundles", "link", "millpond", "--for-installation", "--hours", "2")
    assert made.returncode == 0 and "stores upload" in made.stdout, made
    code = made.stdout.splitlines()[0]
    (tmp_path / "code").write_text(code + "\n")
    words = ("--from", elsewhere.url, "--code-file", str(tmp_path / "code"))
    done = running.cli("stores", "upload", "brought", *words)
    assert done.returncode == 0, done
    restored(running, tmp_path, "brought")
    there = tmp_path / "home/uploads/brought"
    for path, data in files(tmp_path).items():
        assert (there / path).read_bytes() == data
    with elsewhere.client() as client:
        reader = elsewhere.parts.records.reader
        found = [tuple(row) for row in reader.execute("SELECT action, about FROM audit")]
        assert "gave a copy" in dict(found) and code not in str(found)
        client.links_remove(client.links_list().items[0].id)
    late = running.cli("stores", "upload", "another", *words)
    assert late.returncode == 2 and "the code is wrong or has expired" in late.stderr


def test_a_code_gives_the_files_of_its_bundle_and_nothing_else(
    elsewhere: Any, tmp_path: Path
) -> None:
    made = elsewhere.cli("bundles", "link", "millpond", "--for-installation")
    with elsewhere.client() as client:
        assert run(client, "nightly").outcome == "done"
    base = f"{elsewhere.url}/copies/{made.stdout.splitlines()[0]}"
    with httpx.Client(trust_env=False) as web:
        given = web.get(base).json()["files"]
        others = [path for path in files(tmp_path) if path not in given]
        assert others, "there is another bundle"
        for path in (*others, "fasciculus-store.json", "%2e%2e/home/keys/secrets.key"):
            assert web.get(f"{base}/{path}").status_code == 404, path
        assert web.get(base.replace("/copies/", "/get/")).status_code == 404
        assert web.get(f"{elsewhere.url}/copies/wrong").status_code == 404
        path = next(iter(given))
        part = web.get(f"{base}/{path}", headers={"Range": "bytes=5-"})
        assert part.status_code == 206 and part.content == files(tmp_path)[path][5:]

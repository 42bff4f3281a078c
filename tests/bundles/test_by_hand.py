"""docs/by-hand.md, followed literally; and bundles of every version of the format."""

from __future__ import annotations

import json
import os
import re
import shutil
import subprocess
import sys
import threading
import zipfile
from pathlib import Path
from typing import Any

import pytest
from nights import Nights, RestoreOrder, made
from running import MIB, Service, run, set_up, small_account
from trees import awkward_tree, picture

from fasciculus.contracts.orders import ResealOrder
from fasciculus.core.bundle.seal.sealing import make_identity
from fasciculus.core.errors import TooNewError
from fasciculus.hosts.local import LocalHost
from fasciculus.models import StoreInput
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.maintenance.resealing import ResealTask
from fasciculus.worker.restore.task import RestoreTask

HERE = Path(__file__).parents[1]
DOC = (HERE.parent / "docs/by-hand.md").read_text()
FIXTURES = HERE / "fixtures"


def commands(mark: str) -> str:
    """The indented lines of the step that begins with a mark, as a shell would get them."""
    step = DOC[DOC.index(mark) :]
    rows = re.search(r"\n\n((?:       .*\n)+)", step)[1]
    return "".join(line[7:] + "\n" for line in rows.splitlines())


def follow(script: str, store: Path, bundle: str, target: Path) -> None:
    script = script.replace("2026-11-24T021500Z-nightly", bundle).replace(
        "/srv/restored", str(target)
    )
    subprocess.run(["sh", "-ec", script], check=True, cwd=store, capture_output=True)


def test_a_full_bundle_with_ordinary_tools(tmp_path: Path) -> None:
    found = Nights(tmp_path / "n")
    found.tree.rmdir()
    awkward_tree(found.root)
    found.night(piece_size=64 * MIB)
    name = found.known[-1]
    follow(
        commands("1. Check that") + commands("2. When"),
        found.root / "attic",
        name,
        tmp_path / "restored",
    )
    assert picture(tmp_path / "restored/files") == picture(found.tree)


def test_the_times_of_folders_that_are_in_several_pieces(tmp_path: Path) -> None:
    """A later piece puts something into a folder that an earlier one brought."""
    found = Nights(tmp_path / "n")
    for number in range(12):
        (found.tree / "site").mkdir(exist_ok=True)
        (found.tree / f"site/film-{number:02}.bin").write_bytes(os.urandom(MIB // 2))
    os.utime(found.tree / "site", ns=(1, 1_600_000_000_123_456_789))
    found.night(piece_size=2 * MIB)
    (name,) = found.known
    assert len(found.manifests[name]["pieces"]) > 2
    steps = commands("2. When") + commands("   A later piece")
    follow(
        f"cd accounts/millpond/bundles/{name}\n{steps}",
        found.root / "attic",
        name,
        tmp_path / "back",
    )
    assert picture(tmp_path / "back/files") == picture(found.tree)


@pytest.fixture(scope="module")
def program(tmp_path_factory: Any) -> Path:
    """The program of the page, in a file."""
    found = tmp_path_factory.mktemp("page") / "bring-back.py"
    found.write_text(re.search(r"```python\n(.*?)```", DOC, re.S)[1])
    return found


def two_nights(nights: Nights, **more: Any) -> None:
    nights.night(**more)
    (nights.tree / "site-1/page-1.html").write_text("changed")
    (nights.tree / "site-3").rename(nights.tree / "moved")
    (nights.tree / "film.bin").rename(nights.tree / "movie.bin")
    nights.night(**more)
    assert nights.manifests[nights.known[-1]]["brings"] == "incremental"


def bring_back(program: Path, nights: Nights, name: str, target: Path, *key: Any) -> Any:
    folder = nights.root / "attic/accounts/millpond/bundles" / name
    command = [sys.executable, str(program), str(target), *key]
    return subprocess.run(command, cwd=folder, capture_output=True, text=True)


@pytest.mark.parametrize("is_sealed", [False, True])
def test_bundles_with_the_program_of_the_page(
    nights: Nights, tmp_path: Path, program: Path, is_sealed: bool
) -> None:
    """A full one and an incremental one, in the clear, and sealed twice."""
    key: list[str] = []
    identity, recipient = make_identity()
    two_nights(nights, **({"seal_to": [recipient]} if is_sealed else {}))
    if is_sealed:
        (tmp_path / "key").write_text(f"# made for this test\n{identity}\n")
        key = [str(tmp_path / "key")]
        nights.identities = [identity]
        without = bring_back(program, nights, nights.known[0], tmp_path / "without")
        assert without.returncode == 1 and "This bundle is sealed" in without.stderr
        _, other = make_identity()
        again = {"seal_to": [recipient, other], "listings": str(tmp_path / "listings")}
        nights.maintenance(ResealOrder, ResealTask, **again)
    for name in nights.known:
        follow(commands("1. Check that"), nights.root / "attic", name, tmp_path)
        target = tmp_path / f"back-{name}"
        done = bring_back(program, nights, name, target, *key)
        assert done.returncode == 0 and done.stdout == done.stderr == "", done
        assert picture(target / "files") == nights.images[name]
        assert not Path(f"{target}.unsealed").exists()


def test_the_program_of_the_page_says_what_is_lost(
    nights: Nights, tmp_path: Path, program: Path
) -> None:
    two_nights(nights)
    for piece in nights.manifests[nights.known[0]]["pieces"]:
        nights.piece(piece["name"]).write_bytes(b"")
    done = bring_back(program, nights, nights.known[-1], tmp_path / "back")
    assert done.returncode == 1 and "entries did not come back" in done.stderr
    assert "is damaged" in done.stdout and (tmp_path / "back/files/site-1").is_dir()


@pytest.mark.parametrize("version", sorted(p.name for p in FIXTURES.glob("version-*")))
def test_bundles_of_each_version_are_read(version: str, tmp_path: Path) -> None:
    store = FIXTURES / version / "store"
    order = {
        "subject": {"kind": "account", "name": "millpond", "host": "reed-1", "root": ""},
        "store": {
            "name": "attic",
            "settings": json.dumps({"kind": "folder", "folder": str(store)}),
            "store_id": "5" * 32,
        },
        "spool": str(tmp_path / "spool"),
    }
    expected = json.loads((FIXTURES / version / "expected.json").read_text())
    assert len(expected) == 2
    for bundle, files in expected.items():
        target = tmp_path / bundle
        work = made(RestoreOrder, {**order, "bundle": bundle, "target": str(target)})
        import io

        RestoreTask(work, LocalHost(), Emitter(io.BytesIO()), threading.Event()).run()
        found = {
            str(p.relative_to(target)): p.read_text() for p in target.rglob("*") if p.is_file()
        }
        assert found == files
    # A later version is refused by name.
    later = tmp_path / "later"
    shutil.copytree(store, later)
    manifest = later / "accounts/millpond/bundles" / bundle / "bundle.json"
    manifest.write_text(manifest.read_text().replace('"version": 1', '"version": 99'))
    order["store"]["settings"] = json.dumps({"kind": "folder", "folder": str(later)})
    work = made(RestoreOrder, {**order, "bundle": bundle, "target": str(tmp_path / "no")})
    with pytest.raises(TooNewError, match="version 99"):
        RestoreTask(work, LocalHost(), Emitter(io.BytesIO()), threading.Event()).run()


def test_downloads_in_each_form_and_incremental_nights_through_the_service(
    running: Service, tmp_path: Path
) -> None:
    account = small_account(tmp_path, "millpond")
    home = tmp_path / "millpond"
    (home / "link").symlink_to("page-0.html")
    (home / "large.bin").write_bytes(bytes(3 * MIB))
    (tmp_path / "attic").mkdir()
    with running.client() as client:
        set_up(
            client,
            [account],
            [
                StoreInput(
                    name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")}
                )
            ],
            mode="incremental",
            keep="2 newest",
        )
        assert (
            "stores only what changed, with a new full bundle every 30 days"
            in client.jobs_show("nightly").summary
        )
        for night in range(4):
            (home / "page-0.html").write_text(f"night {night}")
            assert run(client, "nightly").outcome == "done"
        newest, before = client.bundles_list().items
        shown = client.bundles_show(newest.id)
        assert (
            shown.brings == "incremental"
            and shown.packed < 2000 < shown.bytes
            and newest.entries == before.entries
        )
        assert [p.brought for p in shown.pieces] == [False, True]
        kept = {p.name for b in (newest, before) for p in client.bundles_show(b.id).pieces}
        pieces = tmp_path / "attic/accounts/millpond/pieces"
        assert {p.name for p in pieces.iterdir()} == kept, (
            "pieces of retired bundles stay while they are needed"
        )
        assert client.jobs_retiring("nightly").items == []
        (row,) = client.jobs_retiring("nightly", keep="1").items
        old = client.bundles_show(before.id)
        assert row.bundle == old.name and row.frees == old.packed, (
            "its own piece goes, the full bundle's stays"
        )
        for form, unpack in (
            ("tar.gz", "tar -xzf"),
            ("tar.zst", "tar --zstd -xf"),
            ("zip", "unzip"),
        ):
            archive, target = tmp_path / f"x.{form}", tmp_path / f"as-{form}"
            client.bundles_download(newest.id, archive, form=form)
            target.mkdir()
            if form == "zip":
                with zipfile.ZipFile(archive) as opened:
                    assert opened.testzip() is None
                    opened.extractall(target)
                assert (target / "files/link").read_text() == "page-0.html", (
                    "a link's target, as zip keeps it"
                )
            else:
                subprocess.run(f"{unpack} {archive} -C {target}", shell=True, check=True)
                assert picture(target / "files")[b"link"] == picture(home)[b"link"]
            assert (target / "files/page-0.html").read_text() == "night 3"
            assert (target / "files/large.bin").read_bytes() == bytes(3 * MIB)
        assert client.start("nightly", full=True).wait().outcome == "done"
        assert client.bundles_show(client.bundles_list().items[0].id).brings == "full"

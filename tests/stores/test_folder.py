"""A folder of this machine as a store: what it says of itself and of trouble."""

from __future__ import annotations

import errno
import hashlib
import os
from pathlib import Path
from typing import Any

import pytest

from fasciculus.core.errors import MissingError, StoreFullError, UnreachableError
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.folder import FolderStore
from fasciculus.stores.trying import try_store


@pytest.fixture
def root(tmp_path: Path) -> Path:
    found = tmp_path / "attic"
    found.mkdir()
    return found


@pytest.fixture
def store(root: Path) -> Any:
    return open_store(store_spec("attic", {"kind": "folder", "folder": str(root)}))


def descriptors() -> int:
    return len(os.listdir("/proc/self/fd"))


def test_where_it_is_and_what_it_can(store: FolderStore, root: Path) -> None:
    assert store.spec.settings.describe() == str(root)
    assert store.replaces_at_once() and not store.digests_itself
    assert [step.name for step in store.connecting()] == ["folder"]
    assert try_store(store)[0].text == f"{root} exists."


def test_a_folder_that_is_not_there(store: FolderStore, root: Path) -> None:
    root.rmdir()
    with pytest.raises(MissingError, match="does not exist"):
        store.connect()
    (step,) = try_store(store)
    assert not step.ok and step.hint == "Create it, or mount the disk it is on."
    assert try_store(store, make_root=True)[-1].ok and root.is_dir()


@pytest.mark.skipif(os.geteuid() != 0, reason="only root may mount")
def test_a_disk_is_mounted_before_and_unmounted_after_and_nothing_goes_beside_it(
    root: Path,
) -> None:
    settings = {"kind": "folder", "folder": str(root / "bundles"), "mounted": True}
    bare = open_store(store_spec("attic", settings))
    (root / "bundles").mkdir()
    with pytest.raises(MissingError, match="is not mounted"):
        bare.connect()
    commands = {
        "mount_command": f"mount -t tmpfs -o size=1m none {root} && mkdir -p {root}/bundles",
        "unmount_command": f"umount {root}",
    }
    one = open_store(store_spec("attic", {**settings, **commands}))
    other = open_store(store_spec("attic", {**settings, **commands}))
    one.connect()
    other.connect()
    one.put_bytes(b"kept", "a/b")
    one.close()
    assert root.is_mount() and other.size("a/b") == 4, "another task uses it still"
    other.close()
    assert not root.is_mount() and not list((root / "bundles").iterdir())
    wrong = {**settings, "mount_command": "echo no such disk >&2; exit 3"}
    with pytest.raises(UnreachableError, match="ended with 3: no such disk"):
        open_store(store_spec("attic", wrong)).connect()


def test_what_was_copied_is_digested_and_what_was_linked_is_the_file_itself(
    store: FolderStore, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    local = tmp_path / "piece"
    local.write_bytes(b"piece" * 1000)
    wanted = hashlib.sha256(local.read_bytes()).hexdigest()
    store.put(local, "a/linked", lambda count: None)
    assert store.sha256("a/linked") is None, "it was digested while written"
    store.put_bytes(b"small", "a/small")
    assert store.sha256("a/small") == hashlib.sha256(b"small").hexdigest()
    monkeypatch.setattr(os, "link", lambda *_, **__: (_ for _ in ()).throw(OSError("another disk")))
    store.put(local, "a/linked", lambda count: None)
    assert store.sha256("a/linked") == wanted, "it is another file now"


def test_a_copy_on_the_same_disk_has_blocks_of_its_own(store: FolderStore, tmp_path: Path) -> None:
    """Damage to one store's copy leaves the other's intact, which repairs it."""
    local = tmp_path / "piece"
    local.write_bytes(b"piece" * 1000)
    (tmp_path / "other").mkdir()
    other = open_store(store_spec("other", {"kind": "folder", "folder": str(tmp_path / "other")}))
    other.connect()
    for one in (store, other):
        one.put(local, "a/piece", lambda count: None)
    local.unlink()
    with (tmp_path / "other/a/piece").open("r+b") as damaged:
        damaged.write(b"XXXX")
    assert store.open("a/piece", 0, 5).read() == b"piece"


def test_nothing_stays_open(store: FolderStore, tmp_path: Path) -> None:
    before = descriptors()
    for number in range(20):
        store.put_bytes(b"x", f"a/{number}")
        store.open(f"a/{number}", 0, 1).close()
        store.open(f"a/{number}").close()
        store.sha256(f"a/{number}")
    assert descriptors() <= before


@pytest.mark.parametrize(
    ("number", "kind", "words"),
    [
        (errno.ENOSPC, StoreFullError, "Store “attic” is full: a/x did not fit."),
        (errno.EDQUOT, StoreFullError, "Store “attic” is full: a/x did not fit."),
        (errno.EACCES, UnreachableError, "Store “attic” refused a/x: Permission denied."),
    ],
)
def test_trouble_is_one_sentence_with_the_way_out(
    store: FolderStore,
    root: Path,
    monkeypatch: pytest.MonkeyPatch,
    number: int,
    kind: type[Any],
    words: str,
) -> None:
    def refused(descriptor: int) -> None:
        raise OSError(number, os.strerror(number))

    monkeypatch.setattr(os, "fsync", refused)
    with pytest.raises(kind) as caught:
        store.put_bytes(b"x", "a/x")
    assert caught.value.message == words and caught.value.hint
    assert os.listdir(root / "a") == []


def test_what_is_not_there_is_said_or_passed_over(store: FolderStore) -> None:
    for path in ("none", "none/at/all"):
        assert store.size(path) is None and store.items(path) == []
        store.remove(path)
        store.remove_folder(path)
        with pytest.raises(MissingError, match=f"{path} is not on store “attic”"):
            store.open(path)


def test_a_folder_that_is_in_use_is_not_removed(store: FolderStore) -> None:
    store.put_bytes(b"x", "a/x")
    with pytest.raises(UnreachableError):
        store.remove_folder("a")
    assert store.size("a/x") == 1


def test_items_come_by_name_with_their_sizes(store: FolderStore) -> None:
    for name in ("b", "a", "c/x"):
        store.put_bytes(b"x" * 3, name)
    assert [(item.name, item.size, item.folder) for item in store.items("")] == [
        ("a", 3, False),
        ("b", 3, False),
        ("c", 0, True),
    ]


def test_what_an_earlier_write_left_half_done_is_written_over(
    store: FolderStore, root: Path
) -> None:
    (root / "a").mkdir()
    (root / "a/x.part").write_bytes(b"half of something else")
    store.put_bytes(b"whole", "a/x")
    assert [path.name for path in (root / "a").iterdir()] == ["x"]
    with store.open("a/x") as stream:
        assert stream.read() == b"whole"

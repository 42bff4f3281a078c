"""Bringing back, without a service: where it may go, what is checked, what is not believed."""

from __future__ import annotations

import errno
import io
import os
import shutil
import stat
import subprocess
import threading
from collections.abc import Iterator
from typing import Any

import pytest
from nights import made
from trees import picture

from fasciculus.contracts.events import Log, Progress, from_line
from fasciculus.contracts.orders import RestoreOrder
from fasciculus.core.bundle.entry import SYMLINK, Entry
from fasciculus.core.bundle.inode_flags import read_flags
from fasciculus.core.errors import DamagedError, MissingError, SettingError, StoreFullError
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.local_tree import LocalTree
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.restore import execution as module
from fasciculus.worker.restore.task import RestoreTask


@pytest.fixture
def kept(nights: Any) -> Any:
    """A bundle of the tree, and restores of it."""
    (nights.tree / "empty").mkdir()
    os.chmod(nights.tree / "site-1/page-1.html", 0o4640)
    os.mkfifo(nights.tree / "pipe")
    os.setxattr(nights.tree / "film.bin", "user.note", b"\0=")
    os.setxattr(nights.tree / "site-1", "user.folder", b"1")
    nights.night()
    return nights


def restore(
    nights: Any, target: Any = None, told: Any = None, recorded: Any = (), **more: Any
) -> Any:
    """Restore, with empty records by default; return the result and the lines of the log."""
    (name,) = nights.known
    order = made(
        RestoreOrder,
        {
            "subject": {"kind": "account", "name": "millpond", "host": "", "root": ""},
            "bundle": name,
            "store": {**nights.store_order("attic"), "recorded": list(recorded)},
            "target": str(nights.root / "back" if target is None else target),
            "spool": str(nights.root / "spool4"),
            "special_modes": True,
            **more,
        },
    )
    raw = io.BytesIO()
    try:
        found = RestoreTask(order, LocalHost(), Emitter(raw), threading.Event()).run()
    finally:
        assert not (nights.root / "spool4").exists(), "nothing stays in the spool"
    events = [from_line(line) for line in raw.getvalue().splitlines()]
    if told is not None:
        told += [event for event in events if isinstance(event, Progress)]
    return found, [event.text for event in events if isinstance(event, Log)]


def altered(nights: Any, change: Any) -> None:
    """Let the store say something else of its only bundle."""
    (name,) = nights.known
    nights.forge(name, lambda entries: list(change(entries)))


# Where to ---------------------------------------------------------------------------


def test_everything_comes_back(kept: Any) -> None:
    found, log = restore(kept)
    assert found.outcome == "done" and found.bytes == sum(
        path.stat().st_size
        for path in kept.tree.rglob("*")
        if path.is_file() and not path.is_symlink() and path.name != "zz-same.bin"
    )
    assert picture(kept.root / "back/files") == picture(kept.tree)
    assert any(line.startswith("restored ") for line in log)


@pytest.mark.parametrize("target", ["relative/x", "/"])
def test_a_target_that_is_no_folder_of_its_own(kept: Any, target: Any) -> None:
    with pytest.raises(SettingError, match="not an absolute folder") as caught:
        restore(kept, target)
    assert caught.value.field == "target"


def test_nothing_is_overwritten(kept: Any) -> None:
    target = kept.root / "used"
    target.mkdir()
    (target / "mine").write_text("x")
    with pytest.raises(SettingError, match="is not empty") as caught:
        restore(kept, target)
    assert caught.value.field == "target" and os.listdir(target) == ["mine"]


def test_a_target_that_is_a_file(kept: Any) -> None:
    (kept.root / "plain").write_text("x")
    for target in (kept.root / "plain", kept.root / "plain/below"):
        with pytest.raises(SettingError, match="cannot be used"):
            restore(kept, target)
    assert (kept.root / "plain").read_text() == "x"


def test_a_disk_without_room_is_said_before_anything_is_written(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    wanted = restore(kept)[0].bytes
    shutil.rmtree(kept.root / "back")
    for free, refused in ((wanted - 1, True), (wanted, False)):
        monkeypatch.setattr(LocalTree, "free", property(lambda self, free=free: free))  # type: ignore[misc]
        if not refused:
            assert restore(kept)[0].outcome == "done"
            continue
        with pytest.raises(StoreFullError, match="are to be restored") as caught:
            restore(kept)
        assert caught.value.hint == "Name a folder on a larger disk."
        assert not (kept.root / "back").exists()


# What ---------------------------------------------------------------------------


def test_a_part_with_its_folders(kept: Any) -> None:
    restore(kept, paths=["site-1/page-1.html", "film.bin"], full_layout=True)
    found = picture(kept.root / "back/files")
    assert set(found) == {b"", b"site-1", b"site-1/page-1.html", b"film.bin"}
    whole = picture(kept.tree)
    for path in (b"site-1/page-1.html", b"film.bin"):
        assert found[path] == whole[path]


def test_chosen_paths_go_directly_into_the_target(kept: Any) -> None:
    """With their other names, if these were chosen too."""
    (kept.tree / "deep/er").mkdir(parents=True)
    os.link(kept.tree / "picture.bin", kept.tree / "deep/er/copy.bin")
    kept.known = []
    kept.night(incremental=False)
    kept.known = kept.known[-1:]
    chosen = ["deep/er", "picture.bin", "site-1"]
    assert restore(kept, paths=chosen)[0].outcome == "done"
    found, whole = picture(kept.root / "back"), picture(kept.tree)
    assert {path.split(b"/")[0] for path in found} == {b"", b"er", b"picture.bin", b"site-1"}
    pages = {path for path in whole if path.startswith(b"site-1")}
    assert pages <= found.keys() and all(found[path] == whole[path] for path in pages)
    one, other = (kept.root / "back" / name for name in ("er/copy.bin", "picture.bin"))
    assert one.stat().st_ino == other.stat().st_ino
    with pytest.raises(SettingError, match="same last name") as caught:
        restore(kept, kept.root / "twice", paths=["site-1/page-1.html", "site-2/page-1.html"])
    assert caught.value.field == "paths" and not (kept.root / "twice").exists()


def test_a_hard_link_alone_brings_its_own_bytes(kept: Any) -> None:
    restore(kept, paths=["zz-same.bin"], full_layout=True)
    found = picture(kept.root / "back/files")
    assert found[b"zz-same.bin"][5] == picture(kept.tree)[b"picture.bin"][5]


def test_two_names_of_a_file_stay_one_also_without_the_first(kept: Any) -> None:
    os.link(kept.tree / "picture.bin", kept.tree / "zz-third.bin")
    kept.known = []
    kept.night(incremental=False)
    kept.known = kept.known[-1:]
    restore(kept, paths=["zz-same.bin", "zz-third.bin"])
    one, other = (kept.root / "back" / name for name in ("zz-same.bin", "zz-third.bin"))
    assert one.stat().st_ino == other.stat().st_ino


def test_nothing_that_matches_is_said_at_the_option(kept: Any) -> None:
    for more in ({"paths": ["none"]}, {"contents": ["mail"]}):
        with pytest.raises(SettingError, match="matches what was asked for") as caught:
            restore(kept, **more)
        assert caught.value.field == "paths"
        assert not (kept.root / "back").exists(), "no empty folder is left"


def test_a_database_that_the_bundle_lacks(kept: Any) -> None:
    with pytest.raises(SettingError, match="holds no database “shop”") as caught:
        restore(kept, databases={"shop": "shop_2"})
    assert caught.value.field == "databases" and caught.value.hint == "It holds: none."
    assert not (kept.root / "back").exists(), "before anything is written"


def test_a_bundle_that_is_none(kept: Any) -> None:
    kept.known = ["2026-01-01T000000Z-nightly"]
    with pytest.raises(MissingError, match="no complete bundle"):
        restore(kept)


# What a store may say that is not true ----------------------------------------------


def test_a_link_in_the_listing_does_not_lead_out(kept: Any) -> None:
    """A hostile store lists a link, and then a file below it."""
    (kept.root / "victim").mkdir()

    def change(entries: Any) -> Iterator[Any]:
        yield from entries
        file = next(entry for entry in entries if entry.type == "file")
        yield Entry("files", b"zzz", SYMLINK, target=os.fsencode(kept.root / "victim"))
        yield Entry("files", b"zzz/planted", size=file.size, digest=file.digest, parts=file.parts)

    altered(kept, change)
    found, log = restore(kept)
    assert found.outcome == "failed" and "zzz/planted" in found.error
    assert os.listdir(kept.root / "victim") == []
    assert any("is a link or a file where a folder should be" in line for line in log)
    assert (kept.root / "back/files/film.bin").exists(), "all else comes back"


def test_a_name_that_is_there_already_is_not_written_through(kept: Any) -> None:
    (kept.root / "victim").write_text("mine")

    def change(entries: Any) -> Iterator[Any]:
        yield from entries
        file = next(entry for entry in entries if entry.type == "file")
        yield Entry("files", b"zzz", SYMLINK, target=os.fsencode(kept.root / "victim"))
        yield Entry("files", b"zzz", size=file.size, digest=file.digest, parts=file.parts)

    altered(kept, change)
    found, log = restore(kept)
    assert (kept.root / "victim").read_text() == "mine"
    assert found.outcome == "failed" and "1 entry did not come back: zzz." in found.error
    assert "zzz: File exists" in log and (kept.root / "back/files/film.bin").exists()


@pytest.mark.parametrize(("number", "ends"), [(errno.ENOSPC, True), (errno.EPERM, False)])
def test_one_odd_entry_costs_that_entry_and_a_full_disk_ends_the_restore(
    kept: Any, monkeypatch: pytest.MonkeyPatch, number: Any, ends: Any
) -> None:
    def refused(path: Any, mode: Any = 0o666, **more: Any) -> None:
        raise OSError(number, os.strerror(number))

    monkeypatch.setattr(module.os, "mkfifo", refused)
    if ends:
        with pytest.raises(OSError, match="No space left"):
            restore(kept)
        return
    found, log = restore(kept)
    assert "1 entry did not come back: pipe." in found.error
    assert "pipe: Operation not permitted" in log


def test_a_hard_link_to_what_this_restore_did_not_write(kept: Any) -> None:
    def change(entries: Any) -> Iterator[Any]:
        yield from entries
        yield Entry("files", b"zzz", link=b"not/listed", size=5, digest="0" * 64)

    altered(kept, change)
    found, _ = restore(kept)
    assert found.outcome == "failed" and "zzz" in found.error
    assert not (kept.root / "back/files/zzz").exists()


def test_bytes_that_are_not_what_the_listing_says(kept: Any) -> None:
    def change(entries: Any) -> Iterator[Any]:
        for entry in entries:
            if entry.path == b"film.bin":
                entry.digest = "0" * 64
            yield entry

    altered(kept, change)
    found, log = restore(kept)
    assert found.outcome == "failed" and "1 entry did not come back" in found.error
    assert not (kept.root / "back/files/film.bin").exists(), "not as if it were right"
    assert any(line.startswith("film.bin: ") for line in log)


def test_many_that_are_lost_are_counted_and_a_few_named(kept: Any) -> None:
    def change(entries: Any) -> Iterator[Any]:
        for entry in entries:
            if entry.path.endswith(b".html"):
                entry.digest = "0" * 64
            yield entry

    altered(kept, change)
    found, log = restore(kept)
    assert "60 entries did not come back" in found.error and found.error.count(".html") == 5
    assert "the log names all of it" in found.error
    assert sum(".html: its bytes" in line for line in log) == 60


def test_a_listing_that_another_manifest_names_is_not_believed(kept: Any) -> None:
    (name,) = kept.known
    folder = kept.root / "attic/accounts/millpond/bundles" / name
    data = bytearray((folder / "listing.jsonl.zst").read_bytes())
    data[len(data) // 2] ^= 1
    (folder / "listing.jsonl.zst").unlink()
    (folder / "listing.jsonl.zst").write_bytes(data)
    with pytest.raises(DamagedError):
        restore(kept)
    assert not (kept.root / "back").exists()


def test_folders_get_their_time_after_what_is_in_them(kept: Any) -> None:
    os.utime(kept.tree / "site-1", ns=(1, 1_234_567_890_000_000_001))
    os.chmod(kept.tree / "site-1", 0o500)
    kept.known = []
    kept.night(incremental=False)
    kept.known = kept.known[-1:]
    restore(kept)
    info = (kept.root / "back/files/site-1").stat()
    assert info.st_mtime_ns == 1_234_567_890_000_000_001 and info.st_mode & 0o777 == 0o500


def test_without_root_owners_and_devices_are_left_with_a_word(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    def change(entries: Any) -> Iterator[Any]:
        yield from entries
        yield Entry("files", b"zzz", "char", rdev=(1, 3))

    altered(kept, change)
    monkeypatch.setattr(module.os, "geteuid", lambda: 1000)
    found, log = restore(kept)
    assert found.outcome == "warned"
    assert any("zzz: a device file, which only root can make" in line for line in log)
    assert any("owners were not set" in line for line in log)
    assert not (kept.root / "back/files/zzz").exists()


# Into folders of people who may be hostile -------------------------------------------


def test_a_target_below_a_link_that_others_could_set_is_refused(kept: Any) -> None:
    shared = kept.root / "shared"
    shared.mkdir()
    os.chmod(shared, 0o777)
    (kept.root / "victim").mkdir()
    (shared / "back").symlink_to(kept.root / "victim")
    for target in (shared / "back", shared / "back/below"):
        with pytest.raises(SettingError, match="a link that others could set") as caught:
            restore(kept, target)
        assert caught.value.field == "target"
    assert os.listdir(kept.root / "victim") == []


def test_a_target_that_is_exchanged_meanwhile_leads_nothing_elsewhere(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its owner renames the target away and puts a link there while it is being filled."""
    shared = kept.root / "shared"
    shared.mkdir()
    os.chmod(shared, 0o777)
    (kept.root / "victim").mkdir()
    made = []

    def exchanged(
        self: Any, path: Any, chunks: Any, like: Any, write: Any = LocalTree.create_file
    ) -> Any:
        if not made:
            (shared / "back").rename(shared / "aside")
            (shared / "back").symlink_to(kept.root / "victim")
        made.append(path)
        return write(self, path, chunks, like)

    monkeypatch.setattr(LocalTree, "create_file", exchanged)
    assert restore(kept, shared / "back")[0].outcome == "done"
    assert len(made) > 50 and os.listdir(kept.root / "victim") == []
    assert picture(shared / "aside/files") == picture(kept.tree)


def test_nobody_else_writes_there_before_the_end(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Owners and modes of folders are given last, files are nobody's until they are whole."""
    if os.geteuid():
        pytest.skip("owners need root")
    os.chown(kept.tree / "site-1", 12345, 12345)
    os.chmod(kept.tree / "site-1", 0o777)
    kept.known = []
    kept.night(incremental=False)
    kept.known = kept.known[-1:]
    seen = set()
    create = LocalTree.create_file

    def looked_at(self: Any, path: Any, chunks: Any, like: Any) -> None:
        place = kept.root / "back" / os.fsdecode(path)
        create(self, path, chunks, like)
        info = place.parent.stat()
        seen.add((info.st_uid, info.st_mode & 0o777))

    monkeypatch.setattr(LocalTree, "create_file", looked_at)
    restore(kept)
    assert seen == {(0, 0o700)}
    assert (kept.root / "back/files/site-1").stat().st_uid == 12345


def test_what_could_not_be_written_to_its_end_does_not_stay_as_if_it_were(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(self: Any, entry: Any, alone: Any = False) -> Iterator[Any]:
        yield b"some of it"
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(module.BundleReader, "contents", full)
    with pytest.raises(OSError, match="No space left"):
        restore(kept)
    left = [path for path in (kept.root / "back").rglob("*") if path.is_file()]
    assert left == []


@pytest.fixture
def deep(kept: Any) -> Iterator[Any]:
    """Trees too deep for removal by path are removed in another way."""
    yield kept
    for place in (kept.tree, kept.root / "back"):
        subprocess.run(["find", str(place), "-mindepth", "1", "-delete"], check=False)


def test_paths_longer_than_the_kernel_takes_come_back(deep: Any) -> None:
    kept = deep
    here = os.open(kept.tree, os.O_RDONLY)
    for _ in range(40):
        os.mkdir("folder-of-a-site" * 12, dir_fd=here)
        below = os.open("folder-of-a-site" * 12, os.O_RDONLY, dir_fd=here)
        os.close(here)
        here = below
    with open(os.open("f", os.O_WRONLY | os.O_CREAT, dir_fd=here), "wb") as file:
        file.write(b"at the end of 7,700 bytes")
    os.close(here)
    kept.known = []
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("nights.picture", lambda root: {})
        kept.night(incremental=False)
    kept.known = kept.known[-1:]
    found, _ = restore(kept)
    assert found.outcome == "done"
    here = os.open(kept.root / "back/files", os.O_RDONLY)
    for _ in range(40):
        below = os.open("folder-of-a-site" * 12, os.O_RDONLY, dir_fd=here)
        os.close(here)
        here = below
    with open(os.open("f", os.O_RDONLY, dir_fd=here), "rb") as file:
        assert file.read() == b"at the end of 7,700 bytes"
    os.close(here)


def test_a_store_that_altered_everything_consistently_is_not_believed(kept: Any) -> None:
    """Contents, listing and manifest agree with each other, and not with the records."""
    (name,) = kept.known
    recorded = [kept.copy_order(name)]
    assert restore(kept, recorded=recorded)[0].outcome == "done"
    shutil.rmtree(kept.root / "back")
    altered(kept, lambda entries: [entry for entry in entries if entry.path != b"film.bin"])
    with pytest.raises(DamagedError, match="is not what was stored there") as caught:
        restore(kept, recorded=recorded)
    assert "another store" in caught.value.hint and not (kept.root / "back").exists()
    assert restore(kept)[0].outcome == "done", "nobody knows better without records"


def with_privileges(entries: Any) -> Iterator[Any]:
    """A file that runs as its owner, a device, and an attribute of the system."""
    for entry in entries:
        if entry.path == b"film.bin":
            entry.mode |= 0o6000
            entry.xattrs["trusted.note"] = b"x"
        yield entry
    yield Entry("files", b"zzz", "char", mode=0o666, rdev=(1, 3))


def test_privileges_come_back_only_where_the_records_vouch_or_on_request(kept: Any) -> None:
    """And each is named before anything is written."""
    altered(kept, with_privileges)
    back = kept.root / "back/files"
    found, log = restore(kept, special_modes=False)
    assert found.outcome == "warned" and (back / "film.bin").stat().st_mode & 0o7000 == 0
    assert not (back / "zzz").exists() and "trusted.note" not in os.listxattr(back / "film.bin")
    assert os.getxattr(back / "film.bin", "user.note") == b"\0=", "what anybody may have stays"
    assert log.index("film.bin: set-user-id, set-group-id and trusted.note") < 2
    assert any("3 entries are restored without special modes" in line for line in log), log
    shutil.rmtree(kept.root / "back")
    restore(kept)
    assert (back / "film.bin").stat().st_mode & 0o7000 == 0o6000
    assert stat.S_ISCHR((back / "zzz").lstat().st_mode)
    assert os.getxattr(back / "film.bin", "trusted.note") == b"x"


@pytest.mark.parametrize(("kind", "bits"), [("char", stat.S_IFCHR), ("block", stat.S_IFBLK)])
def test_a_device_is_made_as_root_with_its_numbers(
    kept: Any, monkeypatch: pytest.MonkeyPatch, kind: Any, bits: Any
) -> None:
    def change(entries: Any) -> Iterator[Any]:
        yield from entries
        yield Entry("files", b"zzz", kind, mode=0o660, rdev=(8, 17))

    made = []

    def mknod(name: Any, mode: Any, device: Any, *, dir_fd: Any) -> None:
        made.append((name, mode, os.major(device), os.minor(device)))
        os.mkfifo(name, dir_fd=dir_fd)

    altered(kept, change)
    monkeypatch.setattr(module.os, "mknod", mknod)
    assert restore(kept)[0].outcome == "done"
    assert made == [(b"zzz", bits | 0o600, 8, 17)]
    assert stat.S_IMODE((kept.root / "back/files/zzz").stat().st_mode) == 0o660


def test_nothing_stays_open(kept: Any) -> None:
    before = len(os.listdir("/proc/self/fd"))
    restore(kept)
    with pytest.raises(SettingError):
        restore(kept)
    assert len(os.listdir("/proc/self/fd")) <= before


def test_how_far_it_is_is_told_and_what_came_back_counted(kept: Any) -> None:
    for number in range(200):
        (kept.tree / f"small-{number:03}").write_bytes(b"x")
    kept.known = []
    kept.night(incremental=False)
    kept.known = kept.known[-1:]
    told = []
    found, _ = restore(kept, told=told)
    assert found.entries == len(picture(kept.tree))
    stages = [event for event in told if event.stage == "files"]
    assert len(stages) >= 3 and stages[-1].total == found.bytes
    assert [event.entries for event in stages] == sorted(event.entries for event in stages)


def test_holes_come_back_as_holes(kept: Any) -> None:
    with (kept.tree / "sparse").open("wb") as file:
        file.write(b"begin")
        file.seek(40 * 1024 * 1024)
        file.write(b"middle" * 30_000)
        file.truncate(100 * 1024 * 1024)
    (kept.tree / "zeros").touch()
    os.truncate(kept.tree / "zeros", 5_000_001)
    kept.known = []
    kept.night(incremental=False)
    kept.known = kept.known[-1:]
    restore(kept)
    assert picture(kept.root / "back/files") == picture(kept.tree)
    for name, most in (("sparse", 600_000), ("zeros", 100_000)):
        assert (kept.root / "back/files" / name).stat().st_blocks * 512 < most, name


def flags_of(path: Any) -> str:
    descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
    try:
        return read_flags(descriptor)
    finally:
        os.close(descriptor)


def chattr(change: Any, *paths: Any) -> Any:
    """Return whether flags of files can be changed here."""
    done = subprocess.run(["chattr", change, *map(str, paths)], capture_output=True)
    return done.returncode == 0


def test_flags_of_inodes_come_back_last_of_all(nights: Any) -> None:
    """Immutable files get their contents, names and time first."""
    tree = nights.tree
    (tree / "kept").mkdir()
    for name in ("page", "note"):
        (tree / "kept" / name).write_text(name)
    os.link(tree / "kept/page", tree / "kept/second")
    if not chattr("+i", tree / "kept/page", tree / "kept"):
        pytest.skip("nobody may change flags here")
    chattr("+d", tree / "kept/note")
    back = nights.root / "back/files/kept"
    try:
        nights.night()
        nights.known = nights.known[-1:]
        found, log = restore(nights, recorded=[nights.copy_order(nights.known[0])])
        assert found.outcome == "done", log
        assert flags_of(back) == flags_of(back / "page") == flags_of(back / "second") == "schg"
        assert flags_of(back / "note") == "nodump" and (back / "page").read_text() == "page"
        assert back.stat().st_mtime_ns == (tree / "kept").stat().st_mtime_ns
        assert any("kept/page: immutable" in line for line in log), "it is named before"
        chattr("-i", back, back / "page")
        shutil.rmtree(nights.root / "back")
        nights.known = nights.known[-1:]
        nights.night()
        nights.known = nights.known[-1:]
        found, _ = restore(nights, recorded=[nights.copy_order(nights.known[0])])
        assert flags_of(back / "page") == "schg", "of the night on which nothing changed too"
        chattr("-i", back, back / "page")
        shutil.rmtree(nights.root / "back")
        restore(nights, special_modes=False)
        assert flags_of(back / "page") == flags_of(back) == "", "without the records to vouch"
    finally:
        chattr("-i", tree / "kept", tree / "kept/page", back, back / "page")


def test_flags_that_cannot_be_set_are_said(kept: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(descriptor: Any, names: Any) -> None:
        raise PermissionError(errno.EPERM, "Operation not permitted")

    def change(entries: Any) -> Iterator[Any]:
        for entry in entries:
            if entry.path in (b"film.bin", b"site-1"):
                entry.flags = "schg,sappnd"
            yield entry

    altered(kept, change)
    monkeypatch.setattr("fasciculus.hosts.local_tree.set_flags", refused)
    found, log = restore(kept)
    assert found.outcome == "warned"
    assert sum("its flags (schg,sappnd) could not be set" in line for line in log) == 2


STEPS = ("make_folder", "create_file", "create_node", "finish_folder", "dress_file", "link")


def killed_at(nights: Any, step: int) -> bool:
    """Restore in a process that dies before a step; whether it got so far."""
    child = os.fork()
    if not child:
        left = [step]

        def counted(method: Any) -> Any:
            def wrapped(self: Any, *values: Any) -> Any:
                left[0] -= 1
                if left[0] < 0:
                    os._exit(9)
                return method(self, *values)

            return wrapped

        for name in STEPS:
            setattr(LocalTree, name, counted(getattr(LocalTree, name)))
        try:
            restore(nights)
        finally:
            os._exit(0)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 9


def test_a_restore_that_is_killed_anywhere_is_taken_up_again(
    nights: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its leftovers are intact or written again, whoever had the folder meanwhile."""
    for path in nights.tree.iterdir():
        shutil.rmtree(path) if path.is_dir() else path.unlink()
    for number in range(3):
        (nights.tree / f"folder-{number}").mkdir()
        (nights.tree / f"folder-{number}/page").write_bytes(os.urandom(5000))
    os.link(nights.tree / "folder-0/page", nights.tree / "folder-2/second")
    (nights.tree / "link").symlink_to("folder-1")
    os.mkfifo(nights.tree / "pipe")
    nights.night(incremental=False)
    nights.known = nights.known[-1:]
    back, image = nights.root / "back", picture(nights.tree)
    step = 0
    while killed_at(nights, step):
        if back.is_dir():
            for path in back.rglob("page"):
                if path.stat().st_size == 5000 and step % 2:
                    # It was changed meanwhile: its size and time mean nothing.
                    info = path.stat()
                    path.write_bytes(os.urandom(5000))
                    os.utime(path, ns=(info.st_atime_ns, info.st_mtime_ns))
        if back.is_dir() and any(back.iterdir()):
            with pytest.raises(SettingError, match="not empty"):
                restore(nights)
        found, log = restore(nights, resume=True)
        assert found.outcome == "done", log
        assert picture(back / "files") == image, step
        shutil.rmtree(back)
        shutil.rmtree(nights.root / "spool4", ignore_errors=True)
        step += 1
    assert step > 12


def test_what_lies_in_the_way_of_a_restore_that_is_taken_up_is_not_followed(kept: Any) -> None:
    outside = kept.root / "outside"
    outside.mkdir()
    (outside / "secret").write_text("of another user")
    files = kept.root / "back/files"
    files.mkdir(parents=True)
    (files / "film.bin").symlink_to(outside / "secret")
    os.link(outside / "secret", files / "zz-same.bin")
    (files / "site-1").symlink_to(outside)
    found, log = restore(kept, resume=True)
    assert (outside / "secret").read_text() == "of another user"
    assert [path.name for path in outside.iterdir()] == ["secret"]
    assert found.outcome == "failed" and "site-1" in found.error, log
    assert not (files / "film.bin").is_symlink()
    assert (files / "film.bin").read_bytes() == (kept.tree / "film.bin").read_bytes()

"""An awkward home, here and over SSH, full and incremental, restored and unpacked by hand."""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import stat
import subprocess
import sys
from collections.abc import Iterator
from contextlib import closing, suppress
from pathlib import Path

import pytest
from nights import MIB, Nights, settled
from trees import awkward_tree

from fasciculus.core.bundle.inode_flags import read_flags
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.ssh.host import SshHost

DOC = (Path(__file__).parents[2] / "docs/by-hand.md").read_text()
#: Seconds of a file's time: before 1901, before 1980, after 2107, after 2262.
MOMENTS = (-3_000_000_000, -2_200_000_000, 300_000_000, 4_500_000_000, 9_500_000_000)
LONG = "folder-of-a-site" * 12


def very_awkward(tree: Path) -> None:
    """More than an awkward tree has: odd times, attributes, holes, a device, a very long path."""
    for moment in MOMENTS:
        path = tree / f"of {moment}"
        path.write_text(str(moment))
        with suppress(OverflowError, OSError):
            os.utime(path, ns=(0, moment * 10**9 + 123_456_789))
    for name in (b"user.a=b", b"user.50%", b"user.%3D", b"user.caf\xc3\xa9"):
        os.setxattr(tree / "plain", name, b"\0\xff=\n" + name)
    with open(tree / "holes", "wb") as file:
        file.seek(3 * MIB)
        file.write(b"in the middle")
        file.truncate(9 * MIB)
    if os.geteuid() == 0:
        os.mknod(tree / "null", 0o666 | stat.S_IFCHR, os.makedev(1, 3))
        subprocess.run(["chattr", "+d", tree / "big"], capture_output=True)
    here = os.open(tree, os.O_RDONLY)
    for _ in range(26):
        os.mkdir(LONG, dir_fd=here)
        below = os.open(LONG, os.O_RDONLY, dir_fd=here)
        os.close(here)
        here = below
    with open(os.open("deep", os.O_WRONLY | os.O_CREAT, dir_fd=here), "wb") as file:
        file.write(b"at the end of 5,000 bytes")
    os.close(here)


def drawn(root: Path) -> dict:
    """Everything that is to come back, by path of any length."""
    found = {}
    links: dict[tuple[int, int], str] = {}
    for folder, folders, names, at in os.fwalk(root, follow_symlinks=False):
        below = (
            os.path.relpath(folder, root) if len(folder) < 4000 else folder[len(str(root)) + 1 :]
        )
        for name in ["."] * (folder == str(root)) + sorted(folders) + sorted(names):
            info = os.stat(name, dir_fd=at, follow_symlinks=False)
            path = os.path.normpath(f"{below}/{name}")
            place = f"/proc/self/fd/{at}/{name}"
            row = [info.st_mode, info.st_uid, info.st_gid, info.st_mtime_ns]
            keys = os.listxattr(place, follow_symlinks=False)
            row.append({key: os.getxattr(place, key, follow_symlinks=False) for key in keys})
            if stat.S_ISLNK(info.st_mode):
                row.append(os.readlink(name, dir_fd=at))
            elif stat.S_ISREG(info.st_mode):
                descriptor = os.open(name, os.O_RDONLY, dir_fd=at)
                with open(descriptor, "rb") as file:
                    row.append(hashlib.file_digest(file, "sha256").hexdigest())
                    row.append(read_flags(file.fileno()))
                row.append(links.setdefault((info.st_dev, info.st_ino), path))
                row.append(info.st_blocks * 512 < MIB if name == "holes" else None)
            elif stat.S_ISCHR(info.st_mode):
                row.append(info.st_rdev)
            found[path] = row
    return found


def differing(one: dict, other: dict) -> list[str]:
    return sorted(k for k in one.keys() | other.keys() if one.get(k) != other.get(k))


@pytest.fixture(params=["here", "over SSH"])
def host(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[LocalHost | SshHost]:
    if request.param == "here":
        yield LocalHost()
        return
    server = request.getfixturevalue("openssh")
    with closing(SshHost(server.host(), tmp_path)) as found:
        yield found


def test_an_awkward_home_comes_back_as_it_was(
    host: LocalHost | SshHost, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("nights.picture", lambda root: {})
    nights = Nights(tmp_path / "n")
    nights.tree.rmdir()
    awkward_tree(nights.root)
    very_awkward(nights.tree)
    settled_tree(nights)
    images = {}
    for change in (lambda: None, lambda: (nights.tree / "empty").write_text("changed")):
        change()
        nights.night(host=host)
        images[nights.known[-1]] = drawn(nights.tree)
    assert nights.manifests[nights.known[-1]]["brings"] == "incremental"
    program = tmp_path / "bring-back.py"
    program.write_text(re.search(r"```python\n(.*?)```", DOC, re.S)[1])
    for name, image in images.items():
        nights.restored(name)
        assert differing(drawn(nights.root / "back/files"), image) == []
        folder = nights.root / "attic/accounts/millpond/bundles" / name
        target = tmp_path / "by-hand"
        by_hand = subprocess.run(
            [sys.executable, str(program), str(target)], cwd=folder, capture_output=True
        )
        # What is too long for it is named, and that is said at its end.
        assert by_hand.returncode == 1 and b"did not come back" in by_hand.stderr, by_hand.stderr
        assert all(b"File name too long" in line for line in by_hand.stdout.splitlines())
        different = differing(drawn(target / "files"), image)
        # Its program makes neither holes nor flags of inodes, and names what is too long for it.
        assert [path for path in different if LONG not in path] in (
            [],
            ["big"],
            ["holes"],
            ["big", "holes"],
        )
        assert all(path.count(LONG) > 18 for path in different if LONG in path)
        assert b"File name too long" in by_hand.stdout
        shutil.rmtree(target, ignore_errors=True)
        subprocess.run(["rm", "-rf", str(target)], check=True)


def settled_tree(nights: Nights) -> None:
    """Wait until what was made counts as settled, by names of any length."""
    marker = nights.root / "marker"
    marker.touch()
    found = Nights.__new__(Nights)
    found.tree = nights.root / "empty-tree"
    found.tree.mkdir()
    (found.tree / "one").touch()
    settled(found)

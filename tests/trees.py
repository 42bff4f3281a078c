"""Trees to protect, and what they hold as data."""

from __future__ import annotations

import hashlib
import os
import stat
from pathlib import Path
from typing import Any

MIB = 1024 * 1024


def awkward_tree(root: Path) -> Path:
    tree = root / "tree"
    tree.mkdir()
    base = os.fsencode(tree)
    for name in (
        b"plain",
        b"with space",
        b"new\nline",
        b"quote'\"",
        "grün-Ω-🪶".encode(),
        b"not\xff\xfeutf8",
        b"-dash",
        b"a" * 255,
        b"dir.txt",
        b".hidden",
    ):
        with open(base + b"/" + name, "wb") as file:
            file.write(name * 3)
    (tree / "dir").mkdir()
    deep = base + b"/dir"
    for _ in range(9):
        deep += b"/" + b"long-folder-name" * 3
        os.mkdir(deep)
    with open(deep + b"/" + b"\xc3\x28" * 20, "wb") as file:
        file.write(b"deep")
    (tree / "empty").touch()
    (tree / "empty-folder").mkdir(mode=0o711)
    (tree / "link").symlink_to("no/such/place")
    (tree / "long-link").symlink_to("x" * 300)
    os.link(tree / "plain", tree / "zz-hard")
    os.link(tree / "plain", tree / "dir" / "hard-too")
    os.mkfifo(tree / "fifo", 0o640)
    (tree / "setuid").write_text("x")
    (tree / "setuid").chmod(0o4750)
    (tree / "secret").write_text("s")
    (tree / "secret").chmod(0o000)
    if os.geteuid() == 0:
        os.chown(tree / "secret", 12345, 3_000_000)
        os.lchown(tree / "link", 33, 33)
    os.setxattr(tree / "plain", "user.note", b"\x00binary=\n")
    (tree / "big").write_bytes(os.urandom(3 * MIB + 17))
    (tree / "sparse").touch()
    os.truncate(tree / "sparse", 5 * MIB)
    os.utime(tree / "empty", ns=(1, 1_234_567_890_123_456_789))
    os.utime(tree / "plain", ns=(1, -1_500_000_000))
    os.utime(tree / "dir", ns=(5, 987_654_321_000_000_001))
    return tree


def picture(root: Path | bytes) -> dict[bytes, tuple[Any, ...]]:
    """A tree as data: types, modes, owners, times, sizes, targets, digests, hard-link groups."""
    base = os.fsencode(root)
    rows: dict[bytes, tuple[Any, ...]] = {}
    groups: dict[tuple[int, int], bytes] = {}
    pending = [b""]
    while pending:
        relative = pending.pop()
        path = base + b"/" + relative if relative else base
        info = os.lstat(path)
        kind = stat.S_IFMT(info.st_mode)
        detail: Any = None
        if stat.S_ISREG(info.st_mode):
            with open(path, "rb") as file:
                detail = hashlib.sha256(file.read()).hexdigest()
        elif stat.S_ISLNK(info.st_mode):
            detail = os.readlink(path)
        elif stat.S_ISDIR(info.st_mode):
            pending += [
                relative + b"/" + name if relative else name
                for name in sorted(os.listdir(path), reverse=True)
            ]
        first = groups.setdefault((info.st_dev, info.st_ino), relative)
        attributes = {
            name: os.getxattr(path, name, follow_symlinks=False)
            for name in os.listxattr(path, follow_symlinks=False)
        }
        rows[relative] = (
            kind,
            stat.S_IMODE(info.st_mode),
            info.st_uid,
            info.st_gid,
            info.st_mtime_ns,
            detail,
            first,
            attributes,
        )
    # The name that a group is known by must not depend on the order of the walk.
    names: dict[bytes, bytes] = {}
    for relative, row in rows.items():
        names[row[6]] = min(names.get(row[6], relative), relative)
    return {relative: (*row[:6], names[row[6]], row[7]) for relative, row in rows.items()}

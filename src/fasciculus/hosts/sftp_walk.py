"""The walk over a tree by plain SFTP: names, sizes, modes, owners, and times in whole seconds."""

from __future__ import annotations

import stat
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from ..core.bundle.entry import DIR, FILE, SYMLINK, Entry
from ..core.bundle.tree.tree_walk import WalkRules, Warn, shown
from ..core.file_filters import ON_THE_WAY
from ..sftp_client import SftpClient
from .base import HostEntry, OpenFile

#: A server may list a folder inside itself without end.
_DEEPEST = 1000


def walk(
    sftp: SftpClient,
    open_: Callable[[bytes], OpenFile],
    base: bytes,
    chosen: WalkRules,
    warn: Warn,
) -> Iterator[HostEntry]:
    """Yield the entries of a tree in scan order, as far as the rules want them."""
    yield HostEntry(described(b"", sftp.lstat(base)), partial(open_, base))
    stack = [(b"", _listed(sftp, base, b"", warn))]
    owed: list[Entry] = []
    while stack:
        folder, names = stack[-1]
        name, info = next(names, (b"", None))
        if info is None:
            stack.pop()
            owed = [e for e in owed if folder.startswith(e.path) and e.path != folder]
            continue
        relative = folder + b"/" + name if folder else name
        if relative in chosen.excluded:
            continue
        if len(stack) > _DEEPEST:
            warn(f"{shown(relative)}: deeper than {_DEEPEST} folders, as if one contained itself")
            continue
        entry, path = described(relative, info), base + b"/" + relative
        is_dir, is_file = entry.type == DIR, entry.type == FILE
        verdict = chosen.judge(relative, is_dir, is_file, entry.size, entry.mtime_ns)
        if verdict and verdict != ON_THE_WAY:
            continue
        if verdict == ON_THE_WAY:
            owed.append(entry)
            stack.append((relative, _listed(sftp, path, relative, warn)))
            continue
        for above in owed:
            yield HostEntry(above, partial(open_, base))
        owed = []
        if entry.type == SYMLINK:
            entry.target = sftp.target_of(path)
        yield HostEntry(entry, partial(open_, path))
        if is_dir:
            stack.append((relative, _listed(sftp, path, relative, warn)))


def _listed(
    sftp: SftpClient, path: bytes, relative: bytes, warn: Warn
) -> Iterator[tuple[bytes, Any]]:
    try:
        return iter(sftp.listed(path))
    except OSError as error:
        warn(f"{shown(relative)}: the folder could not be read ({error.strerror or error})")
        return iter(())


def described(path: bytes, info: Any) -> Entry:
    """Return the entry of what SFTP says of a path."""
    mode = info.st_mode or 0
    type_ = DIR if stat.S_ISDIR(mode) else SYMLINK if stat.S_ISLNK(mode) else FILE
    return Entry(
        kind="files",
        path=path,
        type=type_,
        size=(info.st_size or 0) if type_ == FILE else 0,
        mode=stat.S_IMODE(mode),
        uid=(info.st_uid or 0) % 2**32,
        gid=(info.st_gid or 0) % 2**32,
        mtime_ns=int(info.st_mtime or 0) % 2**32 * 1_000_000_000,
    )

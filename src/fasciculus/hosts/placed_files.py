"""Single files of a host, read, written and removed where nobody can lead the way astray.

A program too, for hosts that have Python 3.7 or later: it is sent there after the text of
``core/bundle/root_path.py``, and runs with nothing but the standard library. Its arguments are what
to do and the path; contents come on standard input or go to standard output.
"""

import os
import stat
import sys
from contextlib import suppress
from typing import List, Optional, Tuple

from ..core.bundle.root_path import (
    NEW_FILE_FLAGS,
    open_file,
    open_listed_file,
    open_parent,
    open_root,
    partial_name,
)

_CHUNK = 256 * 1024

Owner = Optional[Tuple[int, int]]


def write_file(path: bytes, data: bytes) -> None:
    """Put a file in place of what was there, whole or not at all; folders are made.

    Mode and owner are those of the file that was there.
    """
    folder, name = open_parent(path)
    partial = partial_name(name)
    try:
        mode, owner = _mode_and_owner(folder, name)
        with suppress(FileNotFoundError):
            os.unlink(partial, dir_fd=folder)
        # Never readable by more users than the file that it replaces.
        made = os.open(partial, NEW_FILE_FLAGS, 0o600, dir_fd=folder)
        with os.fdopen(made, "wb") as sink:
            sink.write(data)
            sink.flush()
            os.fsync(sink.fileno())
            if owner and os.geteuid() == 0:
                os.fchown(sink.fileno(), *owner)
            os.fchmod(sink.fileno(), mode)
        os.rename(partial, name, src_dir_fd=folder, dst_dir_fd=folder)
    finally:
        with suppress(OSError):
            os.unlink(partial, dir_fd=folder)
        os.close(folder)


def _mode_and_owner(folder: int, name: bytes) -> Tuple[int, Owner]:
    try:
        info = os.stat(name, dir_fd=folder, follow_symlinks=False)
    except FileNotFoundError:
        return 0o644, None
    return stat.S_IMODE(info.st_mode), (info.st_uid, info.st_gid)


def remove_file(path: bytes) -> None:
    """Remove a file; harmless if it does not exist."""
    folder, _, name = path.rpartition(b"/")
    with suppress(FileNotFoundError):
        above = open_root(folder or b"/")
        try:
            os.unlink(name, dir_fd=above)
        finally:
            os.close(above)


def send_file(descriptor: int) -> None:
    """Send a file's size and time in nanoseconds as a line, then its bytes; nothing else
    is read.
    """
    try:
        info = os.fstat(descriptor)
        if not stat.S_ISREG(info.st_mode):
            raise OSError(22, "it is no file")
        sink = sys.stdout.buffer
        sink.write(b"%d %d\n" % (info.st_size, info.st_mtime_ns))
        while True:
            chunk = os.read(descriptor, _CHUNK)
            if not chunk:
                break
            sink.write(chunk)
        sink.flush()
    finally:
        os.close(descriptor)


def main(words: List[str]) -> int:
    """Do what the words say; what went wrong is its number and text on standard error."""
    what, path = words[0], os.fsencode(words[1])
    try:
        if what == "write":
            write_file(path, sys.stdin.buffer.read())
        elif what == "remove":
            remove_file(path)
        elif what == "read":
            send_file(open_listed_file(path))
        else:
            send_file(open_file(path))
    except OSError as error:
        sys.stderr.write("%d %s" % (error.errno or 5, error.strerror))
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))

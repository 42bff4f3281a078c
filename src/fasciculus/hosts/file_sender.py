"""Sends files of a host as a tar stream (pax), each reached by descriptors, through no link.

A program for hosts that have Python 3.7 or later: it is sent there after the text of
``core/bundle/root_path.py``, and runs with nothing but the standard library. Its arguments are the
root and the home that links on the way to it may not leave. Names come on standard input,
``./path``, each ended by a NUL byte. Files that cannot be sent are reported in GNU tar's words.
"""

import os
import stat
import sys
import tarfile
from contextlib import suppress
from typing import BinaryIO, Dict, Iterator, List

from ..core.bundle.inode_flags import read_flags
from ..core.bundle.root_path import FILE_FLAGS, FOLDER_FLAGS, open_root

_CHUNK = 256 * 1024
_MOST_ATTRIBUTES = 1024 * 1024


def send(root: bytes, home: bytes, names: BinaryIO, sink: BinaryIO) -> None:
    """Send the files of the names that come, in that order."""
    folders = _Folders(open_root(root, home))
    for name in _names(names):
        path = name[2:]
        try:
            _send_one(folders, path, sink)
        except OSError as error:
            _complain(path, b"Cannot open: " + os.strerror(error.errno or 5).encode())
    sink.write(bytes(1024))
    sink.flush()


class _Folders:
    """The folders from the root to the last name, open."""

    def __init__(self, root: int) -> None:
        self._root = root
        self._names = []  # type: List[bytes]
        self._open = []  # type: List[int]

    def top(self, names: List[bytes]) -> int:
        """Return the descriptor of a folder."""
        shared = 0
        for mine, theirs in zip(self._names, names):
            if mine != theirs:
                break
            shared += 1
        while len(self._names) > shared:
            self._names.pop()
            os.close(self._open.pop())
        for name in names[shared:]:
            above = self._open[-1] if self._open else self._root
            self._open.append(os.open(name, FOLDER_FLAGS, dir_fd=above))
            self._names.append(name)
        return self._open[-1] if self._open else self._root


def _names(source: BinaryIO) -> Iterator[bytes]:
    rest = b""
    while True:
        chunk = source.read1(_CHUNK)  # type: ignore[attr-defined]
        if not chunk:
            return
        *whole, rest = (rest + chunk).split(b"\0")
        yield from whole


def _send_one(folders: _Folders, path: bytes, sink: BinaryIO) -> None:
    *above, name = path.split(b"/") if path else [b"."]
    folder = folders.top(above)
    info = os.stat(name, dir_fd=folder, follow_symlinks=False)
    descriptor = -1
    if stat.S_ISREG(info.st_mode):
        descriptor = os.open(name, FILE_FLAGS, dir_fd=folder)
        info = os.fstat(descriptor)
    try:
        if descriptor >= 0 and not stat.S_ISREG(info.st_mode):
            raise OSError(2, "it is no file any more")
        place = b"/proc/self/fd/%d/%s" % (folder, name)
        attributes = _attributes(place, descriptor)
        for key in list(attributes):
            if not _is_utf8(key):
                del attributes[key]
                _complain(path, b"an attribute whose name is not UTF-8 is not kept")
        flags = _flags(place, info, descriptor)
        if sum(map(len, attributes.values())) > _MOST_ATTRIBUTES:
            attributes = {}
            _complain(path, b"its attributes have more than 1 MiB and are not kept")
        sink.write(_header(path, info, attributes, flags))
        if descriptor >= 0:
            _send_bytes(path, descriptor, info, sink)
    finally:
        if descriptor >= 0:
            os.close(descriptor)


def _flags(place: bytes, info: os.stat_result, descriptor: int) -> str:
    if descriptor >= 0:
        return read_flags(descriptor)
    if not stat.S_ISDIR(info.st_mode):
        return ""
    with suppress(OSError):
        folder = os.open(place, FOLDER_FLAGS)
        try:
            return read_flags(folder)
        finally:
            os.close(folder)
    return ""


def _header(path: bytes, info: os.stat_result, attributes: Dict[str, bytes], flags: str) -> bytes:
    member = tarfile.TarInfo(_text(b"./" + path if path else b"."))
    member.mode = stat.S_IMODE(info.st_mode)
    kinds = {
        stat.S_IFREG: tarfile.REGTYPE,
        stat.S_IFDIR: tarfile.DIRTYPE,
        stat.S_IFLNK: tarfile.SYMTYPE,
        stat.S_IFIFO: tarfile.FIFOTYPE,
        stat.S_IFCHR: tarfile.CHRTYPE,
        stat.S_IFBLK: tarfile.BLKTYPE,
    }
    member.type = kinds.get(stat.S_IFMT(info.st_mode), tarfile.FIFOTYPE)
    member.size = info.st_size if member.type == tarfile.REGTYPE else 0
    member.devmajor, member.devminor = os.major(info.st_rdev), os.minor(info.st_rdev)
    sign = "-" if info.st_mtime_ns < 0 else ""
    seconds, fraction = divmod(abs(info.st_mtime_ns), 10**9)
    headers = {"mtime": "%s%d.%09d" % (sign, seconds, fraction)}
    for key, value in attributes.items():
        headers["SCHILY.xattr." + key.replace("%", "%25").replace("=", "%3D")] = _text(value)
    if flags:
        headers["SCHILY.fflags"] = flags
    member.pax_headers = headers
    return member.tobuf(tarfile.PAX_FORMAT, "utf-8", "surrogateescape")


def _is_utf8(name: str) -> bool:
    try:
        name.encode()
    except UnicodeEncodeError:
        return False
    return True


def _text(data: bytes) -> str:
    return data.decode("utf-8", "surrogateescape")


def _attributes(place: bytes, descriptor: int) -> Dict[str, bytes]:
    if descriptor >= 0:
        with suppress(OSError):
            return {key: os.getxattr(descriptor, key) for key in os.listxattr(descriptor)}
        return {}
    with suppress(OSError):
        keys = os.listxattr(place, follow_symlinks=False)
        return {key: os.getxattr(place, key, follow_symlinks=False) for key in keys}
    return {}


def _send_bytes(path: bytes, descriptor: int, info: os.stat_result, sink: BinaryIO) -> None:
    """Exactly as many bytes as the header says, filled up with zeros."""
    left = info.st_size
    while left:
        chunk = os.read(descriptor, min(_CHUNK, left))
        if not chunk:
            _complain(path, b"File shrank by %d bytes; padding with zeros" % left)
            break
        sink.write(chunk)
        left -= len(chunk)
    while left:
        sink.write(bytes(min(_CHUNK, left)))
        left -= min(_CHUNK, left)
    sink.write(bytes(-info.st_size % 512))
    after = os.fstat(descriptor)
    if (after.st_size, after.st_mtime_ns) != (info.st_size, info.st_mtime_ns):
        _complain(path, b"file changed as we read it")


def _complain(path: bytes, words: bytes) -> None:
    sys.stderr.buffer.write(b"tar: ./" + path + b": " + words + b"\n")
    sys.stderr.buffer.flush()


def main() -> None:
    """Send what is asked for on standard input."""
    root, home = (os.fsencode(value) for value in sys.argv[1:3])
    try:
        send(root, home, sys.stdin.buffer, sys.stdout.buffer)
    except OSError as error:
        _complain(b"", b"Cannot open: " + str(error.strerror).encode())
        sys.exit(2)


if __name__ == "__main__":
    main()

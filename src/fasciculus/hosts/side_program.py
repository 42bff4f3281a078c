"""Carries out the steps of a restore in place on a host, as the worker asks for them.

A program for hosts that have Python 3.7 or later: it is sent there after the texts of
``core/bundle/root_path.py``, ``core/bundle/inode_flags.py``, ``hosts/local_tree.py``,
``hosts/side_folder.py``, ``hosts/switch.py``, ``hosts/side_restore.py`` and
``hosts/tree_records.py``. Its arguments are the folder, its home and the side folder's name.
Requests come on standard input, one line of JSON each: ``{"do": STEP, …}``; each is answered by one
line of JSON. A step that has begun ends, even if nobody waits for its answer any more.
"""

import base64
import errno
import json
import os
import signal
import sys
from types import SimpleNamespace
from typing import Any, BinaryIO

from .side_restore import SideRestore
from .tree_records import describe

_STEPS = ("make", "remove", "state", "switch", "recover", "changed", "undo", "drop")
_VALUES = ("sets_owners", "path", "free")


def answer(side: SideRestore, request: dict[str, Any], place: dict[str, bytes]) -> Any:
    """Carry out one request, and return its value."""
    what = request["do"]
    if what in _STEPS:
        return getattr(side, what)()
    if what in _VALUES:
        return getattr(side, what)
    if what == "journal":
        return side.add_to_journal(base64.b64decode(request["data"]))
    if what == "owner":
        return side.owner_of(SimpleNamespace(**request["like"]))
    if what == "describe":
        path = base64.b64decode(request["path"])
        found = describe(place["root"], place["home"], path)
        return None if found is None else base64.b64encode(found).decode()
    raise OSError(errno.ENOSYS, "this is not known: " + what)


def serve(root: bytes, home: bytes, name: bytes, source: BinaryIO, sink: BinaryIO) -> None:
    """Answer requests until there are no more."""
    side = SideRestore(root, home, name)
    place = {"root": root, "home": home}
    for line in iter(source.readline, b""):
        try:
            found: dict[str, Any] = {"value": answer(side, json.loads(line), place)}
        except OSError as error:
            found = {"errno": error.errno or errno.EIO, "text": error.strerror or str(error)}
        sink.write(json.dumps(found).encode() + b"\n")
        sink.flush()


def main() -> int:
    """Serve the folder that the command names."""
    # A connection that is lost must not end a switch in the middle.
    signal.signal(signal.SIGHUP, signal.SIG_IGN)
    root, home, name = map(os.fsencode, sys.argv[1:4])
    serve(root, home, name, sys.stdin.buffer, sys.stdout.buffer)
    return 0


if __name__ == "__main__":
    sys.exit(main())

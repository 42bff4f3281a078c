"""Writes restored entries on a host, as the worker sends them.

A program for hosts that have Python 3.7 or later: it is sent there after the texts of
``core/bundle/root_path.py``, ``core/bundle/inode_flags.py`` and ``hosts/local_tree.py``. Its
argument is the folder that is filled. Requests come on standard input, one line of JSON each:
``{"do": METHOD, "path": BASE64, "like": ENTRY}``; the contents of a file follow in chunks, each a
line with its length and its bytes, until a line ``0`` (whole) or ``-1`` (given up). Each request
is answered by one line of JSON.
"""

import base64
import errno
import json
import os
import sys
from contextlib import suppress
from types import SimpleNamespace
from typing import Any, BinaryIO, Dict, Iterator

from .local_tree import LocalTree


class Aborted(Exception):
    """The contents of a file did not arrive whole."""


def serve(tree: LocalTree, source: BinaryIO, sink: BinaryIO) -> None:
    """Answer requests until there are no more."""
    for line in iter(source.readline, b""):
        request = json.loads(line)
        try:
            answer: Dict[str, Any] = {"value": _done(tree, request, source)}
        except Aborted:
            answer = {"value": None}
        except OSError as error:
            answer = {"errno": error.errno or errno.EIO, "text": error.strerror or str(error)}
        except (ValueError, OverflowError) as error:
            answer = {"errno": errno.EINVAL, "text": str(error)}
        sink.write(json.dumps(answer).encode() + b"\n")
        sink.flush()


def _done(tree: LocalTree, request: Dict[str, Any], source: BinaryIO) -> Any:
    path = base64.b64decode(request.get("path", ""))
    what = request["do"]
    if what in ("create_file", "replace_file"):
        return _write(tree, what, path, _like(request["like"]), source)
    if what == "notes":
        unset = [[os.fsdecode(path), key, why] for path, key, why in tree.unset]
        return {"owners": tree.unknown_owners, "unset": unset}
    if what in ("link", "relink"):
        return getattr(tree, what)(base64.b64decode(request["first"]), path)
    if what == "link_live":
        root, home, first = (base64.b64decode(request[key]) for key in ("root", "home", "first"))
        return tree.link_live(root, home, first, path, request["size"], request["mtime_ns"])
    if what in ("make_folder", "holds", "drop"):
        return getattr(tree, what)(path)
    if what == "set_flags":
        return tree.set_flags(path, request["flags"])
    if what in ("create_node", "replace_node", "finish_folder"):
        return getattr(tree, what)(path, _like(request["like"]))
    raise OSError(errno.ENOSYS, "this is not known: " + what)


def _write(tree: LocalTree, what: str, path: bytes, like: Any, source: BinaryIO) -> None:
    chunks = _chunks(source)
    try:
        getattr(tree, what)(path, chunks, like)
    except OSError:
        # What is still on its way belongs to this file.
        with suppress(Aborted):
            for _ in chunks:
                pass
        raise


def _chunks(source: BinaryIO) -> Iterator[bytes]:
    while True:
        size = int(source.readline() or b"-1")
        if size == 0:
            return
        if size < 0:
            raise Aborted
        left = size
        while left:
            data = source.read(min(left, 1 << 20))
            if not data:
                raise Aborted
            left -= len(data)
            yield data


def _like(sent: Dict[str, Any]) -> Any:
    return SimpleNamespace(
        type=sent["type"],
        mode=sent["mode"],
        uid=sent["uid"],
        gid=sent["gid"],
        user=sent["user"],
        group=sent["group"],
        mtime_ns=sent["mtime_ns"],
        target=base64.b64decode(sent["target"]),
        rdev=tuple(sent["rdev"]),
        xattrs={key: base64.b64decode(value) for key, value in sent["xattrs"].items()},
    )


def main() -> int:
    """Fill the folder that the command names; what went wrong at first is on standard output."""
    try:
        tree = LocalTree(os.fsencode(sys.argv[1]))
    except OSError as error:
        answer = {"errno": error.errno or errno.EIO, "text": error.strerror or str(error)}
        sys.stdout.write(json.dumps(answer) + "\n")
        return 1
    sys.stdout.write(json.dumps({"value": tree.sets_owners}) + "\n")
    sys.stdout.flush()
    serve(tree, sys.stdin.buffer, sys.stdout.buffer)
    return 0


if __name__ == "__main__":
    sys.exit(main())

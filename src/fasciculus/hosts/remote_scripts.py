"""Our scripts that run on hosts with Python, without installation."""

from __future__ import annotations

import errno
import os
import re
import shlex
from functools import lru_cache
from importlib.resources import files

#: Files of this package that a program needs before its own text.
_NEEDED = {
    "tree_program.py": ("local_tree.py",),
    "tree_lister.py": ("tree_records.py",),
    "side_program.py": (
        "local_tree.py",
        "side_folder.py",
        "switch_folders.py",
        "flag_log.py",
        "switch.py",
        "side_restore.py",
        "tree_records.py",
    ),
}


@lru_cache(maxsize=8)
def program_text(name: str) -> str:
    """Return a script of this package for a host, as one text without our imports."""
    places = [
        ("core.bundle", "root_path.py"),
        ("core.bundle", "inode_flags.py"),
        *(("hosts", needed) for needed in _NEEDED.get(name, ())),
        ("hosts", name),
    ]
    texts = [
        files(f"fasciculus.{package}").joinpath(file).read_text("utf-8") for package, file in places
    ]
    # Docstrings are for who reads it here.
    whole = re.sub(r'(?s)"""(.*?)"""', '""', "\n".join(texts))
    return re.sub(r"(?m)^from \.\S* import (?:\([^)]*\)|.*)\n", "", whole)


def program(name: str, *words: str) -> str:
    """Return the command that runs such a program."""
    return " ".join(map(shlex.quote, ["python3", "-I", "-c", program_text(name), *words]))


def error_of(said: bytes, path: bytes) -> OSError:
    """Return the error reported by a script on the host."""
    number, _, text = said.decode("utf-8", "replace").partition(" ")
    code = int(number) if number.isdecimal() else errno.EIO
    return OSError(code, text.strip() or "it could not be read", os.fsdecode(path))

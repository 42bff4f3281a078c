"""Functions that were compiled with the package; each has an equivalent in Python.

They are plain C in a shared library, called through ``ctypes``: without Python's headers, one
library serves every version of Python, and a call leaves the interpreter to other threads.
"""

from __future__ import annotations

import ctypes
from functools import cache
from pathlib import Path

_FILE = "fasciculus.so"
_POINTER, _LENGTH = ctypes.c_void_p, ctypes.c_uint64
_ARGUMENTS = {
    "write_rows": (_POINTER, _POINTER, _LENGTH, _POINTER, _LENGTH),
    "states_unchanged": (ctypes.c_int, ctypes.c_char_p, _LENGTH, ctypes.c_char_p, _LENGTH),
}


@cache
def library() -> ctypes.CDLL | None:
    """Return the library; None where it was not built, or for another kind of machine."""
    try:
        found = ctypes.CDLL(str(Path(__file__).with_name(_FILE)))
        for name, types in _ARGUMENTS.items():
            getattr(found, name).argtypes = types
    except (OSError, AttributeError):
        return None
    return found

"""Functions that were compiled with the package, and a Python twin beside each.

They are plain C in a shared library, called through ``ctypes``: without Python's headers, one
library serves every version of Python, and a call leaves the interpreter to other threads.
"""

from __future__ import annotations

import ctypes
from functools import cache
from pathlib import Path

_FILE = "fasciculus.so"


@cache
def library() -> ctypes.CDLL | None:
    """Return the library; None where it was not built, or for another kind of machine."""
    try:
        return ctypes.CDLL(str(Path(__file__).with_name(_FILE)))
    except OSError:
        return None

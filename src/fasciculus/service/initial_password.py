"""The administrator's initial password, also after a reset: used once, then replaced.

It is printed to a terminal and written to a file in the home that only its owner can read; never to
a log, which is stored and forwarded. The file is removed when the password is replaced.
"""

from __future__ import annotations

import os
import secrets
import sys
from pathlib import Path

from ..core.bundle.root_path import NEW_FILE_FLAGS

ADMINISTRATOR = "administrator"


def password_file(home: Path) -> Path:
    """Return the path of the password until it is used."""
    return home / "initial-password"


def make_password(home: Path) -> str:
    """Return a new initial password, in its file; to be called before it is valid, so that it is
    never lost.
    """
    password = secrets.token_urlsafe(12)
    path = password_file(home)
    partial = path.with_suffix(".part")
    partial.unlink(missing_ok=True)
    with os.fdopen(os.open(partial, NEW_FILE_FLAGS, 0o600), "w") as sink:
        sink.write(password + "\n")
        sink.flush()
        os.fsync(sink.fileno())
    partial.rename(path)
    return password


def tell(home: Path, password: str = "") -> None:
    """Print where the password is, and to a terminal the password itself."""
    path = password_file(home)
    if not path.exists():
        return
    if sys.stderr.isatty() and password:
        what = f"the initial password: {password} (also in {path})"
    else:
        what = f"the initial password in {path}"
    print(f"Sign in as “{ADMINISTRATOR}” with {what}", file=sys.stderr, flush=True)


def forget(home: Path) -> None:
    """Remove the initial password after use."""
    password_file(home).unlink(missing_ok=True)
    # Its name in the version before.
    (home / "one-time-password").unlink(missing_ok=True)

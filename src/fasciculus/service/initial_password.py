"""The administrator's first password, and the one after it was lost: used once, then replaced.

It goes to a terminal, and to a file in the home that only its owner reads; never to a log, which is
kept and sent on. The file goes when the password was replaced.
"""

from __future__ import annotations

import os
import secrets
import sys
from pathlib import Path

from ..core.bundle.root_path import NEW_FILE_FLAGS

ADMINISTRATOR = "administrator"


def password_file(home: Path) -> Path:
    """Return where the password lies until it was used."""
    return home / "one-time-password"


def make_password(home: Path) -> str:
    """Return a new one-time password, in its file; to be called before it is valid, so that it is
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
    """Say where the password is, and to a terminal what it is."""
    path = password_file(home)
    if not path.exists():
        return
    if sys.stderr.isatty() and password:
        what = f"the one-time password: {password} (also in {path})"
    else:
        what = f"the one-time password in {path}"
    print(f"Sign in as “{ADMINISTRATOR}” with {what}", file=sys.stderr, flush=True)


def forget(home: Path) -> None:
    """Remove the initial password after use."""
    password_file(home).unlink(missing_ok=True)

"""The token that the command line keeps between commands."""

from __future__ import annotations

import os
from pathlib import Path


def token_file() -> Path:
    """Return the path of the token that ``sign-in`` stores."""
    base = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    return Path(base) / "fasciculus" / "token"


def use_kept_token() -> None:
    """Use the stored token if the environment has none."""
    if not os.environ.get("FASCICULUS_TOKEN") and token_file().is_file():
        os.environ["FASCICULUS_TOKEN"] = token_file().read_text("utf-8").strip()


def keep_token(token: str) -> Path:
    """Store the token for later commands, readable for its user only; return its file."""
    path = token_file()
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w") as sink:
        os.fchmod(sink.fileno(), 0o600)
        sink.write(token + "\n")
    return path

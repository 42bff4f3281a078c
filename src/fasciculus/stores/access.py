"""Access that the owner of a drive gives in a browser, and its tokens.

They are kept encrypted, in one file that all workers share.

A server may exchange the refresh token at each use. So a refresh holds the file's lock, and uses
tokens that another process has refreshed meanwhile.
"""

from __future__ import annotations

import base64
import fcntl
import json
import os
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from cryptography.fernet import Fernet


@dataclass(frozen=True, slots=True)
class Tokens:
    """An access token, until when it is good (seconds since 1970), and what renews it."""

    access: str
    refresh: str
    expires_at: float


@dataclass(frozen=True, slots=True)
class DeviceRequest:
    """The step for the owner of a drive: open ``address`` and confirm ``user_code``.

    ``interval`` and ``seconds`` are how often to ask, and for how long it is worth it.
    """

    address: str
    user_code: str
    device_code: str
    interval: int
    seconds: int


@dataclass(frozen=True, slots=True)
class TokenFile:
    """A file of tokens, and the 32 bytes of the key that it is encrypted with."""

    path: Path
    key: bytes

    def load(self) -> Tokens | None:
        """Return the tokens; None if there are none, or if another key has encrypted them."""
        from cryptography.fernet import InvalidToken

        try:
            return Tokens(**json.loads(self._cipher.decrypt(self.path.read_bytes())))
        except (OSError, InvalidToken, ValueError, TypeError):
            return None

    def save(self, tokens: Tokens) -> None:
        """Replace the file."""
        self.path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        partial = self.path.with_suffix(".part")
        descriptor = os.open(partial, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o600)
        with os.fdopen(descriptor, "wb") as sink:
            sink.write(self._cipher.encrypt(json.dumps(asdict(tokens)).encode()))
        partial.rename(self.path)

    def remove(self) -> None:
        """Forget the tokens; harmless when there are none."""
        self.path.unlink(missing_ok=True)

    def renewed(self, stale: Tokens, renew: Callable[[str], Tokens]) -> Tokens:
        """Tokens that are good now: those that another process has, or what ``renew`` brings."""
        self.path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        lock = os.open(self.path.with_suffix(".lock"), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            fcntl.flock(lock, fcntl.LOCK_EX)
            found = self.load()
            if found is not None and found != stale and found.expires_at > time.time():
                return found
            tokens = renew((found or stale).refresh)
            self.save(tokens)
            return tokens
        finally:
            with suppress(OSError):
                os.close(lock)

    @property
    def _cipher(self) -> Fernet:
        from cryptography.fernet import Fernet

        return Fernet(base64.urlsafe_b64encode(self.key))

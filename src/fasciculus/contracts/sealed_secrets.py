"""Secrets in orders: sealed to the worker that takes the order."""

from __future__ import annotations

import base64

import msgspec
import pyrage
from pyrage import x25519


class Secret(str):
    """A password or a private key in an order; it is never written in the clear."""

    def __repr__(self) -> str:
        return "<Secret>"


class WorkerIdentity:
    """The private key of a worker, a new one unless ``key`` has it; ``recipient`` is its public
    key. Both are as age writes them.
    """

    def __init__(self, key: str = "") -> None:
        self._identity = x25519.Identity.from_str(key) if key else x25519.Identity.generate()
        self.recipient = str(self._identity.to_public())

    @property
    def key(self) -> str:
        """Return the private key."""
        return str(self._identity)

    def opened(self, sealed: str) -> list[Secret]:
        """Return the secrets that were sealed to this worker. Raises ``ValueError``."""
        if not sealed:
            return []
        try:
            plain = pyrage.decrypt(base64.b64decode(sealed), [self._identity])
            return [Secret(text) for text in msgspec.json.decode(plain, type=list[str])]
        except pyrage.DecryptError as error:
            raise ValueError("the secrets of the order are sealed to another worker") from error


def seal(secrets: list[str], recipient: str) -> str:
    """Return secrets as text that only the worker of this public key can open."""
    if not secrets:
        return ""
    plain = msgspec.json.encode(secrets)
    sealed = pyrage.encrypt(plain, [x25519.Recipient.from_str(recipient)])
    return base64.b64encode(sealed).decode()

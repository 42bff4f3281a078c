"""Keys that bundles are sealed to."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import Field

from .model import Model
from .texts import checked


def _recipient(value: str) -> str:
    value = value.strip()
    if value.startswith(("ssh-", "ecdsa-", "sk-")):
        raise ValueError("Bundles are sealed to age keys alone, not to those of SSH.")
    if not (value.startswith("age1") and value.isascii() and value.isalnum() and len(value) == 62):
        raise ValueError("A public key begins with “age1” and has 62 letters and digits.")
    return value


#: A public key of age (age-encryption.org/v1, X25519).
Recipient = Annotated[str, checked(_recipient)]


class SealKey(Model):
    """A private key that the service keeps; it is never given back. ``others`` are the public keys
    of those that came in the same file."""

    recipient: str
    note: str = ""
    added: datetime
    others: list[str] = []


class KeyMake(Model):
    """Make a pair of keys; with ``keep``, the service keeps the private one to read with."""

    note: str = Field(default="", max_length=200)
    keep: bool = False


class KeyKeep(Model):
    """A private key for the service to keep, ``AGE-SECRET-KEY-1…``, or a file of several."""

    identity: str = Field(min_length=1, max_length=20_000, repr=False)
    note: str = Field(default="", max_length=200)


class KeyMade(Model):
    """A new pair of keys. The private one is shown this once; ``sheet`` is a page to print, with
    all that is needed to open bundles by hand."""

    recipient: str
    identity: str
    kept: bool
    sheet: str

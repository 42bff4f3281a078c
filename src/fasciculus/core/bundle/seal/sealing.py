"""Sealing files to public keys, as age files (age-encryption.org/v1)."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from pathlib import Path
from typing import BinaryIO

import pyrage
from pyrage import x25519

from ...errors import SettingError

_WANTED_IDENTITY = (
    "Give the line that begins with AGE-SECRET-KEY-1, as on the recovery sheet, or the file that "
    "has it."
)
#: How keys begin that nothing here is sealed to, and what they are.
_OTHER_IDENTITIES = {
    "-----BEGIN": "a private key of SSH or of a certificate",
    "AGE-PLUGIN-": "a key that a plugin of age holds",
    "AGE-SECRET-KEY-PQ-": "a key of a later kind of age",
}


class Sealer:
    """Seals files so that any of some private keys opens them; it needs none itself.

    Raises ``SettingError`` for what is no public key.
    """

    def __init__(self, recipients: Sequence[str]) -> None:
        self.recipients = list(recipients)
        self._keys = [_recipient(text) for text in recipients]

    def seal(self, source: Path, target: Path) -> tuple[int, str]:
        """Write a file sealed; the bytes and the SHA-256 of what was written."""
        with source.open("rb") as raw, target.open("wb") as sink:
            digested = _Digested(sink)
            # Our reader, which lets other threads run between two chunks.
            pyrage.encrypt_io(_Chunks(raw), digested, self._keys)
        return digested.bytes, digested.digest.hexdigest()


class _Chunks:
    def __init__(self, raw: BinaryIO) -> None:
        self._raw = raw

    def read(self, count: int = -1) -> bytes:
        return self._raw.read(count)


class _Digested:
    def __init__(self, sink: BinaryIO) -> None:
        self._sink, self.digest, self.bytes = sink, hashlib.sha256(), 0

    def write(self, data: bytes) -> int:
        self.digest.update(data)
        self.bytes += len(data)
        return self._sink.write(data)

    def flush(self) -> None:
        self._sink.flush()


def _recipient(text: str) -> x25519.Recipient:
    try:
        return x25519.Recipient.from_str(text.strip())
    except pyrage.RecipientError as error:
        if text.strip().startswith(("ssh-", "ecdsa-", "sk-")):
            raise SettingError(
                "That is a public key of SSH: bundles are sealed to age keys alone.",
                "fasciculus keys make makes a pair.",
                field="recipients",
            ) from error
        raise SettingError(
            f"“{text[:80]}” is no public key.",
            "Give one that begins with “age1”; fasciculus keys make makes a pair.",
            field="recipients",
        ) from error


def identities_of(text: str) -> list[str]:
    """Return the private keys in a key file: one a line; lines with “#” are comments.

    The form is that of the age programs. Raises ``SettingError`` for a line that is no key, and by
    name for keys of SSH and of plugins, which bundles are never sealed to.
    """
    lines = [line.strip() for line in text.splitlines()]
    keys = [line for line in lines if line and not line.startswith("#")]
    if not keys:
        raise SettingError("There is no private key in it.", _WANTED_IDENTITY, field="identity")
    for key in keys:
        for begins, what in _OTHER_IDENTITIES.items():
            if key.startswith(begins):
                raise SettingError(
                    f"That is {what}: bundles are never sealed to such keys.",
                    _WANTED_IDENTITY,
                    field="identity",
                )
        recipient_of(key)
    return keys


def make_identity() -> tuple[str, str]:
    """Return a new pair of keys: the private one (the identity) and the public one (the
    recipient).
    """
    identity = x25519.Identity.generate()
    return str(identity), str(identity.to_public())


def recipient_of(identity: str) -> str:
    """Return the public key of a private one. Raises ``SettingError``."""
    try:
        return str(x25519.Identity.from_str(identity.strip()).to_public())
    except pyrage.IdentityError as error:
        raise SettingError(
            "That is no private key.",
            _WANTED_IDENTITY,
            field="identity",
        ) from error

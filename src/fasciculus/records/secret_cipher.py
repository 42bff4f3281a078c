"""Secrets at rest: encrypted with a key file outside the records."""

from __future__ import annotations

import base64
import json
import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from ..core.errors import FasciculusError


class SecretCipher:
    """Encrypts small sets of named secrets (Fernet: AES-128-CBC with HMAC-SHA256)."""

    def __init__(self, key_file: Path) -> None:
        self._path = key_file
        key_file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        if not key_file.exists():
            partial = key_file.with_suffix(".part")
            descriptor = os.open(partial, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(descriptor, "wb") as sink:
                sink.write(Fernet.generate_key() + b"\n")
            partial.rename(key_file)
        self.key = read_key(key_file)
        self._fernet = Fernet(self.key)

    def derived_key(self, purpose: str) -> bytes:
        """Return a key of 32 bytes for another purpose than secrets (HKDF, RFC 5869)."""
        own = base64.urlsafe_b64decode(self.key)
        return HKDF(hashes.SHA256(), 32, salt=None, info=purpose.encode()).derive(own)

    def encrypt(self, secrets: dict[str, str]) -> str | None:
        """Return the secrets encrypted, None when there are none."""
        if not secrets:
            return None
        return self._fernet.encrypt(json.dumps(secrets).encode()).decode()

    def decrypt(self, sealed: str | None) -> dict[str, str]:
        """Return the secrets out of what :meth:`encrypt` made."""
        if not sealed:
            return {}
        try:
            opened: dict[str, str] = json.loads(self._fernet.decrypt(sealed.encode()))
        except InvalidToken as error:
            raise FasciculusError(
                f"The key {self._path} does not open the stored secrets.",
                "Bring back the key file that belongs to these records, "
                "or enter the passwords again.",
            ) from error
        return opened


def read_key(path: Path) -> bytes:
    """Return the key in a file. Raises :class:`FasciculusError` if there is none."""
    try:
        key = path.read_bytes().strip()
        Fernet(key)
    except (OSError, ValueError) as error:
        raise FasciculusError(
            f"The key in {path} is missing or damaged: without it neither the passwords in the "
            "records nor copies of the records can be read.",
            "Bring that file back from where you keep a copy of it; or make a new one (fasciculus "
            "admin new-key) and enter the passwords of hosts, stores and the mail server again.",
        ) from error
    return key


def merged(old: dict[str, str], new: dict[str, str | None]) -> dict[str, str]:
    """Secrets after a change: None keeps one, an empty text removes it."""
    changed = {**old, **{key: value for key, value in new.items() if value is not None}}
    return {key: value for key, value in changed.items() if value}

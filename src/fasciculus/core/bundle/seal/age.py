"""Reading age files (age-encryption.org/v1) from any place in them.

They are written by the package, which reads only whole files, while one file from a piece needs
only a part of it. The payload is cut into chunks of 64 KiB, each sealed by itself.
"""

from __future__ import annotations

import base64
import binascii
import hmac
import io
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey, X25519PublicKey
from cryptography.hazmat.primitives.ciphers.aead import ChaCha20Poly1305
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from msgspec import Struct

from ...errors import DamagedError, SettingError
from ..layout import SUFFIX

if TYPE_CHECKING:
    from ..reader import RangeSource

_INTRO = b"age-encryption.org/v1"
_X25519 = b"age-encryption.org/v1/X25519"
_CHUNK = 64 * 1024
_TAG = 16
_NONCE = 16
#: A header has a few lines for each key; a longer one is not ours.
_MOST_HEADER = 64 * 1024
_FIRST_READ = 4096
_ALPHABET = "qpzry9x8gf2tvdw0s3jn54khce6mua7l"
_PREFIX = "age-secret-key-"


class NoKeyError(SettingError):
    """A sealed file, and none of its private keys at hand."""

    def __init__(self, name: str) -> None:
        super().__init__(
            f"{name} is sealed, and none of its private keys is at hand.",
            "Give one (--key-file), or keep it with the service: fasciculus keys keep.",
            field="identity",
        )


class PayloadKey(Struct, frozen=True):
    """The key of a file's payload, and where that begins."""

    key: bytes
    begin: int


def private_key(identity: str) -> X25519PrivateKey:
    """Return the key of an identity, ``AGE-SECRET-KEY-1…`` (Bech32, BIP 173). Raises
    ``SettingError``.
    """
    text = identity.strip()
    prefix, mark, data = text.lower().rpartition("1")
    values = [_ALPHABET.find(letter) for letter in data]
    if (
        text not in (text.upper(), text.lower())
        or not mark
        or prefix != _PREFIX
        or min(values, default=-1) < 0
        or len(values) < 6
        or _polymod([*(ord(c) >> 5 for c in prefix), 0, *(ord(c) & 31 for c in prefix), *values])
        != 1
    ):
        raise _no_identity()
    number, bits, out = 0, 0, bytearray()
    for value in values[:-6]:
        number, bits = (number << 5 | value) & 0xFFF, bits + 5
        if bits >= 8:
            bits -= 8
            out.append(number >> bits & 0xFF)
    if len(out) != 32:
        raise _no_identity()
    return X25519PrivateKey.from_private_bytes(bytes(out))


def _no_identity() -> SettingError:
    return SettingError(
        "That is no private key.",
        "Give the line that begins with AGE-SECRET-KEY-1, as on the recovery sheet.",
        field="identity",
    )


def _polymod(values: Sequence[int]) -> int:
    check = 1
    for value in values:
        top = check >> 25
        check = (check & 0x1FFFFFF) << 5 ^ value
        for bit, generator in enumerate(
            (0x3B6A57B2, 0x26508E6D, 0x1EA119FA, 0x3D4233DD, 0x2A1462B3)
        ):
            check ^= generator if top >> bit & 1 else 0
    return check


def _derived(secret: bytes, salt: bytes | None, info: bytes) -> bytes:
    return HKDF(hashes.SHA256(), 32, salt=salt, info=info).derive(secret)


def payload_key(head: bytes, name: str, identities: Sequence[str]) -> PayloadKey | None:
    """Return the key of a file out of its first bytes; None when more of them are needed.

    Raises ``NoKeyError`` when no identity opens it, and ``DamagedError`` for what is no age file.
    """
    end = head.find(b"\n--- ")
    line_end = head.find(b"\n", end + 1) if end >= 0 else -1
    if line_end < 0 or len(head) < line_end + 1 + _NONCE:
        if not head.startswith(_INTRO[: len(head)]) or len(head) >= _MOST_HEADER:
            raise DamagedError(f"{name} is no age file.")
        return None
    lines = head[:end].split(b"\n")
    if lines[0] != _INTRO:
        raise DamagedError(f"{name} is no age file of version 1.")
    file_key = _file_key(lines[1:], identities)
    if file_key is None:
        raise NoKeyError(name)
    mac_key = _derived(file_key, None, b"header")
    mac = hmac.digest(mac_key, head[: end + 4], "sha256")
    if not hmac.compare_digest(_bytes(head[end + 5 : line_end]) or b"", mac):
        raise DamagedError(f"The header of {name} was altered.")
    begin = line_end + 1 + _NONCE
    return PayloadKey(_derived(file_key, head[line_end + 1 : begin], b"payload"), begin)


def _file_key(lines: Sequence[bytes], identities: Sequence[str]) -> bytes | None:
    """Return the file's key, unwrapped by the first identity that one of the stanzas is for."""
    keys = [private_key(identity) for identity in identities]
    for number, line in enumerate(lines):
        words = line.split(b" ")
        if words[:2] != [b"->", b"X25519"] or len(words) != 3 or number + 1 >= len(lines):
            continue
        share, body = _bytes(words[2]), _bytes(lines[number + 1])
        if share is None or body is None or len(share) != 32 or len(body) != 32:
            continue
        for key in keys:
            own = key.public_key().public_bytes(Encoding.Raw, PublicFormat.Raw)
            try:
                shared = key.exchange(X25519PublicKey.from_public_bytes(share))
                wrap = _derived(shared, share + own, _X25519)
                return ChaCha20Poly1305(wrap).decrypt(bytes(12), body, None)
            except (InvalidTag, ValueError):
                continue
    return None


def _bytes(text: bytes) -> bytes | None:
    try:
        return base64.b64decode(text + b"=" * (-len(text) % 4), validate=True)
    except (binascii.Error, ValueError):
        return None


class UnsealedSource:
    """A source that opens age files while reading; other files are read unchanged."""

    def __init__(self, source: RangeSource, identities: Sequence[str]) -> None:
        self._source, self._identities = source, identities
        self._keys: dict[str, PayloadKey] = {}

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes."""
        if not path.endswith(SUFFIX):
            return self._source.open(path, offset, length)
        key = self._keys.get(path) or self._key_of(path)
        chunk = offset // _CHUNK
        begin = key.begin + chunk * (_CHUNK + _TAG)
        count = None
        if length is not None:
            count = (-(-(offset + length) // _CHUNK) - chunk) * (_CHUNK + _TAG)
        stream = self._source.open(path, begin, count)
        raw = _Payload(stream, path, key.key, chunk, offset - chunk * _CHUNK, length)
        return io.BufferedReader(raw, _CHUNK)

    def _key_of(self, path: str) -> PayloadKey:
        name, wanted = path.rpartition("/")[2], _FIRST_READ
        while True:
            with self._source.open(path, 0, wanted) as stream:
                head = b"".join(iter(partial(stream.read, wanted), b""))
            found = payload_key(head, name, self._identities)
            if found is not None:
                self._keys[path] = found
                return found
            if len(head) < wanted:
                raise DamagedError(f"{name} ends too early.")
            wanted = min(wanted * 4, _MOST_HEADER)


class _Files:
    """Files of this machine, as a source."""

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        file = io.BufferedReader(io.FileIO(path))
        file.seek(offset)
        return file


def open_sealed(path: Path, identities: Sequence[str]) -> BinaryIO:
    """Return what is sealed in an age file of this machine.

    Raises ``NoKeyError`` and ``DamagedError``, the latter while it is read too.
    """
    return UnsealedSource(_Files(), identities).open(str(path))


class _Payload(io.RawIOBase):
    """The contents of a payload from some chunk on."""

    def __init__(
        self, stream: BinaryIO, path: str, key: bytes, chunk: int, skip: int, length: int | None
    ) -> None:
        self._stream, self._name = stream, path.rpartition("/")[2]
        self._cipher, self._number = ChaCha20Poly1305(key), chunk
        self._skip, self._left = skip, length
        self._rest, self._ended = b"", False

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        if self._left == 0:
            return 0
        while not self._rest and not self._ended:
            self._rest = self._next()[self._skip :]
            self._skip = 0
        count = min(len(buffer), len(self._rest))
        if self._left is not None:
            count = min(count, self._left)
            self._left -= count
        buffer[:count] = self._rest[:count]
        self._rest = self._rest[count:]
        return count

    def _next(self) -> bytes:
        parts, left = [], _CHUNK + _TAG
        while left and (part := self._stream.read(left)):
            parts.append(part)
            left -= len(part)
        sealed = b"".join(parts)
        if not sealed:
            # A payload ends with a chunk that says so; without it, its end was cut off.
            raise DamagedError(f"{self._name} ends too early.")
        number, self._number = self._number.to_bytes(11, "big"), self._number + 1
        for last in (b"\0", b"\1") if not left else (b"\1",):
            try:
                found = self._cipher.decrypt(number + last, sealed, None)
            except InvalidTag:
                continue
            self._ended = last == b"\1"
            if self._ended and self._stream.read(1):
                break
            return found
        raise DamagedError(f"{self._name} was altered, or is not sealed with that key.")

    def close(self) -> None:
        if not self.closed:
            self._stream.close()
        super().close()

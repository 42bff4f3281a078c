"""Sealed files: age files that any of their keys opens, from any position."""

from __future__ import annotations

import hashlib
import io
from pathlib import Path
from typing import Any

import pyrage
import pytest

from fasciculus.core.bundle.seal import age
from fasciculus.core.bundle.seal.age import UnsealedSource, open_sealed
from fasciculus.core.bundle.seal.sealing import Sealer, make_identity, recipient_of
from fasciculus.core.errors import DamagedError, SettingError

CHUNK = 64 * 1024


@pytest.fixture(scope="module")
def keys() -> list[Any]:
    return [make_identity() for _ in range(3)]


@pytest.fixture(params=[0, 1, CHUNK - 1, CHUNK, CHUNK + 1, 3 * CHUNK, 3 * CHUNK + 77])
def sealed(request: pytest.FixtureRequest, tmp_path: Path, keys: list[Any]) -> Any:
    """A file that is sealed to two of three keys, and what is in it."""
    text = bytes(number * 7 % 251 for number in range(request.param))
    (tmp_path / "plain").write_bytes(text)
    target = tmp_path / "piece.age"
    count, digest = Sealer([public for _, public in keys[:2]]).seal(tmp_path / "plain", target)
    data = target.read_bytes()
    assert (count, digest) == (len(data), hashlib.sha256(data).hexdigest())
    return target, text


class Memory:
    """Files in memory, read as from a store; ``most`` is how much one reading gives."""

    def __init__(self, files: Any, most: Any = None) -> None:
        self.files, self.most, self.read = files, most, 0

    def open(self, path: Any, offset: Any = 0, length: Any = None) -> Any:
        end = None if length is None else offset + length
        data = self.files[path][offset:end]
        self.read += len(data)
        return _Short(data, self.most) if self.most else io.BytesIO(data)


class _Short(io.BytesIO):
    def __init__(self, data: Any, most: Any) -> None:
        super().__init__(data)
        self._most = most

    def read(self, count: Any = -1) -> Any:
        return super().read(self._most if count < 0 else min(count, self._most))


def test_each_of_its_keys_opens_it_and_no_other(sealed: Any, keys: Any) -> None:
    target, text = sealed
    for identity, _ in keys[:2]:
        with open_sealed(target, [keys[2][0], identity]) as stream:
            assert stream.read() == text
        assert pyrage.decrypt(target.read_bytes(), [pyrage.x25519.Identity.from_str(identity)]) == (
            text
        )
    with pytest.raises(age.NoKeyError):
        open_sealed(target, [keys[2][0]])


@pytest.mark.parametrize("most", [None, 1000])
def test_any_part_is_read_without_the_rest(sealed: Any, keys: Any, most: Any) -> None:
    target, text = sealed
    data = target.read_bytes()
    for offset in (0, 1, CHUNK - 1, CHUNK, CHUNK + 5, 2 * CHUNK, len(text) - 1):
        if not 0 <= offset < len(text):
            continue
        for length in (1, 10, CHUNK, CHUNK + 3, len(text), None):
            source = Memory({"x/piece.age": data, "x/plain": text}, most)
            opened = UnsealedSource(source, [keys[0][0]])
            with opened.open("x/piece.age", offset, length) as stream:
                end = None if length is None else offset + length
                assert stream.read() == text[offset:end]
            with opened.open("x/plain", offset, length) as stream:
                assert stream.read(5) == text[offset : offset + min(5, length or 5)]
    if len(text) > 3 * CHUNK:
        source = Memory({"piece.age": data})
        with UnsealedSource(source, [keys[0][0]]).open("piece.age", 2 * CHUNK + 5, 10) as stream:
            assert len(stream.read()) == 10
        assert source.read < 2 * CHUNK


def test_what_was_cut_off_or_altered_is_never_given_out(sealed: Any, keys: Any) -> None:
    target, text = sealed
    data = target.read_bytes()
    begin = age.payload_key(data, "piece.age", [keys[0][0]]).begin
    cuts = {begin, begin + 1, len(data) - 1, len(data) - 17, begin + CHUNK + 16}
    wrong = [data[:cut] for cut in cuts if begin <= cut < len(data)]
    wrong += [data[:at] + bytes([data[at] ^ 1]) + data[at + 1 :] for at in (begin, len(data) - 1)]
    wrong.append(data + b"more")
    if len(text) > 2 * CHUNK:
        chunks = data[begin : begin + CHUNK + 16], data[begin + CHUNK + 16 : begin + 2 * CHUNK + 32]
        wrong.append(data[:begin] + chunks[1] + chunks[0] + data[begin + 2 * CHUNK + 32 :])
    for other in wrong:
        source = UnsealedSource(Memory({"piece.age": other}), [keys[0][0]])
        with pytest.raises(DamagedError), source.open("piece.age") as stream:
            stream.read()
    for cut in (0, 10, begin - 1):
        with pytest.raises(DamagedError):
            UnsealedSource(Memory({"piece.age": data[:cut]}), [keys[0][0]]).open("piece.age")


def test_keys_are_a_pair_and_wrong_ones_are_said_at_their_field(keys: list[Any]) -> None:
    identity, public = keys[0]
    assert recipient_of(f" {identity}\n") == public and public.startswith("age1")
    assert Sealer([f" {public} "]).recipients == [f" {public} "]
    for text in ("", "age1", public[:-1], identity):
        with pytest.raises(SettingError, match="is no public key") as refused:
            Sealer([public, text])
        assert refused.value.field == "recipients"
    for text in ("", "AGE-SECRET-KEY-1", public):
        with pytest.raises(SettingError) as refused:
            recipient_of(text)
        assert refused.value.field == "identity"
        assert not text or text not in str(refused.value), "it may be nearly right"

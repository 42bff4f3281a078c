"""Bundles sealed to keys: written without one, read with any, opened by Debian's own program."""

from __future__ import annotations

import os
import subprocess
import threading
from pathlib import Path
from typing import Any

import pytest
from nights import MIB, SUBJECT, NotAll
from trees import picture

from fasciculus.contracts.orders import ResealOrder
from fasciculus.core.bundle.manifest import parse_manifest
from fasciculus.core.bundle.seal.age import UnsealedSource, payload_key
from fasciculus.core.bundle.seal.sealing import Sealer, identities_of, make_identity, recipient_of
from fasciculus.core.errors import DamagedError, FasciculusError, SettingError
from fasciculus.stores import open_store
from fasciculus.worker.maintenance.resealing import ResealTask

ONE, OTHER, STRANGER = (make_identity() for _ in range(3))
BOTH = [ONE[1], OTHER[1]]


@pytest.fixture
def sealed(nights: Any) -> Any:
    """Two nights of a tree, sealed to two keys by a service that has neither."""
    nights.night(seal_to=BOTH)
    (nights.tree / "page.bin").write_bytes(os.urandom(700_000))
    nights.night(seal_to=BOTH)
    return nights


def with_key(nights: Any, *identities: Any) -> Any:
    nights.identities = list(identities)
    return nights


def test_a_store_reveals_no_name_and_no_contents(sealed: Any) -> None:
    attic = sealed.root / "attic"
    for path in attic.rglob("*"):
        if path.is_file():
            data = path.read_bytes()
            # Long texts, since short ones turn up in what is sealed by chance.
            told = [b"page-11.html", b"film.bin", os.fsencode(sealed.tree)]
            assert not any(name in data for name in told), path
            assert path.suffix in (".age", ".json", "")
    first, second = (sealed.manifests[name] for name in sealed.known)
    assert first["sealed_to"] == second["sealed_to"] == BOTH and second["brings"] == "incremental"
    assert sealed.brought() < 800_000, "an incremental one stores what is new alone"


@pytest.mark.parametrize("identity", [ONE[0], OTHER[0]], ids=["one", "other"])
def test_either_key_brings_all_of_it_back_and_no_other_does(sealed: Any, identity: Any) -> None:
    for name in sealed.known:
        assert with_key(sealed, STRANGER[0], identity).restored(name) == sealed.images[name]
    with pytest.raises(FasciculusError, match="none of its private keys is at hand"):
        with_key(sealed, STRANGER[0]).restored(sealed.known[-1])


def test_debians_age_opens_it_with_either_key(sealed: Any, tmp_path: Path) -> None:
    name = sealed.known[0]
    folder = sealed.root / "attic" / SUBJECT.bundle(name)
    checked = subprocess.run(["sha256sum", "-c", "SHA256SUMS"], cwd=folder, capture_output=True)
    assert checked.returncode == 0, checked.stdout
    for identity in (ONE[0], OTHER[0]):
        key, target = tmp_path / "key", tmp_path / identity[-6:]
        key.write_text(identity + "\n")
        target.mkdir()
        for piece in sealed.manifests[name]["pieces"]:
            command = (
                f"age -d -i {key} '{sealed.piece(piece['name'])}' | tar --zstd -xf - -C {target}"
            )
            subprocess.run(["bash", "-o", "pipefail", "-c", command], check=True)
        assert {n for n in picture(target / "files") if b"part-" not in n} >= {
            n for n in sealed.images[name] if b"film" not in n
        }
        listing = subprocess.run(
            f"age -d -i {key} {folder}/listing.jsonl.zst.age | zstd -dc | head -c 60",
            shell=True,
            capture_output=True,
        )
        assert b"{" in listing.stdout, listing


def test_one_file_needs_but_a_stretch_of_its_piece(sealed: Any, tmp_path: Path) -> None:
    plain, wrapped = tmp_path / "plain", tmp_path / "wrapped.age"
    plain.write_bytes(os.urandom(5 * MIB + 17))
    Sealer(BOTH).seal(plain, wrapped)
    data, asked = plain.read_bytes(), []

    class Source:
        def open(self, path: Any, offset: Any = 0, length: Any = None) -> Any:
            asked.append(length)
            file = wrapped.open("rb")
            file.seek(offset)
            return file

    for offset, length in ((0, 1), (65_535, 2), (3 * MIB + 5, 100_000), (5 * MIB, 17)):
        asked.clear()
        source = UnsealedSource(Source(), [OTHER[0]])
        with source.open("wrapped.age", offset, length) as part:
            assert part.read() == data[offset : offset + length]
        assert sum(asked) < length + 3 * 65_552 + 4096
    with UnsealedSource(Source(), [ONE[0]]).open("wrapped.age") as whole:
        assert whole.read() == data


@pytest.mark.parametrize("place", ["head", "middle", "end", "cut", "swapped"])
def test_what_was_altered_is_noticed(tmp_path: Path, place: Any) -> None:
    plain, wrapped = tmp_path / "plain", tmp_path / "wrapped.age"
    plain.write_bytes(os.urandom(300_000))
    Sealer([ONE[1]]).seal(plain, wrapped)
    data = bytearray(wrapped.read_bytes())
    begin = payload_key(bytes(data[:4096]), "x", [ONE[0]]).begin
    chunk = 65_552
    if place == "cut":
        del data[begin + 2 * chunk :]
    elif place == "swapped":
        one, other = data[begin : begin + chunk], data[begin + chunk : begin + 2 * chunk]
        data[begin : begin + 2 * chunk] = other + one
    else:
        data[{"head": begin - 30, "middle": begin + 100_000, "end": -1}[place]] ^= 1
    wrapped.write_bytes(data)

    class Source:
        def open(self, path: Any, offset: Any = 0, length: Any = None) -> Any:
            file = wrapped.open("rb")
            file.seek(offset)
            return file

    with pytest.raises(DamagedError):
        UnsealedSource(Source(), [ONE[0]]).open("wrapped.age").read()


def reseal(nights: Any, recipients: Any, stop: Any = None) -> Any:
    result, _ = nights.maintenance(
        ResealOrder,
        ResealTask if stop is None else lambda o, e, s: ResealTask(o, e, stop),
        seal_to=recipients,
        listings=str(nights.root / "repacked"),
    )
    for name in nights.known:
        for suffix in ("zst", "json"):
            made = nights.root / "repacked" / f"{name}.{suffix}"
            if made.exists():
                made.replace(nights.root / f"{name}.{suffix}")
        data = (nights.root / "attic" / SUBJECT.bundle(name) / "bundle.json").read_bytes()
        nights.manifests[name]["listing_sha256"] = parse_manifest(data).listing_sha256
        nights.manifests[name]["manifest_sha256"] = ""
    return result


def test_what_lies_there_is_sealed_resealed_and_opened_again(nights: Any) -> None:
    nights.night()
    (nights.tree / "page.bin").write_bytes(os.urandom(700_000))
    nights.night()
    pieces = nights.root / "attic" / SUBJECT.pieces

    class AfterOne(threading.Event):
        looks = 0

        def is_set(self) -> Any:
            self.looks += 1
            return self.looks > 1

    assert reseal(nights, [ONE[1]], AfterOne()).entries == 1, "stopped after the first bundle"
    for name in nights.known:
        assert with_key(nights, ONE[0]).restored(name) == nights.images[name]
    assert reseal(nights, [ONE[1]]).entries == 1, "and gone on with the second"
    assert all(path.name.endswith(".tar.zst.age") for path in pieces.iterdir())
    with pytest.raises(SettingError, match="private keys"):
        reseal(with_key(nights), [OTHER[1]])
    assert reseal(with_key(nights, ONE[0]), [OTHER[1]]).entries == 2
    assert all(path.name.endswith(".tar.zst.2.age") for path in pieces.iterdir())
    for name in nights.known:
        assert with_key(nights, OTHER[0]).restored(name) == nights.images[name]
    assert not nights.verify(True)[0], "verifying needs no key"
    assert reseal(nights, []).entries == 2
    for name in nights.known:
        assert with_key(nights).restored(name) == nights.images[name]


def test_a_piece_that_somebody_else_sealed_to_our_key_is_not_taken_for_ours(
    nights: Any, tmp_path: Path
) -> None:
    name = nights.night(seal_to=[ONE[1]]) and nights.known[0]
    pieces = (nights.root / "attic" / SUBJECT.pieces).iterdir()
    piece = max(pieces, key=lambda path: path.stat().st_size)
    (tmp_path / "other").write_bytes(os.urandom(10_000))
    Sealer([ONE[1]]).seal(tmp_path / "other", tmp_path / "other.age")
    piece.unlink()
    piece.write_bytes((tmp_path / "other.age").read_bytes())
    manifest = nights.root / "attic" / SUBJECT.bundle(name) / "bundle.json"
    before = manifest.read_bytes()
    with pytest.raises(DamagedError, match="is damaged"):
        reseal(with_key(nights, ONE[0]), [OTHER[1]])
    assert manifest.read_bytes() == before
    with pytest.raises(NotAll, match="1 entry did not come back"):
        nights.restored(name)


def test_what_is_no_key_is_said() -> None:
    for text in ("age1", "age1" + "q" * 58, ONE[0]):
        with pytest.raises(SettingError, match="no public key"):
            Sealer([text])
    for text in (ONE[1], "AGE-SECRET-KEY-1QQ", ONE[0][:-1] + "q", ""):
        with pytest.raises(SettingError):
            payload_key(b"", "x", [text]) or (UnsealedSource(None, [text]) and recipient_of(text))
    assert recipient_of(ONE[0].lower()) == ONE[1] and open_store  # type: ignore[truthy-function]
    with pytest.raises(SettingError, match="of SSH"):
        Sealer(["ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIK duty@sedge.example"])


def test_the_file_that_age_writes_is_read_and_other_keys_are_refused_by_name(
    tmp_path: Path,
) -> None:
    subprocess.run(["age-keygen", "-o", str(tmp_path / "one")], check=True, capture_output=True)
    written = (tmp_path / "one").read_text()
    assert written.startswith("# created:")
    (key,) = identities_of(written)
    assert f"# public key: {recipient_of(key)}" in written
    assert identities_of(f"{written}\n\r\n  {ONE[0]}  ") == [key, ONE[0]]
    subprocess.run(
        ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(tmp_path / "ssh")], check=True
    )
    for text, what in (
        ((tmp_path / "ssh").read_text(), "a private key of SSH"),
        ("AGE-PLUGIN-YUBIKEY-1QQ", "a plugin"),
        ("# nothing\n", "no private key in it"),
        (f"{written}nonsense", "no private key"),
    ):
        with pytest.raises(SettingError, match=what) as caught:
            identities_of(text)
        assert caught.value.field == "identity"

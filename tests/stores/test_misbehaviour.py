"""Every kind of store with servers that cut, fill up, refuse, forget and alter."""

from __future__ import annotations

import hashlib
import os
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from servers import REAL, STAND_INS, Place

from fasciculus.core.errors import DamagedError, StoreFullError, UnreachableError
from fasciculus.demo import object_storage
from fasciculus.stores import chunk_size, open_store
from fasciculus.stores import retrying as retrying_module
from fasciculus.stores import s3 as s3_module
from fasciculus.stores.base import connected
from fasciculus.stores.confirmation import confirm
from fasciculus.stores.reading import read_all
from fasciculus.stores.retrying import RetryingStore
from fasciculus.stores.trying import try_store

MIB = 1024 * 1024
DATA = os.urandom(3_000_000)
DIGEST = hashlib.sha256(DATA).hexdigest()
PATH = "accounts/millpond/pieces/a.tar"


@pytest.fixture
def small_steps(monkeypatch: pytest.MonkeyPatch) -> None:
    """Scaled down: interrupted transfers resume in smaller chunks."""
    monkeypatch.setattr(retrying_module, "_FIRST_WAIT", 0.001)
    monkeypatch.setattr(s3_module, "_PART", MIB // 4)
    monkeypatch.setattr(chunk_size, "LEAST", MIB // 16)
    monkeypatch.setattr(chunk_size, "MOST", MIB // 4)


@pytest.fixture(params=STAND_INS)
def place(request: pytest.FixtureRequest, tmp_path: Path, small_steps: Any) -> Iterator[Place]:
    with STAND_INS[request.param](tmp_path) as found:
        store = open_store(found.spec)
        assert all(step.ok for step in try_store(store, make_root=True))
        store.close()
        yield found


@pytest.fixture
def piece(tmp_path: Path) -> Path:
    (tmp_path / "piece").write_bytes(DATA)
    return tmp_path / "piece"


def patient(place: Place, told: list[Any]) -> RetryingStore:
    return RetryingStore(open_store(place.spec), threading.Event(), told.append)


def nothing(count: int) -> None:
    pass


def test_a_line_that_breaks_ten_times_brings_it_whole(place: Place, tmp_path: Path) -> None:
    """As of 2 GB in stretches of 16 MiB: here 32 MiB in stretches of 256 KiB."""
    data = os.urandom(32 * MIB)
    (tmp_path / "large").write_bytes(data)
    wrong, told = place.misbehaviour, []
    wrong.received, wrong.cuts = 0, 10
    wrong.cut_after = wrong.cut_each = 3 * MIB
    with connected(patient(place, told)) as store:
        store.put(tmp_path / "large", PATH, nothing)
        wrong.cut_after = None
        assert len(told) >= 8, "the line did break"
        confirm(store, PATH, len(data), hashlib.sha256(data).hexdigest())
        if place.spec.settings.kind in ("sftp", "ftp", "s3"):
            assert wrong.received < len(data) * 1.1
        assert [item.name for item in store.items("accounts/millpond/pieces")] == ["a.tar"]


@pytest.mark.parametrize("place", ["sftp", "ftp", "webdav", "drive"], indirect=True)
def test_a_line_that_breaks_before_a_long_stretch_still_gets_further(
    place: Place, tmp_path: Path
) -> None:
    (tmp_path / "large").write_bytes(DATA)
    wrong, told = place.misbehaviour, []
    # Twice within the longest chunk; four times without progress gives up.
    wrong.received, wrong.cuts, wrong.cut_after, wrong.cut_each = 0, 20, MIB // 7, MIB // 7
    with connected(patient(place, told)) as store:
        store.put(tmp_path / "large", PATH, nothing)
        assert len(told) == 20
        confirm(store, PATH, len(DATA), DIGEST)


def test_reading_over_a_line_that_breaks_goes_on_where_it_was(place: Place, piece: Path) -> None:
    wrong = place.misbehaviour
    with connected(patient(place, [])) as store:
        store.put(piece, PATH, nothing)
        wrong.cuts, wrong.cut_after, wrong.cut_each = 3, MIB, MIB // 2
        assert read_all(store, PATH) == DATA and wrong.cuts == 0


def test_what_does_not_fit_leaves_nothing(place: Place, piece: Path) -> None:
    place.misbehaviour.full = True
    with connected(open_store(place.spec)) as store:
        with pytest.raises(StoreFullError, match="full"):
            store.put(piece, PATH, nothing)
        assert store.size(PATH) is None
        place.misbehaviour.full = False
        store.put(piece, PATH, nothing)
        assert read_all(store, PATH) == DATA


def test_what_is_refused_is_said(place: Place, piece: Path) -> None:
    place.misbehaviour.refuse = True
    with connected(open_store(place.spec)) as store:
        with pytest.raises(UnreachableError) as refused:
            store.put(piece, PATH, nothing)
        assert refused.value.hint and store.size(PATH) is None


@pytest.mark.parametrize("wrong", ["flip", "forget"])
def test_what_is_not_kept_as_it_was_sent_is_noticed(place: Place, piece: Path, wrong: str) -> None:
    if wrong == "flip":
        place.misbehaviour.flip = 1
    else:
        place.misbehaviour.forget = True
    with connected(open_store(place.spec)) as store:
        # A storage that has compared the MD5 and alters it afterwards is found by verifying.
        if wrong == "flip" and store.proves_transfer:
            pytest.skip("its put proves the transfer; what happens later is for verifying")
        store.put(piece, PATH, nothing)
        with pytest.raises(DamagedError, match=r"arrived at store .* altered"):
            confirm(store, PATH, len(DATA), DIGEST)


def test_uploads_that_nobody_goes_on_with_are_ended(
    tmp_path: Path, small_steps: Any, piece: Path
) -> None:
    with STAND_INS["s3"](tmp_path) as place:
        store = open_store(place.spec)
        assert try_store(store, make_root=True)[-1].ok
        place.misbehaviour.cut_after = MIB
        with pytest.raises(UnreachableError):
            store.put(piece, PATH, nothing)
        uploads = place.server.root / ".uploads"
        assert list(uploads.glob("*/for")), "the parts are stored invisibly"
        again = open_store(place.spec)
        again.clear_partial("accounts/ferryline")
        assert list(uploads.glob("*/for")), "those of other subjects are not touched"
        again.clear_partial("accounts/millpond")
        assert not list(uploads.glob("*/for"))


@pytest.mark.parametrize("name", ["vsftpd-tls", "apache"])
def test_a_real_server_goes_on_in_the_middle(
    name: str, tmp_path: Path, small_steps: Any, piece: Path
) -> None:
    with REAL[name](tmp_path) as place:
        store = open_store(place.spec)
        assert all(step.ok for step in try_store(store, make_root=True))
        sent = []

        def on_bytes(count: int) -> None:
            sent.append(count)
            if len(sent) == 8:
                store.close()  # as a broken line does
                raise ConnectionResetError

        with pytest.raises((ConnectionResetError, UnreachableError)):
            store.put(piece, PATH, on_bytes)
        before = sum(sent)
        store.put(piece, PATH, sent.append)
        confirm(store, PATH, len(DATA), DIGEST)
        # How much of it the server has kept by then is its own affair.
        assert sum(sent) < len(DATA) + before
        store.close()


@pytest.mark.parametrize(("status", "code"), [(403, "AccessDenied"), (501, "NotImplemented")])
def test_a_storage_that_lists_no_unfinished_uploads_is_used_all_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, status: int, code: str
) -> None:
    """The trial says which right is missing, a run says it once, and neither ends."""

    def refused(*_: Any) -> None:
        # How the parts of the stand-in refuse.
        raise object_storage._Refused(status, code)

    monkeypatch.setattr(object_storage.ObjectStorageStandIn, "_list_uploads", refused)
    told: list[str] = []
    with STAND_INS["s3"](tmp_path) as place:
        steps = {step.name: step for step in try_store(open_store(place.spec), make_root=True)}
        assert all(step.ok for step in steps.values()) and "store" in steps
        assert "s3:ListBucketMultipartUploads" in steps["unfinished"].hint
        assert not list(place.root.rglob("*try*")), "nothing is left of the trial"
        with connected(patient(place, told)) as store:
            store.clear_partial("accounts/millpond")
    assert len(told) == 1 and "Unfinished uploads cannot be listed" in told[0]

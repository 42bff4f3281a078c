"""Each kind of store behind one protocol: a folder, the SFTP stand-in, and real OpenSSH."""

import hashlib
import json
import os
from dataclasses import replace

import pytest
from running import stand_in_spec

from fasciculus.core.errors import (
    DamagedError,
    FasciculusError,
    MissingError,
    SettingError,
    StoreFullError,
    UnreachableError,
)
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import connected, read_all
from fasciculus.stores.identity import read_identity, write_identity
from fasciculus.stores.trying import try_store

DATA = os.urandom(3_000_000)


@pytest.fixture(params=["folder", "stand-in", "openssh"])
def spec(request, tmp_path):
    if request.param == "folder":
        (tmp_path / "attic").mkdir()
        return store_spec("attic", {"kind": "folder", "folder": str(tmp_path / "attic")})
    if request.param == "stand-in":
        return stand_in_spec(request.getfixturevalue("stand_in"))
    return request.getfixturevalue("openssh").spec()


def test_the_protocol(spec, tmp_path):
    local = tmp_path / "piece"
    local.write_bytes(DATA)
    with connected(open_store(spec)) as store:
        assert store.items("accounts/millpond/pieces") == [] and store.size("nothing") is None
        counted = []
        store.put(local, "accounts/millpond/pieces/a.tar", counted.append)
        assert sum(counted) == len(DATA) == store.size("accounts/millpond/pieces/a.tar")
        assert store.sha256("accounts/millpond/pieces/a.tar") in (
            None,
            hashlib.sha256(DATA).hexdigest(),
        )
        if store.spec.name == "openssh":
            assert store.sha256("accounts/millpond/pieces/a.tar"), "OpenSSH digests by itself"
        assert read_all(store, "accounts/millpond/pieces/a.tar") == DATA
        with store.open("accounts/millpond/pieces/a.tar", 1_000_001, 70_000) as part:
            assert part.read() == DATA[1_000_001:1_070_001]
        store.put_bytes(b"again", "accounts/millpond/pieces/a.tar")
        assert read_all(store, "accounts/millpond/pieces/a.tar") == b"again", (
            "a name is replaced as a whole"
        )
        assert [(i.name, i.size, i.folder) for i in store.items("accounts/millpond")] == [
            ("pieces", 0, True)
        ]
        assert [i.name for i in store.items("accounts/millpond/pieces")] == ["a.tar"], (
            "no partial file is left"
        )
        for _ in range(2):
            store.remove("accounts/millpond/pieces/a.tar")
            store.remove_folder("accounts/millpond/pieces")
        assert store.items("accounts/millpond") == []
        assert (store.free() or 0) > 1_000_000
        with pytest.raises(MissingError):
            store.open("accounts/none")
        write_identity(store, "id-1")
        write_identity(store, "id-2")
        assert read_identity(store) == "id-1"
        with pytest.raises(DamagedError):
            store.put_bytes(b"{", "fasciculus-store.json")
            read_identity(store)


def test_trying_says_each_step(spec):
    store = open_store(spec)
    steps = try_store(store)
    assert all(step.ok for step in steps), steps
    assert [s.name for s in steps][-4:] == ["write", "read", "remove", "identity"]
    assert store.items(".") == [] or all(
        not i.name.startswith(".fasciculus-try") for i in store.items("")
    )
    write_identity(store, "mine")
    assert try_store(store, "other")[-1].text.startswith("The folder belongs to another store")
    store.close()


def failing(spec):
    steps = open_store(spec).steps()
    assert not steps[-1].ok and steps[-1].way_out
    return [step.name for step in steps], steps[-1].text


def test_what_is_wrong_with_an_sftp_store_is_said_at_its_step(stand_in):
    good = stand_in_spec(stand_in)
    assert failing(stand_in_spec(stand_in, host_key=""))[1].startswith(
        f"The server's host key is {stand_in.host_key}"
    )
    names, text = failing(stand_in_spec(stand_in, host_key="SHA256:other"))
    assert names[-1] == "host key" and "SHA256:other" in text
    names, text = failing(replace(good, secrets={"password": "wrong-secret"}))
    assert names[-1] == "sign in" and "does not accept the password of user “fasciculus”" in text
    assert "wrong-secret" not in text + repr(good)
    assert failing(stand_in_spec(stand_in, folder="/none"))[0] == [
        "connect",
        "host key",
        "sign in",
        "folder",
    ]
    assert (
        "no-such-name.example does not resolve"
        in failing(stand_in_spec(stand_in, address="no-such-name.example"))[1]
    )
    stand_in.close()
    names, text = failing(good)
    assert names == ["connect"] and "Nothing answers" in text


def test_settings_that_cannot_be_used():
    for settings in (
        {"kind": "folder", "folder": "here"},
        {"kind": "sftp", "address": "a", "user": "b"},
        {"kind": "folder", "folder": "/here", "colour": "green"},
    ):
        with pytest.raises(SettingError):
            store_spec("s", json.dumps(settings))
    with pytest.raises(SettingError, match="no kind of store “tape”"):
        store_spec("s", {"kind": "tape"})
    with pytest.raises(MissingError, match="does not exist"):
        open_store(store_spec("s", {"kind": "folder", "folder": "/no/such/folder"})).connect()
    bad_key = store_spec(
        "s", {"kind": "sftp", "address": "a", "user": "b", "folder": "c"}, {"private_key": "no key"}
    )
    with pytest.raises(SettingError, match="cannot be read"):
        from fasciculus.ssh import load_key

        load_key(bad_key.secrets["private_key"], None)


def test_a_full_store_says_so_and_keeps_nothing_half(stand_in, tmp_path):
    stand_in.quota = 1_000_000
    local = tmp_path / "piece"
    local.write_bytes(DATA)
    with connected(open_store(stand_in_spec(stand_in))) as store:
        with pytest.raises(StoreFullError, match="full"):
            store.put(local, "pieces/a.tar", lambda count: None)
        assert store.items("pieces") == []
        # What does not fit may lie in the middle, with an end that does: a hole in a file of the
        # right size.
        local.write_bytes(DATA[: 31 * 32_512 + 100])
        with pytest.raises(StoreFullError, match="full"):
            store.put(local, "pieces/a.tar", lambda count: None)
        local.write_bytes(DATA)
        stand_in.quota = None
        store.put(local, "pieces/a.tar", lambda count: None)


def test_a_cut_connection_is_said_and_heals(stand_in, tmp_path):
    local = tmp_path / "piece"
    local.write_bytes(DATA)
    with connected(open_store(stand_in_spec(stand_in))) as store:
        cut = []

        def on_bytes(count):
            if not cut:
                cut.append(stand_in.cut())

        with pytest.raises(UnreachableError, match="connection to store “boathouse” was lost"):
            store.put(local, "pieces/a.tar", on_bytes)
        with pytest.raises(FasciculusError):
            read_identity(store)
        store.put(local, "pieces/a.tar", on_bytes)
        assert read_all(store, "pieces/a.tar") == DATA

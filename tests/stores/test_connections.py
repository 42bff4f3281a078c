"""Connections of stores: cut while connecting, and returned after reading."""

from __future__ import annotations

import ftplib
from contextlib import closing
from pathlib import Path
from typing import Any

import paramiko
import pytest
from servers import ftp_place, ftp_settings, sftp_place

from fasciculus.core.errors import ConnectionLostError, UnreachableError
from fasciculus.ftp import FtpConnection
from fasciculus.sftp_client import SftpClient
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import connected
from fasciculus.stores.trying import try_store


def test_a_connection_that_is_cut_at_the_last_step_is_no_connection(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with sftp_place(tmp_path) as place:
        store = open_store(place.spec)
        assert all(step.ok for step in try_store(store, make_root=True))
        store.close()

        def cut(*_: Any) -> None:
            raise EOFError

        with monkeypatch.context() as broken:
            broken.setattr(paramiko.SFTPClient, "stat", cut)
            with pytest.raises(ConnectionLostError):
                store.connect()
        with connected(store):
            store.put_bytes(b"later", "a/file")
            assert store.size("a/file") == 5


def test_files_that_are_read_in_part_share_one_more_connection(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    signed_in = []
    login = ftplib.FTP.login
    monkeypatch.setattr(ftplib.FTP, "login", lambda ftp, *a: signed_in.append(1) or login(ftp, *a))
    with ftp_place()(tmp_path) as place:
        store = open_store(place.spec)
        assert all(step.ok for step in try_store(store, make_root=True))
        store.close()
        signed_in.clear()
        store.connect()
        for number in range(4):
            store.put_bytes(b"x" * 500_000, f"a/{number}")
        for number in range(4):
            with closing(store.open(f"a/{number}")) as file:
                assert file.read(10) == b"x" * 10
    assert len(signed_in) == 2


def test_a_failed_write_is_named_where_the_free_space_is_not_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with sftp_place(tmp_path) as place:
        store = open_store(place.spec)
        assert all(step.ok for step in try_store(store, make_root=True))
        with connected(store):

            def fail(*_: Any) -> None:
                raise OSError("Failure")

            monkeypatch.setattr(type(store), "free", lambda self: None)
            monkeypatch.setattr(SftpClient, "write_whole", fail)
            with pytest.raises(UnreachableError, match="Failure"):
                store.put_bytes(b"x", "a/file")


def test_a_server_that_does_not_rename_onto_a_file_has_the_new_one_in_the_end(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    rename = FtpConnection.rename

    def only_onto_nothing(link: FtpConnection, path: str, to: str) -> None:
        if link.size(to) is not None:
            raise UnreachableError("It exists.")
        rename(link, path, to)

    monkeypatch.setattr(FtpConnection, "rename", only_onto_nothing)
    with ftp_place()(tmp_path) as place:
        store = open_store(place.spec)
        assert all(step.ok for step in try_store(store, make_root=True))
        with connected(store):
            for data in (b"old", b"newer"):
                store.put_bytes(data, "a/file")
                assert [item.name for item in store.items("a")] == ["file"]
                with closing(store.open("a/file")) as file:
                    assert file.read() == data


def test_an_ftp_store_makes_each_folder_of_its_path_once_and_says_where_it_is(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = []
    make = ftplib.FTP.mkd
    monkeypatch.setattr(
        ftplib.FTP, "mkd", lambda ftp, folder: made.append(folder) or make(ftp, folder)
    )
    with ftp_place()(tmp_path) as place:
        known = ftp_settings(place.server.port, folder="/shelf/deep/bundles")
        spec = store_spec("space", known, place.spec.secrets)
        steps = {step.name: step for step in try_store(open_store(spec), make_root=True)}
        assert all(step.ok for step in steps.values())
        assert steps["folder"].text == "It was made. /shelf/deep/bundles exists."
    assert made[:3] == ["/shelf", "/shelf/deep", "/shelf/deep/bundles"]
    usual = store_spec("space", ftp_settings(21, security="tls")).settings
    assert usual.describe() == "ftps fasciculus@127.0.0.1:/bundles"
    assert place.spec.settings.describe().endswith(f"127.0.0.1:{place.server.port}:/bundles")


def test_an_sftp_store_says_where_it_is_and_reads_the_last_byte_too(tmp_path: Path) -> None:
    with sftp_place(tmp_path) as place:
        settings = place.spec.settings
        assert settings.describe() == f"sftp fasciculus@127.0.0.1:{settings.port}:/bundles"  # type: ignore[attr-defined]
        usual = settings.model_copy(update={"port": 22})
        assert usual.describe() == "sftp fasciculus@127.0.0.1:/bundles"
        store = open_store(place.spec)
        assert all(step.ok for step in try_store(store, make_root=True))
        with connected(store):
            store.put_bytes(b"two hundred pots", "a/file")
            with closing(store.open("a/file", 15, 1)) as file:
                assert file.read() == b"s"


def test_a_server_may_leave_out_the_attributes_of_a_file(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with sftp_place(tmp_path) as place:
        store = open_store(place.spec)
        assert all(step.ok for step in try_store(store, make_root=True))
        with connected(store):
            store.put_bytes(b"two hundred pots", "a/file")

            def bare(_: str) -> list[Any]:
                found = paramiko.SFTPAttributes()
                found.filename = "file"
                return [found]

            assert [(item.name, item.size) for item in store.items("a")] == [("file", 16)]
            files = "fasciculus.demo.sftp._Files"
            monkeypatch.setattr(f"{files}.list_folder", lambda _, path: bare(path))
            assert [(item.name, item.size) for item in store.items("a")] == [("file", 0)]

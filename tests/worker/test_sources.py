"""Unreadable things: stored or reported, never fatal, never silent."""

from __future__ import annotations

import io
import os
from pathlib import Path
from typing import Any

import pytest

from fasciculus.contracts.orders import BackupOrder, MailOrder, SubjectOrder
from fasciculus.core.bundle.codecs import codec
from fasciculus.core.bundle.listing import ListingWriter, read_listing
from fasciculus.core.bundle.reader import BundleReader
from fasciculus.core.bundle.writer import BundleWriter
from fasciculus.core.errors import FasciculusError, MissingError
from fasciculus.databases.base import DatabaseRef
from fasciculus.hosts.local import LocalFile, LocalHost
from fasciculus.worker.backup.sources.databases import DatabaseSource
from fasciculus.worker.backup.sources.files import WHOLE, FileSource
from fasciculus.worker.backup.sources.mail import MailSource


class Folder:
    """Room for pieces, and the store that they are read from."""

    def __init__(self, root: Any) -> None:
        self.root = root
        (root / "accounts/millpond/pieces").mkdir(parents=True)

    def take(self) -> Any:
        return self.root / "accounts/millpond/pieces"

    def put(self, path: Any, record: Any) -> None:
        pass

    def open(self, path: Any, offset: Any = 0, length: Any = None) -> Any:
        data = (self.root / path).read_bytes()[offset:]
        return io.BytesIO(data if length is None else data[:length])


class Gathering:
    def __init__(self, tmp_path: Path, host: Any, **order: Any) -> None:
        home = tmp_path / "home"
        self.folder, self.warnings, self.raw = Folder(tmp_path / "store"), [], io.BytesIO()
        self.subject = SubjectOrder(kind="account", name="millpond", host="reed-1", root=str(home))
        fields = {"contents": ["files"], **order}
        self.order = BackupOrder(
            run=1,
            job="nightly",
            subject=self.subject,
            stores=[],
            piece_size=1 << 26,
            spool=str(tmp_path),
            spool_limit=1 << 30,
            listing="",
            writer="tests",
            **fields,
        )
        listing = ListingWriter(self.raw)
        writer = BundleWriter("b", codec("zstd"), self.folder, listing, piece_size=1 << 26)
        self.file_source = FileSource(
            self.order, host, writer, self.warnings.append, lambda n, b: None
        )
        for kind in self.order.contents:
            if kind == "mail":
                MailSource(
                    self.order.mail,
                    host,
                    writer,
                    self.file_source,
                    self.warnings.append,
                    lambda n, b: None,
                ).run()
            elif kind == "databases":
                DatabaseSource(
                    self.order,
                    host,
                    writer,
                    self.file_source,
                    self.warnings.append,
                    lambda n, b: None,
                ).run()
            else:
                self.file_source.files()
        writer.finish()
        listing.close()

    def contents(self) -> Any:
        with BundleReader(self.folder, self.subject.ref()) as reader:
            return {
                entry.text: (entry.type, entry.link, b"".join(reader.contents(entry)))
                for entry in read_listing(io.BytesIO(self.raw.getvalue()))
            }


@pytest.fixture
def home(tmp_path: Path) -> Any:
    found = tmp_path / "home"
    found.mkdir()
    for name in ("a", "b", "c"):
        (found / name).write_text(name * 10)
    os.link(found / "b", found / "b-too")
    os.link(found / "b", found / "b-three")
    return found


class Spoiled(LocalHost):
    """A host on which some files fail when they are opened."""

    def __init__(self, faults: Any) -> None:
        self.faults = faults

    def opened(self, tree: Any, entry: Any, path: Any) -> Any:  # type: ignore[override]
        fault = self.faults.get(os.path.basename(path))
        if isinstance(fault, OSError):
            raise fault
        if fault is not None:
            fault(tree.place(os.path.basename(path)))
        return LocalHost.opened(tree, entry, path)


def test_unreadable_and_vanished_files_are_named_and_the_rest_is_kept(
    tmp_path: Path, home: Any
) -> None:
    faults = {b"a": PermissionError(13, "Permission denied"), b"c": os.unlink}
    found = Gathering(tmp_path, Spoiled(faults))
    assert set(found.contents()) == {"", "b", "b-three", "b-too"}
    assert found.warnings == [
        "a: could not be read (Permission denied)",
        "c: vanished before it was read",
    ]
    assert found.file_source.result.unreadable == {"files": found.warnings}


def test_a_hard_link_outlives_an_unreadable_first_name(tmp_path: Path, home: Any) -> None:
    found = Gathering(
        tmp_path, Spoiled({b"b": PermissionError(13, "Permission denied")})
    ).contents()
    assert found["b-three"] == ("file", None, b"b" * 10)
    assert found["b-too"] == ("file", b"b-three", b"b" * 10)


def test_a_file_that_changes_all_the_time_is_kept_with_a_warning(tmp_path: Path, home: Any) -> None:
    class Busy(LocalHost):
        def opened(self, tree: Any, entry: Any, path: Any) -> Any:  # type: ignore[override]
            if path != b"a":
                return LocalHost.opened(tree, entry, path)
            place = tree.place(path)

            class Changing(LocalFile):
                def read(self, count: Any = -1, /) -> Any:
                    with open(place, "ab") as file:
                        file.write(b"+")
                    return super().read(count)

            descriptor, info = tree.open(path)
            return Changing(descriptor, info.st_size)

    found = Gathering(tmp_path, Busy())
    assert found.warnings == ["a: changed while it was read"]
    kind, _, data = found.contents()["a"]
    assert kind == "file" and data.startswith(b"a" * 10)


def test_a_file_that_grew_between_scan_and_reading_is_kept_whole(tmp_path: Path, home: Any) -> None:
    grown = Spoiled({b"a": lambda path: open(path, "ab").write(b"!" * 50)})
    found = Gathering(tmp_path, grown).contents()
    assert found["a"][2] == b"a" * 10 + b"!" * 50


@pytest.mark.parametrize("comes_again", [True, False])
def test_a_small_file_that_became_large_takes_no_memory_for_all_of_it(
    tmp_path: Path, home: Any, comes_again: bool
) -> None:
    most = 0

    class Counted(LocalFile):
        def read(self, count: Any = -1, /) -> Any:
            nonlocal most
            data = super().read(count)
            most = max(most, len(data))
            return data

        def again(self) -> bool:
            return comes_again and super().again()

    class Growing(LocalHost):
        def opened(self, tree: Any, entry: Any, path: Any) -> Any:  # type: ignore[override]
            if path == b"a":
                os.truncate(home / "a", 5 * WHOLE)
            descriptor, info = tree.open(path)
            return Counted(descriptor, info.st_size)

    found = Gathering(tmp_path, Growing())
    kind, _, data = found.contents()["a"]
    assert kind == "file" and data == b"a" * 10 + bytes(5 * WHOLE - 10)
    assert most <= WHOLE + 1
    assert found.warnings == ([] if comes_again else ["a: changed while it was read"])


def test_a_file_swapped_for_a_link_or_a_pipe_neither_leads_away_nor_hangs(
    tmp_path: Path, home: Any
) -> None:
    (tmp_path / "secret").write_text("not of this account")

    def to_link(path: Any) -> None:
        os.unlink(path)
        os.symlink(tmp_path / "secret", path)

    def to_pipe(path: Any) -> None:
        os.unlink(path)
        os.mkfifo(path)

    found = Gathering(tmp_path, Spoiled({b"a": to_link, b"c": to_pipe}))
    assert "a: could not be read" in found.warnings[0]
    assert not any(b"not of this account" in row[2] for row in found.contents().values())


def test_an_sqlite_database_that_is_none_is_trouble(tmp_path: Path, home: Any) -> None:
    order = {"contents": ["databases"]}
    bad = DatabaseRef(engine="sqlite", name="a", path="a")
    with pytest.raises(FasciculusError, match="cannot be copied"):
        Gathering(tmp_path, LocalHost(), databases=[bad], **order)
    gone = DatabaseRef(engine="sqlite", name="x", path="x")
    (tmp_path / "again").mkdir()
    os.rename(home, tmp_path / "again/home")
    with pytest.raises(MissingError, match="does not exist"):
        Gathering(tmp_path / "again", LocalHost(), databases=[gone], **order)


def test_mail_of_a_domain_without_lines_and_with_messages(tmp_path: Path, home: Any) -> None:
    mail = tmp_path / "mail"
    (mail / "hello/Maildir/new").mkdir(parents=True)
    (mail / "hello/Maildir/new/1").write_text("Subject: x\n")
    (mail / "hello/other").write_text("not mail")
    (mail / "virtual").write_text("")
    (mail / "users").write_text(
        "hello@millpond.example:{CRYPT}x:1:1::/h::\n../up@millpond.example:x:1:1::/h::\n"
    )
    order = MailOrder(
        domains=["millpond.example", "new.example"],
        alias_map=str(mail / "virtual"),
        passwd_file=str(mail / "users"),
        home=f"{mail}/{{user}}",
        messages=True,
    )
    found = Gathering(tmp_path, LocalHost(), contents=["mail"], mail=order)
    names = set(found.contents())
    assert "millpond.example/home/hello/Maildir/new/1" in names
    assert not any("other" in name or ".." in name for name in names)
    assert found.warnings == ["new.example: the host's mail files hold no line of this domain"]

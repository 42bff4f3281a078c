"""A folder being filled, here and over SSH: nothing in it leads out, and all of it is as listed."""

from __future__ import annotations

import errno
import os
import stat
import subprocess
from collections.abc import Iterator
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

import pytest
from running import until

from fasciculus.core.bundle.entry import DIR, FIFO, SYMLINK, Entry
from fasciculus.core.errors import DamagedError
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.local_tree import LocalTree
from fasciculus.hosts.ssh.host import SshHost
from fasciculus.hosts.ssh.tree import SshTree


@pytest.fixture
def host(host_either_way: LocalHost | SshHost) -> LocalHost | SshHost:
    return host_either_way


@pytest.fixture
def tree(host: LocalHost | SshHost, tmp_path: Path) -> Iterator[LocalTree | SshTree]:
    (tmp_path / "outside").mkdir()
    (tmp_path / "outside/secret").write_text("of another user")
    found = host.writable_tree(str(tmp_path / "mail/anna"))
    yield found
    found.close()
    assert [path.name for path in (tmp_path / "outside").iterdir()] == ["secret"]
    assert (tmp_path / "outside/secret").read_text() == "of another user"


def like(**more: Any) -> Entry:
    return Entry("mail", b"x", **{"mode": 0o640, "uid": 5005, "gid": 5006, **more})


def test_all_that_is_written_is_as_it_was_listed(tree: LocalTree | SshTree, tmp_path: Path) -> None:
    assert tree.make_folder(b"cur") and not tree.make_folder(b"cur")
    big = os.urandom(700_000) + bytes(100_000)
    tree.create_file(b"cur/one", iter([big[:10], b"", big[10:]]), like(mtime_ns=1_000_000_007))
    tree.link(b"cur/one", b"cur/two")
    tree.create_node(b"active", like(type=SYMLINK, target=b"cur/\xff"))
    tree.create_node(b"pipe", like(type=FIFO, mode=0o600))
    tree.finish_folder(b"cur", like(type=DIR, mode=0o2750, mtime_ns=5_000_000_000))
    root = tmp_path / "mail/anna"
    one, folder = (root / "cur/one").stat(), (root / "cur").stat()
    assert (root / "cur/one").read_bytes() == big and one.st_nlink == 2
    assert (one.st_uid, one.st_gid, one.st_mode & 0o7777) == (5005, 5006, 0o640)
    assert one.st_mtime_ns == 1_000_000_007
    assert (folder.st_uid, folder.st_mode & 0o7777) == (5005, 0o2750)
    assert os.readlink(os.fsencode(root / "active")) == b"cur/\xff"
    assert stat.S_ISFIFO((root / "pipe").stat().st_mode)
    assert tree.unknown_owners == {} and tree.unset == []
    with pytest.raises(FileExistsError):
        tree.create_file(b"cur/one", iter([b"x"]), like())


#: Exchanges the folder of a mailbox for a link to the outside, and back, without pause.
EXCHANGING = r"""
my ($mailbox, $outside) = @ARGV;
my $turns = 0;
while (1) {
  rename("$mailbox/cur", "$mailbox/aside"); symlink($outside, "$mailbox/cur");
  unlink("$mailbox/cur"); rename("$mailbox/aside", "$mailbox/cur");
  if (++$turns % 50 == 0) { open(my $f, ">", "$mailbox/turns"); print $f $turns; close($f) }
}
"""


def test_a_mailbox_exchanged_by_another_process_is_written_nowhere_else(
    host: LocalHost | SshHost, tree: LocalTree | SshTree, tmp_path: Path
) -> None:
    """Each time from the top: by new files, and in place of what is there."""
    root = tmp_path / "mail/anna"
    (root / "cur").mkdir()
    (root / "cur/secret").write_text("own")
    command = ["perl", "-e", EXCHANGING, str(root), str(tmp_path / "outside")]
    written = 0
    with subprocess.Popen(command) as exchanging:
        try:
            until((root / "turns").exists)
            usual = 100 if isinstance(host, LocalHost) else 15
            for number in range(int(os.environ.get("RACE_ROUNDS", usual))):
                with closing(host.writable_tree(str(root))) as again, suppress(OSError):
                    again.replace_file(b"cur/secret", iter([b"changed"]), like())
                    again.create_file(b"cur/%d" % number, iter([b"new"]), like())
                    written += 1
            turns = until((root / "turns").read_text)
        finally:
            exchanging.kill()
    assert written > 0 and int(turns) >= 50


def test_files_in_use_are_replaced_whole_or_not_at_all(
    tree: LocalTree | SshTree, tmp_path: Path
) -> None:
    root = tmp_path / "mail/anna"
    (root / "note").write_text("before")
    (root / "link").symlink_to(tmp_path / "outside/secret")

    def torn() -> Iterator[bytes]:
        yield b"half"
        raise DamagedError("It is damaged.")

    with pytest.raises(DamagedError):
        tree.replace_file(b"note", torn(), like())
    assert (root / "note").read_text() == "before"
    tree.replace_file(b"note", iter([b"after"]), like())
    tree.replace_file(b"link", iter([b"mine"]), like())
    tree.relink(b"note", b"link2")
    tree.replace_node(b"link2", like(type=SYMLINK, target=b"note"))
    assert (root / "note").read_text() == "after" and (root / "link").read_text() == "mine"
    assert os.readlink(root / "link2") == "note"
    assert sorted(os.listdir(root)) == ["link", "link2", "note"]


@pytest.mark.parametrize(
    "path", [b"../evil", b"a/../../evil", b"", b"a//b", b"/etc/evil", b".", b"out/secret", b"n\0l"]
)
def test_no_path_leads_out(tree: LocalTree | SshTree, tmp_path: Path, path: bytes) -> None:
    tree.create_node(b"out", like(type=SYMLINK, target=os.fsencode(tmp_path / "outside")))
    for write in (tree.create_file, tree.replace_file):
        with pytest.raises((OSError, ValueError)):
            write(path, iter([b"x"]), like())
    with pytest.raises((OSError, ValueError)):
        tree.replace_node(path, like(type=SYMLINK, target=b"x"))
    if path:
        with pytest.raises((OSError, ValueError)):
            tree.make_folder(path + b"/deeper")
    assert not (tmp_path / "evil").exists() and not (tmp_path / "mail/evil").exists()


def test_an_owner_that_does_not_exist_gives_root_his_files(
    tree: LocalTree | SshTree, tmp_path: Path
) -> None:
    """The number may belong to a stranger by now: one that had no name and has one too."""
    for name, user, uid in (("a", "pottery", 33), ("b", "", 33), ("c", "www-data", 7)):
        tree.create_file(name.encode(), iter([b"x"]), like(user=user, uid=uid, group="", gid=54321))
    owners = [(tmp_path / f"mail/anna/{name}").stat().st_uid for name in "abc"]
    assert owners == [0, 0, 33]
    assert tree.unknown_owners == {"pottery": 1, "33": 1}


def test_what_the_kernel_refuses_is_said(tree: LocalTree | SshTree) -> None:
    with pytest.raises(OSError) as caught:
        tree.create_file(b"n" * 300, iter([b"x"]), like())
    assert caught.value.errno == errno.ENAMETOOLONG
    tree.create_file(b"fine", iter([b"x"]), like())

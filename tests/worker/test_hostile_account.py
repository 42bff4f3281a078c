"""An account holder who exchanges folders for links, without pause, in a separate process.

He gets nothing out of other places by what is bundled, and nothing into them by what is restored.
"""

from __future__ import annotations

import io
import os
import shutil
import subprocess
import tempfile
import threading
from collections.abc import Iterator
from contextlib import closing, suppress
from pathlib import Path
from typing import Any

import pytest
from nights import Nights, made
from running import until

from fasciculus.contracts.orders import RestoreOrder
from fasciculus.core.errors import FasciculusError
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.ssh.host import SshHost
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.restore.task import RestoreTask

SECRET = b"of another user"
#: Here, and over SSH, where each takes ten times as long; RACE_ROUNDS=100 does 100 of both.
ROUNDS, ROUNDS_OVER_SSH = (int(os.environ.get("RACE_ROUNDS", count)) for count in (40, 8))
#: Exchanges folders and a file of the home, and entries of the restore target.
HOSTILE = r"""
my ($home, $shared, $outside) = @ARGV;
$SIG{TERM} = sub { exit 0 };
my $turns = 0;
while (1) {
  for my $place ("$home/x", "$home/a/b/x") {
    rename($place, "$place-aside"); symlink($outside, $place);
    unlink($place); rename("$place-aside", $place);
  }
  rename("$home/page", "$home/page-aside"); symlink("$outside/secret-3", "$home/page");
  unlink("$home/page"); rename("$home/page-aside", "$home/page");
  if (opendir(my $names, $shared)) {
    for my $name (readdir($names)) {
      next if $name =~ /^\./ or $name =~ /-aside/;
      rename("$shared/$name", "$shared/$name-aside$turns") and symlink($outside, "$shared/$name");
    }
    closedir($names);
  }
  $turns++;
  if ($turns % 50 == 0) { open(my $f, ">", "$home/turns"); print $f $turns; close($f) }
}
"""


@pytest.fixture
def valley() -> Iterator[Any]:
    """A home of a user without rights, a world-writable folder, and a secret."""
    if os.geteuid() != 0:
        pytest.skip("only root can be somebody else")
    root = Path(tempfile.mkdtemp(dir="/tmp", prefix="hostile-"))
    root.chmod(0o711)
    found = Nights(root / "mine")
    home = root / "home"
    for folder in ("x", "a/b/x"):
        (home / folder).mkdir(parents=True)
        for number in range(8):
            (home / folder / f"secret-{number}").write_bytes(b"my own")
    (home / "page").write_bytes(b"my own")
    for path in (home, *home.rglob("*")):
        os.chown(path, 65534, 65534)
    (root / "outside").mkdir(mode=0o700)
    for number in range(8):
        (root / f"outside/secret-{number}").write_bytes(SECRET)
    (root / "shared").mkdir()
    (root / "shared").chmod(0o777)
    found.tree = home
    program = root / "hostile.pl"
    program.write_text(HOSTILE)
    process = subprocess.Popen(
        ["setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", "perl", str(program)]
        + [str(root / name) for name in ("home", "shared", "outside")],
        cwd="/",
    )
    yield found, root
    # Ended in the middle of writing it, it would be empty.
    try:
        turns = int(until((home / "turns").read_text))
    finally:
        process.terminate()
        process.wait(30)
    # However slow the machine is: often enough to meet a task in the middle.
    assert turns >= 50, "he was at work all the time"
    shutil.rmtree(root, ignore_errors=True)


def check_outside(root: Path) -> None:
    """Nothing came in, nothing was changed."""
    found = {path.name: path.read_bytes() for path in (root / "outside").iterdir()}
    assert found == {f"secret-{number}": SECRET for number in range(8)}
    assert (root / "outside").stat().st_uid == 0


def restore(nights: Any, target: Path) -> None:
    """Bring the newest bundle there; where that is refused, nothing is said."""
    order = made(
        RestoreOrder,
        {
            "subject": {"kind": "account", "name": "millpond", "host": "reed-1", "root": ""},
            "bundle": nights.known[-1],
            "store": nights.store_order("attic"),
            "target": str(target),
            "spool": str(nights.root / "spool5"),
        },
    )
    with suppress(FasciculusError, OSError):
        RestoreTask(order, LocalHost(), Emitter(io.BytesIO()), threading.Event()).run()


def bytes_of_files(root: Path) -> Iterator[Any]:
    """The contents of restored files; links are not read."""
    for folder, _, names in os.walk(root):
        for path in (Path(folder) / name for name in names):
            if path.is_file() and not path.is_symlink():
                yield path.read_bytes()


def rounds(nights: Any, root: Any, host: Any, count: Any) -> None:
    contents, back = set(), nights.root / "back"
    for number in range(count):
        nights.night(incremental=number % 5 > 0, host=host, keep=2)
        restore(nights, back)
        contents |= set(bytes_of_files(back))
        shutil.rmtree(back)
        restore(nights, root / f"shared/back-{number}")
        check_outside(root)
    assert SECRET not in contents
    assert b"my own" in contents, sorted(contents)


@pytest.fixture(autouse=True)
def no_pictures(monkeypatch: pytest.MonkeyPatch) -> None:
    """The tree is never at rest: nobody draws it."""
    monkeypatch.setattr("nights.picture", lambda root: {})


def test_nothing_gets_out_or_in_here(valley: Any) -> None:
    rounds(*valley, None, ROUNDS)  # type: ignore[call-arg]


def test_nothing_gets_out_or_in_over_ssh(valley: Any, openssh: Any) -> None:
    with closing(SshHost(openssh.host(), valley[1] / "mine")) as host:
        rounds(*valley, host, ROUNDS_OVER_SSH)  # type: ignore[call-arg]

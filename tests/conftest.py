"""Fixtures: real servers where Debian has one, the shipped stand-ins where it has not."""

from __future__ import annotations

import compileall
import os
import sqlite3
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from pathlib import Path
from typing import Any

import coverage
import pytest
from hypothesis import HealthCheck, settings

sys.path.insert(0, str(Path(__file__).parent))

from nights import Nights, Power
from openssh import OpenSsh
from running import (
    MIB,
    Service,
    ServiceProcess,
    private_mariadb,
    service,
    service_process,
)
from sample_records import SampleRecords, sample_records
from web_hook import Hook, web_hook
from werkzeug.routing import Rule

from fasciculus.demo.mailbox import MailboxStandIn
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.demo.postgresql import PrivatePostgreSql
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.ssh.host import SshHost
from fasciculus.records.db import Records

# The many processes of the tests are to compile the source once.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
sys.dont_write_bytecode = False

# A slow machine is no fault: nothing here is about how long something takes.
settings.register_profile(
    "steady",
    deadline=None,
    # PROPERTY_EXAMPLES=1000 looks longer.
    max_examples=int(os.environ.get("PROPERTY_EXAMPLES", "40")),
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("steady")


#: Tests in these folders say how much of the core is covered. Counting doubles the time of some,
#: so the others run without.
_COUNTED = ("core", "databases", "bundles", "hosts")


#: Tables of hypothesis, which it keeps for later runs: in a test whose lines are counted, to make
#: them takes ten times as long.
_TABLES = "from hypothesis.internal import charmap; charmap.charmap(); charmap.categories()"


def pytest_configure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):
        subprocess.run([sys.executable, "-c", _TABLES], check=True)
        # Once: the processes of the tests begin together, and each would compile all of it.
        for folder in ("src", "bench"):
            compileall.compile_dir(config.rootpath / folder, quiet=2)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    room = item.path.relative_to(Path(__file__).parent).parts[0]
    with nullcontext() if room in _COUNTED else _uncounted():
        return (yield)


@contextmanager
def _uncounted() -> Iterator[None]:
    """Without counting which lines are run."""
    counting = coverage.Coverage.current()
    if counting is not None:
        counting.stop()
    try:
        yield
    finally:
        if counting is not None:
            counting.start()


#: What compiling a rule makes of it.
_COMPILED = ("_parts", "_trace", "_converters", "arguments", "_build", "_build_unknown")


@pytest.fixture(scope="session", autouse=True)
def rules_compiled_once() -> Iterator[None]:
    """Compile each address of the service once: hundreds of services are started here. A compiled
    rule depends only on its text and its defaults.
    """
    compiled: dict[tuple[object, ...], dict[str, Any]] = {}
    plain = Rule.compile

    def once(rule: Rule) -> None:
        key = (rule.rule, rule.subdomain, rule.merge_slashes, repr(rule.defaults))
        if key not in compiled:
            plain(rule)
            compiled[key] = {name: getattr(rule, name) for name in _COMPILED}
        rule.__dict__.update(compiled[key])

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Rule, "compile", once)
        yield


@pytest.fixture(scope="session", autouse=True)
def tables_made_once() -> Iterator[None]:
    """Make the tables of new records by copying those of the first ones: hundreds of records are
    begun here. Records that have tables are brought up to date as ever.
    """
    made = sqlite3.connect(":memory:", check_same_thread=False)
    plain, lock = Records._migrate, threading.Lock()

    def once(records: Records) -> None:
        db = records._writer
        if db.execute("SELECT count(*) FROM sqlite_schema").fetchone()[0]:
            return plain(records)
        with lock:
            if made.execute("PRAGMA user_version").fetchone()[0]:
                return made.backup(db)
            plain(records)
            return db.backup(made)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Records, "_migrate", once)
        yield
    made.close()


@pytest.fixture
def untraced() -> Iterator[None]:
    """For tests that go over years: they run the same lines again and again."""
    with _uncounted():
        yield


@pytest.fixture
def running(tmp_path: Path) -> Iterator[Service]:
    """A service with an empty home."""
    with service(tmp_path / "home") as found:
        yield found


@pytest.fixture
def running_process(tmp_path: Path) -> Iterator[ServiceProcess]:
    """The same in a separate process."""
    with service_process(tmp_path / "home") as found:
        yield found


@pytest.fixture
def heronmere(tmp_path: Path) -> Iterator[SampleRecords]:
    """Records with a host, an account and two stores, and no service."""
    with sample_records(tmp_path) as found:
        yield found


@pytest.fixture
def stand_in(tmp_path: Path) -> Iterator[SftpStandIn]:
    found = SftpStandIn(
        tmp_path / "boathouse", tmp_path / "host-key", "fasciculus", "boat-and-rope"
    )
    yield found
    found.close()


@pytest.fixture
def mailbox(tmp_path: Path) -> Iterator[MailboxStandIn]:
    found = MailboxStandIn(tmp_path / "mailbox")
    yield found
    found.close()


@pytest.fixture
def hook() -> Iterator[Hook]:
    with web_hook() as found:
        yield found


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PrivateMariaDb]:
    """A private MariaDB server; it must be there, a missing one is a failure."""
    with private_mariadb(tmp_path_factory.mktemp("mariadb")) as found:
        yield found


@pytest.fixture(scope="session")
def postgresql() -> Iterator[PrivatePostgreSql]:
    """A private PostgreSQL server; it must be there, a missing one is a failure."""
    found = PrivatePostgreSql()
    yield found
    found.close()


@pytest.fixture(params=["local", "ssh"])
def host_either_way(
    request: pytest.FixtureRequest, tmp_path: Path
) -> Iterator[LocalHost | SshHost]:
    """This machine as itself, and over SSH."""
    if request.param == "local":
        yield LocalHost()
        return
    found = SshHost(request.getfixturevalue("openssh").host(), tmp_path)
    yield found
    found.close()


@pytest.fixture
def openssh(tmp_path: Path) -> Iterator[OpenSsh]:
    folder = tmp_path / "openssh"
    folder.mkdir()
    found = OpenSsh(folder)
    yield found
    found.close()


@pytest.fixture
def bare_openssh(tmp_path: Path) -> Iterator[OpenSsh]:
    """A server that gives SFTP and no shell."""
    folder = tmp_path / "bare-openssh"
    folder.mkdir()
    found = OpenSsh(folder, "ForceCommand internal-sftp\n")
    yield found
    found.close()


@pytest.fixture(scope="module")
def writes_can_be_cut() -> Iterator[None]:
    from fasciculus.stores import folder

    kept = {
        name: getattr(folder.FolderStore, name)
        for name in ("put", "put_bytes", "remove", "remove_folder")
    }

    def cut(original: Any) -> Any:
        def method(self: Any, *values: Any) -> Any:
            Power.before_write()
            return original(self, *values)

        return method

    for name, original in kept.items():
        setattr(folder.FolderStore, name, cut(original))
    yield
    for name, original in kept.items():
        setattr(folder.FolderStore, name, original)


@pytest.fixture
def nights(tmp_path: Path) -> Nights:
    """A tree over several nights, bundled by workers without a service."""
    found = Nights(tmp_path / "n")
    for number in range(60):
        folder = found.tree / f"site-{number % 4}"
        folder.mkdir(exist_ok=True)
        (folder / f"page-{number}.html").write_bytes(os.urandom(4000))
    (found.tree / "film.bin").write_bytes(os.urandom(3 * MIB))
    (found.tree / "picture.bin").write_bytes(os.urandom(int(1.4 * MIB)))
    os.link(found.tree / "picture.bin", found.tree / "zz-same.bin")
    (found.tree / "link").symlink_to("film.bin")
    return found

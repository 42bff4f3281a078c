"""The engine of docs/adding-a-database-engine.md, literally, against a real Redis server."""

from __future__ import annotations

import importlib.metadata
import re
import shutil
import subprocess
from collections.abc import Iterator
from importlib.metadata import EntryPoint
from pathlib import Path
from typing import Any

import pytest
import redis
from running import until

from fasciculus.core.bundle.manifest import DatabaseRecord
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.core.errors import FasciculusError, SettingError
from fasciculus.databases import ENGINES, server_engines
from fasciculus.databases.base import DatabaseAccess, DatabaseRef, ServerSpec
from fasciculus.hosts.local import LocalHost
from fasciculus.service.settings.kind_settings import kinds

DOC = Path(__file__).parents[2] / "docs/adding-a-database-engine.md"


@pytest.fixture(scope="module")
def server(tmp_path_factory: Any) -> Iterator[Path]:
    """A real server on a socket of its own; a missing one is a failure."""
    program = shutil.which("redis-server")
    assert program, "redis-server is missing"
    folder = tmp_path_factory.mktemp("redis")
    socket = folder / "server.sock"
    options = ["--port", "0", "--unixsocket", str(socket), "--save", "", "--dir", str(folder)]
    process = subprocess.Popen([program, *options], stdout=subprocess.DEVNULL)
    try:
        until(socket.exists)
        yield socket
    finally:
        process.terminate()
        process.wait(30)


@pytest.fixture
def engine(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Any]:
    """The engine, in a world where the package of the page is installed."""
    (program,) = re.findall(r"```python\n(.*?)```", DOC.read_text(), re.S)
    (tmp_path / "heronmere_redis.py").write_text(program)
    monkeypatch.syspath_prepend(str(tmp_path))
    name, place = re.search(r'^(\w+) = "(\w+:ENGINE)"$', DOC.read_text(), re.M).groups()
    point = EntryPoint(name, place, "fasciculus.databases")
    monkeypatch.setattr(importlib.metadata, "entry_points", lambda group: [point])
    ENGINES.__dict__.pop("_places", None)
    yield ENGINES.get(name)
    ENGINES.__dict__.pop("_places", None)
    # The registry is one for all tests: the kind is forgotten again.
    ENGINES._loaded.pop(name, None)


@pytest.fixture
def access(engine: Any, server: Path, tmp_path: Path) -> DatabaseAccess:
    spec = ServerSpec(engine.settings(socket=str(server)))
    return DatabaseAccess(LocalHost(), spec, "", tmp_path)


def restored(
    engine: Any, access: DatabaseAccess, record: DatabaseRecord, name: str, members: list[Any]
) -> list[Any]:
    class Member:
        def __init__(self, path: bytes) -> None:
            self.path = path

    refused = []
    rows = ((Member(member.path), lambda member=member: member.data) for member in members)
    list(engine.restore(access, record, name, rows, refused.append, True, ()))
    return refused


def test_what_it_dumps_comes_back_the_same(
    engine: Any, access: DatabaseAccess, server: Path
) -> None:
    with redis.Redis(unix_socket_path=str(server), db=1) as shop:
        shop.flushdb()
        shop.set("pots", b"\x00two hundred")
        shop.rpush("boats", "reed", "quill")
        shop.set("basket", "x", ex=1000)
        for number in range(2500):
            shop.hset(f"visitor:{number}", "seen", number)
    assert [d.name for d in engine.discover(access, [])] == ["1"]
    dump = engine.dump(access, DatabaseRef("redis", "1"), DatabaseRules())
    members = list(dump)
    record = dump.record()
    assert record.tables == {"keys": 2503} and len(members) == 3
    sizes = [(member.path.decode().rpartition("/")[2], len(member.data)) for member in members]
    (table,) = engine.tables(record, sizes)
    assert (table.name, table.rows, table.bytes) == ("keys", 2503, sum(n for _, n in sizes))
    assert restored(engine, access, record, "2", members) == []
    with redis.Redis(unix_socket_path=str(server), db=2) as copy:
        assert copy.get("pots") == b"\x00two hundred" and copy.lrange("boats", 0, -1) == [
            b"reed",
            b"quill",
        ]
        assert 0 < copy.ttl("basket") <= 1000 and copy.dbsize() == 2503
    with pytest.raises(SettingError, match="not empty"):
        restored(engine, access, record, "2", members)


def test_it_proposes_what_is_there_and_says_what_is_not(
    engine: Any, access: DatabaseAccess, tmp_path: Path
) -> None:
    assert engine.propose(LocalHost()) == [
        engine.settings(socket=path)
        for path in ("/run/redis/redis-server.sock", "/run/redis/redis.sock")
        if Path(path).exists()
    ]
    assert engine.version(access).startswith("Redis ")
    spec = ServerSpec(engine.settings(socket=str(tmp_path / "none")))
    with pytest.raises(FasciculusError, match="lets nobody in"):
        engine.check(DatabaseAccess(LocalHost(), spec, "", tmp_path), [])


def test_forms_options_and_lists_have_it(engine: Any) -> None:
    assert "redis" in [found.name for found in server_engines()]
    known = kinds()
    (kind,) = [found for found in known.databases if found.name == "redis"]
    assert [field.title for field in kind.fields] == ["Socket", "User"]
    assert known.engine_titles["redis"] == "Redis"

"""The user and the system settings of a lost account: numbers, rights, and what stays."""

from __future__ import annotations

import io
from pathlib import Path

import msgspec
import pytest
from nights import Nights, made

from fasciculus.contracts.events import Log, Progress, from_line
from fasciculus.contracts.orders import LostAccountOrder, RestoreOrder
from fasciculus.core.errors import SettingError
from fasciculus.core.restore.plan_line import PlanLine
from fasciculus.hosts.base import CommandResult
from fasciculus.hosts.local import LocalHost
from fasciculus.stores import open_store
from fasciculus.stores.base import connected
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.restore.losses import Losses
from fasciculus.worker.restore.lost_account import LostAccount
from fasciculus.worker.restore.plan import plan_restore

#: A user that every system has, and its home in ``passwd``.
USER, HOME = "daemon", "/usr/sbin"


class Host(LocalHost):
    """A host that only says what it would run; ``codes`` answers commands by their beginning."""

    def __init__(self, codes: dict[str, int]) -> None:
        self.codes, self.ran = codes, list[tuple[str, bytes]]()

    def run(
        self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20
    ) -> CommandResult:
        self.ran.append((command, stdin))
        code = next((c for start, c in self.codes.items() if command.startswith(start)), 0)
        return CommandResult(code, b"said no")


class Lost:
    """A bundle of system settings, and the account that it is restored for."""

    def __init__(
        self,
        nights: Nights,
        codes: dict[str, int],
        vouched: bool = True,
        home: str = HOME,
        user: str = USER,
    ) -> None:
        self.nights, self.host, self.raw = nights, Host(codes), io.BytesIO()
        self.conf = nights.root / "conf"
        self.conf.mkdir()
        for name in ("one", "two", "secret"):
            (self.conf / name).write_text(name)
        patterns = [str(self.conf / "*")]
        nights.night(contents=["system"], system=patterns, system_user=user)
        for name in ("one", "secret"):
            (self.conf / name).unlink()
        (self.conf / "two").write_text("newer")
        order = made(
            RestoreOrder,
            {
                "subject": {
                    "kind": "account",
                    "name": "millpond",
                    "host": "",
                    "root": home,
                    "home": home,
                },
                "bundle": nights.known[-1],
                "store": {**nights.store_order("attic"), "recorded": []},
                "target": "",
                "special_modes": vouched,
                "spool": str(nights.root / "spool8"),
                "in_place": {"side": "x", "plan": "/x", "kept": "/x"},
            },
        )
        self.emitter = Emitter(self.raw)
        self.spool = Path(order.spool)
        self.spool.mkdir()
        self.store = open_store(nights.spec)
        with connected(self.store):
            self.plan = plan_restore(order, self.store, self.spool, self.emitter)
        lost = LostAccountOrder(user=USER, system=[str(self.conf / "[ot]*")])
        self.account = LostAccount(
            self.plan, lost, self.host, self.emitter, Losses(self.emitter), Progress("x")
        )

    def made(self) -> list[tuple[str, bytes]]:
        with connected(self.store):
            self.account.make_user(self.store, self.spool)
        return [row for row in self.host.ran if not row[0].startswith("getent passwd")]

    @property
    def log(self) -> str:
        events = map(from_line, self.raw.getvalue().splitlines())
        return "\n".join(event.text for event in events if isinstance(event, Log))


MISSING = {"getent passwd daemon": 2, "getent passwd 1": 2, "getent group 1 ": 2}


def test_a_user_is_created_with_its_numbers(nights: Nights) -> None:
    ran = Lost(nights, MISSING).made()
    (group, _), (user, _) = ran[1], ran[2]
    assert group == "getent group daemon >/dev/null || groupadd -g 1 daemon"
    assert user.startswith("useradd -M -d /usr/sbin -s /usr/sbin/nologin -c daemon -g daemon")
    assert user.endswith("-u 1")
    assert ("chpasswd -e", b"daemon:*\n") in ran, "its hash comes by standard input"


def test_taken_numbers_are_given_up_and_said(nights: Nights) -> None:
    lost = Lost(nights, {"getent passwd daemon": 2})
    ran = [command for command, _ in lost.made()]
    assert "groupadd daemon" in ran[1] and not ran[2].endswith("-u 1")
    assert "user number 1 is taken" in lost.log and "group number 1 is taken" in lost.log


def test_a_bundle_of_another_home_creates_nobody(nights: Nights) -> None:
    lost = Lost(nights, MISSING, home="/srv/daemon")
    with pytest.raises(SettingError, match="Its home in the bundle is /usr/sbin") as caught:
        lost.made()
    assert "useradd daemon" in caught.value.hint
    assert [row for row in lost.host.ran if "add" in row[0]] == []


def test_a_bundle_without_the_user_is_said(nights: Nights) -> None:
    lost = Lost(nights, MISSING, user="")
    assert lost.made() == [] and "the bundle has no lines of it" in lost.log


def test_a_user_that_exists_stays(nights: Nights) -> None:
    assert Lost(nights, {}).made() == []


def test_a_copy_that_nobody_vouches_for_lets_nobody_in(nights: Nights) -> None:
    lost = Lost(nights, MISSING, vouched=False)
    ran = [command for command, _ in lost.made()]
    assert not any(command.startswith("chpasswd") for command in ran)
    assert any("-s /usr/sbin/nologin" in command for command in ran)
    with connected(lost.store):
        assert lost.account.finish(lost.store, lost.spool) == 0
    assert "System settings stay out" in lost.log and not (lost.conf / "one").exists()


def test_a_command_that_fails_is_said_before_anything_changes(nights: Nights) -> None:
    lost = Lost(nights, {**MISSING, "useradd": 9})
    with pytest.raises(SettingError, match=r"cannot be created: said no\.") as caught:
        lost.made()
    assert caught.value.field == "account" and "useradd" not in caught.value.message


def test_only_missing_settings_that_a_pattern_names_come_back(nights: Nights) -> None:
    lost = Lost(nights, {})
    sink = io.BytesIO()
    summary = lost.account.plan(sink)
    rows = [msgspec.json.decode(line, type=PlanLine) for line in sink.getvalue().splitlines()]
    assert [(row.action, Path(row.path).name) for row in rows] == [
        ("create", "one"),
        ("keep", "two"),
    ]
    assert (summary.created, summary.kept) == (1, 1)
    with connected(lost.store):
        assert lost.account.finish(lost.store, lost.spool) == 1
    assert (lost.conf / "one").read_text() == "one"
    assert (lost.conf / "two").read_text() == "newer" and not (lost.conf / "secret").exists()
    assert "secret: no pattern of the host names it" in lost.log

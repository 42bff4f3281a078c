"""``python -m fasciculus.demo``: the whole scenario on loopback, until Ctrl-C."""

from __future__ import annotations

import ctypes
import fcntl
import json
import logging
import os
import secrets
import signal
import socket
import subprocess
import sys
import time
from dataclasses import asdict, dataclass, field
from pathlib import Path
from zlib import crc32

import httpx

from ..client import Client, RefusedError
from ..core.contents import Contents
from ..models import (
    AccountInput,
    ChannelInput,
    DiscoveryRules,
    HostInput,
    JobInput,
    KindSettings,
    MailFiles,
    MailServer,
    Note,
    Rules,
    RunDetail,
    StartRules,
    WatchSettings,
)
from . import mariadb, postgresql, scenario, timetables
from .mailbox import MailboxPage, MailboxStandIn
from .stores import DemoStores, StorePorts

ADMINISTRATOR, PASSWORD = "administrator", "heronmere-demo"
_TELL = "duty@sedge-quill.example"
_START_SECONDS = 60
#: The number of following ports tried if one is taken, so that a second demo is found near the
#: first.
_NEXT = 50
_PR_SET_PDEATHSIG = 1


@dataclass(slots=True)
class Kept:
    """The state kept for the next start."""

    service_port: int = 7370
    store_ports: dict[str, int] = field(default_factory=dict)
    smtp_port: int = 0
    page_port: int = 0
    store_password: str = ""
    database_password: str = ""
    token: str = ""
    ready: bool = False


def free_port(wanted: int) -> int:
    """Return the wanted port if it is free, otherwise one of the next, otherwise any; any for a
    wanted 0.
    """
    for port in (*range(wanted, wanted + _NEXT if wanted else 0), 0):
        try:
            with socket.socket() as probe:
                probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
                probe.bind(("127.0.0.1", port))
                return int(probe.getsockname()[1])
        except OSError:
            continue
    raise OSError("no free port on loopback")


def _take_lock(path: Path) -> int:
    """Return one demo a folder: two would fight over its database and its records."""
    descriptor = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        raise SystemExit(
            f"A demo runs in {path.parent} already. End it with Ctrl-C first."
        ) from None
    return descriptor


class Demo:
    """Everything that the demo starts, and its end."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._hold = _take_lock(folder / "demo.lock")
        self._memory = folder / "demo.json"
        self.kept = (
            Kept(**json.loads(self._memory.read_text())) if self._memory.exists() else Kept()
        )
        self.kept.store_password = self.kept.store_password or secrets.token_urlsafe(12)
        self.kept.database_password = self.kept.database_password or secrets.token_urlsafe(12)
        self._ends: list[object] = []
        self._service: subprocess.Popen[bytes] | None = None
        self.database: mariadb.PrivateMariaDb | None = None
        self.timetables: postgresql.PrivatePostgreSql | None = None

    def _remember(self) -> None:
        descriptor = os.open(self._memory, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "w") as sink:
            json.dump(asdict(self.kept), sink)

    def start(self) -> None:
        """Start the stand-ins and the service; on the first start, make the scenario."""
        kept, folder = self.kept, self.folder
        host = folder / "reed-1"
        if not host.exists():
            print("Writing the Heronmere accounts …", flush=True)
            scenario.build(host)
        ports = {name: free_port(port) for name, port in kept.store_ports.items()}
        self.stores = DemoStores(folder, kept.store_password, StorePorts(**ports))
        self.stores.start()
        self.mailbox = MailboxStandIn(folder / "mailbox", free_port(kept.smtp_port))
        self.page = MailboxPage(folder / "mailbox", free_port(kept.page_port))
        self._ends += [self.stores, self.mailbox, self.page]
        if mariadb.found():
            print("Starting MariaDB for this demo alone …", flush=True)
            self.database = mariadb.PrivateMariaDb(folder / "mariadb")
            self._ends.append(self.database)
        if postgresql.found():
            print("Starting PostgreSQL for this demo alone …", flush=True)
            name = f"demo-{crc32(bytes(folder.absolute())):08x}"
            self.timetables = postgresql.PrivatePostgreSql(name)
            self._ends.append(self.timetables)
            timetables.write(self.timetables, self.kept.database_password)
        kept.service_port = free_port(7370)
        kept.store_ports = asdict(self.stores.ports)
        kept.smtp_port, kept.page_port = self.mailbox.port, self.page.port
        self._remember()
        self._start_service()
        self._settle()

    @property
    def url(self) -> str:
        """Return the base address."""
        return f"http://127.0.0.1:{self.kept.service_port}"

    def _start_service(self) -> None:
        environment = {
            **os.environ,
            "FASCICULUS_HOME": str(self.folder / "home"),
            "FASCICULUS_ADDRESS": "127.0.0.1",
            "FASCICULUS_PORT": str(self.kept.service_port),
            "FASCICULUS_PUBLIC_URL": self.url,
            "FASCICULUS_ADMIN_PASSWORD": PASSWORD,
            # The demo's channel is on this machine.
            "FASCICULUS_WEBHOOK_NETWORKS": "127.0.0.0/8",
        }
        with (self.folder / "service.log").open("ab") as log:
            self._service = subprocess.Popen(
                [sys.executable, "-m", "fasciculus.service"],
                env=environment,
                stdout=log,
                stderr=log,
                stdin=subprocess.DEVNULL,
                start_new_session=True,
                preexec_fn=_end_with_parent,
            )
        deadline = time.monotonic() + _START_SECONDS
        while True:
            try:
                found = httpx.get(f"{self.url}/health", trust_env=False, verify=False)
                if found.status_code == 200:
                    return
            except httpx.HTTPError:
                pass
            if self._service.poll() is not None or time.monotonic() > deadline:
                raise SystemExit(f"The service did not start; see {self.folder / 'service.log'}.")
            time.sleep(0.1)

    def _settle(self) -> None:
        """Tell the service of hosts, accounts, stores and jobs, or of what has moved since."""
        with Client(self.url, token=self.kept.token or None) as client:
            if not self.kept.token:
                client.session_open(ADMINISTRATOR, PASSWORD)
                self.kept.token = client.tokens_add("demo").token
        with Client(self.url, token=self.kept.token) as client:
            self._settle_ports(client)
            if not self.kept.ready:
                self._first_time(client)
                self.kept.ready = True
        self._remember()
        self._write_environment()

    def _settle_ports(self, client: Client) -> None:
        self.stores.settle(client)
        client.mail_change(
            MailServer(
                address="127.0.0.1",
                port=self.mailbox.port,
                security="none",
                sender="fasciculus@sedge-quill.example",
            )
        )
        bell = f"http://127.0.0.1:{self.page.port}/bell"
        client.channels_save(
            ChannelInput(
                name="bell",
                settings=KindSettings(kind="webhook"),
                secrets={"url": bell, "secret": self.kept.store_password},
            )
        )
        servers = []
        if self.database is not None:
            servers = [{"kind": "mariadb", "socket": self.database.socket, "user": "fasciculus"}]
        if self.timetables is not None:
            place = {"socket": self.timetables.socket, "user": "fasciculus"}
            servers.append({"kind": "postgresql", **place})
        etc = self.folder / "reed-1"
        host = HostInput(
            name="reed-1",
            max_concurrent=2,
            servers=[KindSettings.model_validate(server) for server in servers],
            mail=MailFiles(
                alias_map=f"{etc}/etc/virtual",
                passwd_file=f"{etc}/etc/users",
                home=f"{etc}/mail/{{domain}}/{{user}}",
                dkim=f"{etc}/etc/dkim/{{domain}}",
            ),
            system=[f"{etc}/etc"],
            account_system=[f"{etc}/etc/nginx/{{account}}-*.conf", f"{etc}/etc/cron/{{account}}"],
            hold_flag=f"{etc}/hold/{{site}}",
            discovery=DiscoveryRules(
                homes=[f"{etc}/home/{{account}}"],
                nginx=[f"{etc}/etc/nginx/*.conf"],
                database_prefix="{account}_",
                sqlite=True,
                mail=True,
            ),
            secrets={
                "mariadb_password": self.kept.database_password,
                "postgresql_password": self.kept.database_password,
            },
        )
        if any(row.name == "reed-1" for row in client.every(client.hosts_list)):
            client.hosts_change("reed-1", host)
        else:
            client.hosts_add(host)

    def _first_time(self, client: Client) -> None:
        for plan in scenario.PLANS:
            if plan.mariadb and self.database is not None:
                user = (
                    "CREATE USER IF NOT EXISTS fasciculus@localhost IDENTIFIED BY "
                    f"'{self.kept.database_password}'"
                )
                self.database.run(
                    user,
                    "GRANT ALL ON *.* TO fasciculus@localhost WITH GRANT OPTION",
                    *scenario.shop_statements(plan.mariadb),
                )
        print(f"Found {client.hosts_accept('reed-1').count} accounts on reed-1.", flush=True)
        self._tie_shop(client)
        self._name_contacts(client)
        client.watch_change(
            WatchSettings(
                recipients=[_TELL], channels=["bell"], quiet="22:00-06:00", zone="Europe/London"
            )
        )
        client.jobs_add(
            JobInput(
                name="nightly",
                contents=list(Contents),
                stores=["boathouse"],
                mode="incremental",
                rules=Rules(sets=["caches", "logs"]),
                timetable="daily 02:15",
                keep="7 newest, 4 weekly, 12 monthly",
                starting=StartRules(hours="00:00-06:00", spread=20),
                report_to=[_TELL],
                report_contacts="trouble",
                channels=["bell"],
                notes=[
                    Note(name="disk-usage", command="du -s {home}/*"),
                    Note(name="system", command="uname -a"),
                ],
            )
        )
        client.jobs_add(
            JobInput(
                name="settings-weekly",
                subjects="hosts",
                contents=[Contents.SYSTEM],
                stores=["attic", "drive"],
                timetable="weekly sun 04:00",
                keep="8 newest",
                report_to=[_TELL],
                report_when="trouble",
            )
        )
        client.jobs_add(
            JobInput(
                name="databases-hourly",
                contents=[Contents.DATABASES],
                mode="incremental",
                timetable="hourly at :40",
                stores=["attic"],
                keep="24 newest",
                report_to=[_TELL],
                report_when="trouble",
            )
        )
        client.jobs_add(
            JobInput(
                name="shops-weekly",
                subjects="sites",
                choice="listed",
                names=["shop.bitternpress.example", "shop.millpond.example"],
                contents=[Contents.FILES, Contents.DATABASES],
                timetable="weekly sun 02:15",
                stores=["boathouse", "icehouse", "cellar"],
                keep="4 newest, 12 monthly",
                keep_on={"icehouse": "2 newest"},
                report_to=[_TELL],
                report_when="weekly",
            )
        )
        order = ("nightly", "databases-hourly", "shops-weekly", "settings-weekly", "nightly")
        for day, job in enumerate(order, 1):
            again = job in order[: day - 1]
            print(
                f"A day later: {job} again …" if again else f"Running {job} for the first time …",
                flush=True,
            )
            run = _run(client, job)
            print(f"  {run.sentence}", flush=True)
            scenario.touch_up(self.folder / "reed-1", day)
        print("Copying boathouse to library …", flush=True)
        for number in client.stores_transfer("library", "boathouse").ids:
            while client.maintenance_show(number).state != "ended":
                time.sleep(0.1)

    @staticmethod
    def _name_contacts(client: Client) -> None:
        """Two customers have given contacts for their accounts."""
        for name, contact in (("millpond", "potter"), ("ferryline", "captain")):
            account = client.accounts_show(name)
            fields = account.model_dump(include=set(AccountInput.model_fields))
            fields["contact"] = f"{contact}@{name}.example"
            client.accounts_change(name, AccountInput(**fields))

    @staticmethod
    def _tie_shop(client: Client) -> None:
        """No rule can know which site uses a database; a person says so."""
        account = client.accounts_show("bitternpress")
        for database in account.databases:
            if database.engine == "mariadb":
                database.site = "shop.bitternpress.example"
        fields = account.model_dump(include=set(AccountInput.model_fields))
        client.accounts_change("bitternpress", AccountInput(**fields))

    def _write_environment(self) -> None:
        path = self.folder / "env"
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(descriptor, "w") as sink:
            sink.write(
                f"export FASCICULUS_URL={self.url}\nexport FASCICULUS_TOKEN={self.kept.token}\n"
                f"export PATH={Path(sys.executable).parent}:$PATH\n"
            )

    def stop(self) -> None:
        """End all that was started."""
        if self._service is not None and self._service.poll() is None:
            self._service.terminate()
            try:
                self._service.wait(60)
            except subprocess.TimeoutExpired:
                self._service.kill()
                self._service.wait()
        for end in reversed(self._ends):
            end.close()  # type: ignore[attr-defined]
        self._ends.clear()
        if self._hold >= 0:
            os.close(self._hold)
            self._hold = -1


def _run(client: Client, job: str) -> RunDetail:
    """Run a job; where its timetable has started it in this very minute, after that."""
    while True:
        try:
            return client.start(job).wait()
        except RefusedError:
            if not client.jobs_show(job).running:
                raise
            time.sleep(0.1)


def _end_with_parent() -> None:
    """Have the kernel end the service if this process is killed."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def main() -> int:
    """Run the demo until it is interrupted; return the exit code."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else ".demo").absolute()
    logging.getLogger("paramiko").setLevel(logging.CRITICAL)
    # Both, also where the shell that started this has told it to ignore Ctrl-C.
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, signal.default_int_handler)
    demo = Demo(folder)
    try:
        demo.start()
        print(
            f"""
Fasciculus is ready:  {demo.url}
Sign in as            {ADMINISTRATOR}  with the password  {PASSWORD}
Mailbox stand-in:     http://127.0.0.1:{demo.kept.page_port}/
Stores:               boathouse (SFTP), attic (folder), cellar (FTP), icehouse (object storage),
                      library (WebDAV), drive (cloud drive); their files: {folder}
Misbehaviour:         {folder}/misbehaviour/NAME.json, such as {{"full": true}}

Three things to try:
  1. In a second terminal:  . {folder}/env && fasciculus start nightly --wait
  2. In the console, open Bundles, look into one, and restore it into a new folder.
  3. Open the mailbox and read the report of the last run.

Ctrl-C ends all of it.""",
            flush=True,
        )
        while True:
            signal.pause()
    except KeyboardInterrupt:
        print("\nEnding …", flush=True)
    finally:
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, signal.SIG_IGN)
        demo.stop()
    return 0


if __name__ == "__main__":
    sys.exit(main())

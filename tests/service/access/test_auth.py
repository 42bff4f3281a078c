"""Nobody is let in where they do not belong, and no secret comes out."""

from __future__ import annotations

import json
import re
import socket
import sqlite3
import stat
import subprocess
from pathlib import Path
from typing import Any

import httpx
import pytest
from running import PASSWORD, Service, ServiceProcess, service, set_up, sftp_store, small_account

from fasciculus.client import (
    Client,
    NotSignedInError,
    RefusedError,
    UnusableAnswerError,
)
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import (
    HostInput,
    JobInput,
    MailServer,
    StoreInput,
)


def raw(running: Service, **more: Any) -> httpx.Client:
    # A busy machine may take its time; what is tested here is what is answered, not how soon.
    return httpx.Client(base_url=running.url, trust_env=False, timeout=60.0, **more)


def test_without_sign_in_every_path_answers_401(running: Service) -> None:
    with running.client() as client:
        document = client.openapi_document()
    operations = [(m, p) for p, methods in document["paths"].items() for m in methods]
    assert len(operations) > 50
    with raw(running) as http:
        for method, path in operations:
            url = re.sub(r"{\w+id}", "1", path)
            # Signing in requires JSON.
            signs_in = {"name": "x", "password": "x"} if path.endswith("/session") else None
            answer = http.request(method.upper(), re.sub(r"{\w+}", "x", url), json=signs_in)
            assert answer.status_code == (200 if path == "/health" else 401), (method, path)
            if path != "/health":
                assert answer.headers["content-type"] == "application/problem+json"
        assert http.get("/api/v1/no/such/path").status_code == 401
        for token in ("fsc_wrong", "x" * 5000):
            assert (
                http.get("/api/v1/jobs", headers={"Authorization": f"Bearer {token}"}).status_code
                == 401
            )
        assert (
            http.get("/api/v1/jobs", headers={"Cookie": "fasciculus_session=guess"}).status_code
            == 401
        )
        assert http.get("/health").json()["status"] == "well"
        page = http.get("/")
        assert (
            page.status_code == 200
            and "frame-ancestors 'none'" in page.headers["content-security-policy"]
        )
        assert http.get("/../../etc/passwd").status_code == 404
        assert http.get("/assets/%2e%2e/%2e%2e/app.py").status_code == 404


def test_openapi_is_valid_and_lists_every_route(running: Service) -> None:
    from openapi_spec_validator import validate

    from fasciculus.service.http.app import create_app
    from fasciculus.service.http.operations import OPERATIONS, PREFIX

    with running.client() as client:
        document = client.openapi_document()
    validate(document)
    app = create_app(None)
    former = {PREFIX + path for operation in OPERATIONS for path in operation.former}
    routes = {
        (re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", rule.rule), m.lower())
        for rule in app.url_map.iter_rules()
        for m in rule.methods - {"HEAD", "OPTIONS"}
        if rule.rule.startswith(PREFIX) or rule.rule == "/health"
    }
    described = {
        (path, method) for path, methods in document["paths"].items() for method in methods
    }
    assert {route for route in routes if route[0] not in former} == described
    assert former <= {path for path, _ in routes}, "paths of the version before still answer"


def test_sessions_need_the_csrf_token(running: Service) -> None:
    with raw(running) as http:
        answer = http.post("/api/v1/session", json={"name": "administrator", "password": PASSWORD})
        cookie = answer.headers["set-cookie"]
        assert "HttpOnly" in cookie and "SameSite=Strict" in cookie
        csrf = answer.json()["csrf"]
        assert http.get("/api/v1/jobs").status_code == 200
        assert http.post("/api/v1/tokens", json={"name": "a"}).status_code == 403
        assert (
            http.post(
                "/api/v1/tokens", json={"name": "a"}, headers={"X-CSRF-Token": "x"}
            ).status_code
            == 403
        )
        assert (
            http.post(
                "/api/v1/tokens", json={"name": "a"}, headers={"X-CSRF-Token": csrf}
            ).status_code
            == 201
        )
        assert http.delete("/api/v1/session", headers={"X-CSRF-Token": csrf}).status_code == 204
        http.cookies.set("fasciculus_session", cookie.partition("=")[2].partition(";")[0])
        assert http.get("/api/v1/jobs").status_code == 401, "a session that was signed out is over"


def test_guessing_is_slowed_down(running: Service) -> None:
    with raw(running) as http:

        def guess(name: str = "administrator", password: str = "wrong") -> Any:
            return http.post("/api/v1/session", json={"name": name, "password": password})

        assert [guess().status_code for _ in range(5)] == [401] * 5
        refused = guess(password=PASSWORD)
        assert refused.status_code == 429 and 0 < int(refused.headers["retry-after"]) <= 60
        assert guess("somebody", "x").status_code == 401, "others are not locked out"
    with running.client() as client:
        assert client.session_show().name == "administrator", "tokens go on"


def test_the_initial_password_opens_nothing_but_its_own_change(tmp_path: Path) -> None:
    home = ServiceProcess(tmp_path / "home")
    home.environment.pop("FASCICULUS_ADMIN_PASSWORD")
    home.token = "later"
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", home.port))
        taken.listen()
        failed = home.program("serve")
    assert failed.returncode == 2 and "cannot be used" in failed.stderr, "a first start that fails"
    file = home.home / "initial-password"
    once = file.read_text().strip()
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    home.start()
    try:
        assert str(file) in home.log.read_text() and once not in home.log.read_text()
        assert once not in failed.stderr, "journals are kept and sent on"
        with Client(home.url, token="x") as client:
            # The client is made with a token, and here it has none.
            client._http.headers.pop("Authorization")
            assert client.session_open("administrator", once).must_change
            with pytest.raises(RefusedError, match="password of your own"):
                client.jobs_list()
            with pytest.raises(UnusableAnswerError, match="at least 10"):
                client.password_change(once, "short")
            client.password_change(once, "a-password-of-my-own")
            with pytest.raises(NotSignedInError):
                client.session_show()
            client.session_open("administrator", "a-password-of-my-own")
            assert client.jobs_list().total == 0
            assert not file.exists(), "it was used"
            reset = home.administer("reset-password")
            assert reset.returncode == 0 and str(file) in reset.stdout
            with pytest.raises(NotSignedInError):
                client.jobs_list()
            with pytest.raises(NotSignedInError):
                client.session_open("administrator", "a-password-of-my-own")
            again = file.read_text().strip()
            assert again != once and again not in reset.stdout
            assert client.session_open("administrator", again).must_change
        nobody = home.administer("reset-password", "--name", "nobody")
        assert nobody.returncode == 2 and "There is: administrator." in nobody.stderr
    finally:
        home.stop()


def test_secrets_are_sealed_hashed_and_never_said(
    running_process: ServiceProcess, stand_in: SftpStandIn, tmp_path: Path
) -> None:
    running = running_process
    secrets = {
        "sftp": stand_in.password,
        "database": "Ledger-Secret-1",
        "mail": "Mail-Secret-2",
        "ssh": "Host-Secret-3",
        "person": PASSWORD,
        "token": running.token,
    }
    with running.client() as client:
        set_up(
            client,
            [small_account(tmp_path, "millpond")],
            [sftp_store(stand_in)],
            report_to=["duty@sedge-quill.example"],
        )
        client.hosts_change(
            "reed-1",
            HostInput(
                name="reed-1",
                servers=[{"kind": "mariadb", "socket": "/x.sock", "user": "u"}],
                secrets={"mariadb_password": secrets["database"]},
            ),
        )
        client.mail_change(
            MailServer(
                address="127.0.0.1",
                port=9,
                security="none",
                user="u",
                password=secrets["mail"],
                sender="fasciculus@sedge-quill.example",
            )
        )
        away = HostInput(
            name="reed-2",
            connection={"kind": "ssh", "address": "127.0.0.1", "port": 1, "user": "root"},
            secrets={"password": secrets["ssh"]},
        )
        client.hosts_add(away)
        assert not client.hosts_try("reed-2").ok and client.hosts_show("reed-2").secrets_set == [
            "password"
        ]
        found = client.definitions_apply(
            client.definitions_export(), {"hosts.reed-2.password": secrets["ssh"]}
        )
        assert found.changes == []
        # Processes are looked at while a run goes on.
        number = client.jobs_start("nightly").id
        seen = subprocess.run(["ps", "axeww", "-o", "args="], capture_output=True, text=True).stdout
        list(client.runs_events(number))
        store = client.stores_show("boathouse")
        assert store.secrets_set == ["password"] and not hasattr(store, "secrets")
        client.stores_change("boathouse", StoreInput(name=store.name, settings=store.settings))
        assert client.stores_try("boathouse").ok, "a secret that is not given again stays"
        answers = ""
        for path in client.openapi_document()["paths"]:
            if "{" not in path and path != "/health":
                # Answers as they are, with the client's token.
                answer = client._http.get(path, timeout=60) if path != "/api/v1/live" else None
                answers += answer.text if answer is not None else ""
        for path in (
            f"/runs/{number}",
            f"/runs/{number}/log",
            "/stores/boathouse",
            "/hosts/reed-1",
            "/hosts/reed-2",
            "/reports/1",
            "/bundles/1",
        ):
            answers += client._http.get(f"/api/v1{path}").text
        errors = client._http.put(
            "/api/v1/hosts/reed-1",
            json={"name": "BAD NAME", "secrets": {"mariadb_password": secrets["database"]}},
        )
        assert errors.status_code == 422 and errors.json()["field"] == "name"
        answers += errors.text
    running.stop()
    files = {p: p.read_bytes() for p in running.home.rglob("*") if p.is_file()}
    for what, secret in secrets.items():
        assert secret not in answers, what
        assert secret not in seen or what in ("person", "token"), (
            what
        )  # those two are in this test's own environment
        assert secret not in running.log.read_text(), what
        assert not any(secret.encode() in data for data in files.values()), what
    for path in running.home.rglob("*"):
        if path.name in ("secrets.key", "fasciculus.sqlite"):
            assert stat.S_IMODE(path.stat().st_mode) == 0o600
    with sqlite3.connect(running.home / "records" / "fasciculus.sqlite") as db:
        assert db.execute("SELECT password FROM person").fetchone()[0].startswith("scrypt:")


def test_bad_input_is_answered_at_the_field_with_the_way_out(
    running: Service, tmp_path: Path
) -> None:
    with running.client() as client:
        client.hosts_add(HostInput(name="reed-1"))
        # Raw calls with the client's token.
        http = client._http

        def post(to: str, **body: Any) -> dict[Any, Any]:
            answer = http.post(f"/api/v1{to}", json=body)
            assert answer.status_code == 422, answer.text
            return answer.json()

        assert post("/accounts", name="Mill Pond", host="reed-1", home="/x")["field"] == "name"
        assert post("/accounts", name="millpond", host="reed-9", home="/x")["field"] == "host"
        assert post("/accounts", name="millpond", host="reed-1", home="x/../y")["field"] == "home"
        found = post(
            "/accounts",
            name="millpond",
            host="reed-1",
            home="/x",
            sites=[{"name": "a.example", "root": "/y"}],
        )
        assert found["field"] == "sites" and "not below /x" in found["title"]
        store = {"name": "attic", "settings": {"kind": "folder", "folder": "no"}}
        assert post("/stores", **store)["field"] == "settings.folder"
        for home in ("/var/vmail/{domain}", "/var/{user}/{x}", "/var/{domain.__class__}/{user}"):
            assert post("/hosts", name="reed-2", mail={"home": home})["field"] == "mail.home"
        reached = {"kind": "ssh", "address": "a.example", "user": "root"}
        host = {"name": "reed-2", "connection": reached}
        nowhere = {**host, "connection": {**reached, "address": ""}}
        assert post("/hosts", **nowhere)["field"] == "connection.address"
        for flag in ("/run/hold", "/run/{site}/{x}", "/run/{site.__class__}", "/run/{site}/{"):
            assert post("/hosts", **{**host, "hold_flag": flag})["field"] == "hold_flag"
        assert (
            post("/hosts", **{**host, "mail": {"dkim": "/etc/{domain}/{y}"}})["field"]
            == "mail.dkim"
        )
        assert (
            post("/hosts", **{**host, "discovery": {"homes": ["/home"]}})["field"]
            == "discovery.homes.0"
        )
        assert (
            post("/hosts", **{**host, "discovery": {"database_prefix": "x_"}})["field"]
            == "discovery.database_prefix"
        )
        assert post("/hosts", **{**host, "system": ["etc"]})["field"] == "system.0"
        job = {"name": "nightly", "stores": ["attic"]}
        assert (
            post("/jobs", **{**job, "rules": {"excludes": ["*.log", "!"]}})["field"]
            == "rules.excludes.1"
        )
        assert post("/jobs", **{**job, "rules": {"sets": ["all"]}})["field"] == "rules.sets.0"
        assert (
            post("/jobs", **{**job, "rules": {"ignore_file": "a/b"}})["field"]
            == "rules.ignore_file"
        )
        assert post("/jobs", **{**job, "contents": ["notes"]})["field"] == "notes"
        assert (
            post("/jobs", **{**job, "subjects": "hosts", "contents": ["files"]})["field"]
            == "contents"
        )
        twice = [{"name": "a", "command": "x"}] * 2
        assert post("/jobs", **{**job, "contents": ["notes"], "notes": twice})["field"] == "notes"
        assert (
            post("/jobs", **{**job, "commands": [{"when": "sometimes", "command": "x"}]})["field"]
            == "commands.0.when"
        )
        assert (
            post("/definitions", text='[hosts.a]\nsecrets = { password = "p" }')["field"] == "text"
        )
        assert http.get("/api/v1/coverage?state=fine").json()["field"] == "state"
        assert http.get("/api/v1/coverage?sort=colour").json()["field"] == "sort"
        assert post("/jobs", **{**job, "timetable": "daily 26:00"})["field"] == "timetable"
        assert post("/jobs", **{**job, "zone": "Heronmere"})["field"] == "zone"
        assert post("/jobs", **{**job, "keep": 0})["field"] == "keep"
        assert post("/jobs", **job)["field"] == "stores"
        assert (
            post("/jobs", **{**job, "stores": []})["title"] == "stores: choose at least one store."
        )
        assert post("/jobs", **{**job, "report_to": ["nobody"]})["field"].startswith("report_to")
        assert post("/jobs", **{**job, "choice": "listed", "names": []})["field"] == "names"
        assert http.get("/api/v1/runs?sort=colour").json()["field"] == "sort"
        assert http.get("/api/v1/runs?limit=9999").json()["field"] == "limit"
        assert http.get("/api/v1/runs?cursor=%25").json()["field"] == "cursor"
        assert http.post("/api/v1/jobs", content=b"{not json").status_code == 422
        assert http.get("/api/v1/runs/77").status_code == 404
        assert JobInput(name="x", stores=["a"], contents=["mail", "files"]).contents == [
            "files",
            "mail",
        ]


def test_lists_page_by_cursor_and_filter_on_the_server(running: Service, tmp_path: Path) -> None:
    with running.client() as client:
        client.hosts_add(HostInput(name="reed-1"))
        for number in range(23):
            client.accounts_add(small_account(tmp_path, f"account-{number:02d}", files=0))
        names = [a.name for a in client.every(client.accounts_list, limit=5)]
        assert names == [f"account-{n:02d}" for n in range(23)]
        assert [a.name for a in client.every(client.accounts_list, limit=4, sort="-name")] == names[
            ::-1
        ]
        page = client.accounts_list(q="-1", limit=3)
        assert page.total == 10 and len(page.items) == 3
        assert client.accounts_list(q="%").total == 0, "a wildcard is a plain character"
        assert {f.name for f in client.search("count-07").items} == {"account-07"}


def test_settings_in_force_are_explained(tmp_path: Path) -> None:
    (tmp_path / "fasciculus.toml").write_text("port = 7399\nworkers = 3\n")
    with service(tmp_path / "other") as running:
        found = running.cli(
            "config", "--json", env={"FASCICULUS_HOME": str(tmp_path), "FASCICULUS_PORT": "7400"}
        )
        rows = {row["setting"]: (row["value"], row["from"]) for row in json.loads(found.stdout)}
        assert rows["port"] == ("7400", "FASCICULUS_PORT") and rows["address"] == (
            "127.0.0.1",
            "default",
        )
        assert rows["workers"] == ("3", str(tmp_path / "fasciculus.toml"))
        (tmp_path / "fasciculus.toml").write_text("prot = 7399\n")
        bad = running.cli("config", env={"FASCICULUS_HOME": str(tmp_path)})
        assert bad.returncode == 2 and "“prot”, which is not a setting" in bad.stderr

"""Requests of people who mean no good: answered in words, bounded, and nobody else waits."""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import httpx
import pytest
from running import PASSWORD, Service, service, until

from fasciculus.config import load
from fasciculus.service.http.app import create_app
from fasciculus.service.http.authentication import network_of
from fasciculus.service.http.operations import PREFIX
from fasciculus.service.http.web_server import BoundedChannel
from fasciculus.service.main import build

EXAMPLES = 3
#: May read what it needs to run, and write nowhere but in its home.
WITHOUT_RIGHTS = [
    "setpriv",
    "--reuid=65534",
    "--regid=65534",
    "--clear-groups",
    "--inh-caps=-all,+dac_read_search",
    "--ambient-caps=-all,+dac_read_search",
]


def test_no_operation_answers_whatever_it_is_sent_with_a_5xx() -> None:
    """Valid and invalid requests of every operation, by a process without rights."""
    with tempfile.TemporaryDirectory(dir="/tmp") as home:
        os.chmod(home, 0o777)
        program = [sys.executable, str(Path(__file__).with_name("every_operation.py"))]
        done = subprocess.run(
            [*(WITHOUT_RIGHTS if os.geteuid() == 0 else []), *program, home, str(EXAMPLES)],
            capture_output=True,
            text=True,
            timeout=280,
            cwd="/",
        )
        assert done.returncode == 0, done.stderr[-2000:]
    found = json.loads(done.stdout.splitlines()[-1])
    assert found["bad"] == [], json.dumps(found["bad"], indent=1)[:3000]
    assert found["operations"] > 70 and found["requests"] > 2 * found["operations"]


@pytest.fixture(scope="module")
def running(tmp_path_factory: Any) -> Iterator[Service]:
    with service(tmp_path_factory.mktemp("requests") / "home") as found:
        yield found


def raw(running: Service, request: bytes) -> bytes:
    """The first line of what a connection answers to these bytes."""
    with socket.create_connection(("127.0.0.1", running.port), timeout=60) as connection:
        connection.sendall(request)
        return connection.makefile("rb").readline()


HEAD = b"Host: localhost\r\nConnection: close\r\nAuthorization: Bearer %s\r\n"


@pytest.mark.parametrize(
    ("line", "more"),
    [
        (b"GET /api/v1/jobs HTTP/1.1", "X-CSRF-Token: é\r\n".encode("latin-1")),
        (b"GET /api/v1/jobs HTTP/1.1", b"Cookie: fasciculus_session=\xff\xfe\r\n"),
        (b"GET /api/v1/jobs HTTP/1.1", b"Idempotency-Key: \xe2\x98\x83\r\n"),
        (b"POST /api/v1/jobs HTTP/1.1", b"Content-Length: -1\r\n"),
        (b"POST /api/v1/jobs HTTP/1.1", b"Content-Length: 1x\r\n"),
        (b"POST /api/v1/jobs HTTP/1.1", b"Transfer-Encoding: nonsense\r\n"),
        (b"GET /api/v1/jobs/%00 HTTP/1.1", b""),
        (b"GET /api/v1/jobs?q=%00&cursor=%ff%fe HTTP/1.1", b""),
        (b"GET /api/v1/runs/99999999999999999999999 HTTP/1.1", b""),
        ("GET /api/v1/runs/٣ HTTP/1.1".encode(), b""),
        (b"GET /api/v1/runs/%D9%A3 HTTP/1.1", b""),
        (b"GET /api/v1/runs?limit=%D9%A3 HTTP/1.1", b""),
        (b"GET /api/v1/runs?limit=1e9&cursor=-1&sort=--id HTTP/1.1", b""),
        (b"GET /api/v1/bundles?cursor=eyJ9 HTTP/1.1", b""),
        (b"GET /%2e%2e/%2e%2e/etc/passwd HTTP/1.1", b""),
        (b"GET /assets/%00 HTTP/1.1", b""),
        (b"NONSENSE /api/v1/jobs HTTP/1.1", b""),
        (b"GET /api/v1/jobs HTTP/9.9", b""),
        (b"\xff\xfe\xfd", b""),
    ],
    ids=repr,
)
def test_odd_requests_are_answered_in_words(running: Service, line: bytes, more: bytes) -> None:
    answer = raw(running, line + b"\r\n" + HEAD % running.token.encode() + more + b"\r\n")
    # The last two say that HTTP itself is not done so.
    assert (
        answer == b""
        or answer.split()[1] in (b"200", b"401", b"501", b"505")
        or (answer.split()[1][:1] == b"4")
    ), answer


@pytest.mark.parametrize(
    "body",
    [
        b"[" * 200_000,
        b'{"a":' * 100_000,
        b'{"name": "a\\u0000b"}',
        b'{"name": "\\ud800"}',
        b'{"name": 1e999}',
        b'{"name": ' + b"9" * 5000 + b"}",
        b"\xff",
        b'"text"',
        b"null",
        b"NaN",
    ],
    ids=lambda body: repr(body[:20]),
)
def test_odd_bodies_are_refused(running: Service, body: bytes) -> None:
    headers = {
        "Authorization": f"Bearer {running.token}",
        "Content-Type": "application/json",
    }
    paths = ("/tokens", "/jobs", "/hosts", "/accounts", "/stores", "/restores", "/session")
    with httpx.Client(base_url=running.url + PREFIX, trust_env=False, timeout=60) as http:
        for path in paths:
            answer = http.post(path, content=body, headers=headers)
            assert answer.status_code in (401, 404, 409, 422), (path, answer.text)
        deep = {"text": "a = " + "[" * 20_000}
        answer = http.post("/definitions/check", json=deep, headers=headers)
        assert answer.status_code < 500, answer.text


def test_what_is_too_large_is_refused_before_anybody_signed_in(running: Service) -> None:
    long = b"GET / HTTP/1.1\r\nX-Long: " + b"x" * 200_000 + b"\r\n\r\n"
    assert raw(running, long).split()[1] == b"431"
    huge = b"POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Length: 999999999\r\n\r\n"
    assert raw(running, huge).split()[1] == b"413"


def test_two_hundred_that_drip_keep_nobody_waiting(running: Service) -> None:
    with ExitStack() as connections:
        for _ in range(200):
            one = connections.enter_context(
                socket.create_connection(("127.0.0.1", running.port), timeout=60)
            )
            one.sendall(b"POST /api/v1/session HTTP/1.1\r\nHost: localhost\r\nX-Slow: ")
        with running.client() as client:
            assert client.jobs_list().total == 0 and client.health().status == "well"


def test_a_request_that_never_ends_is_ended(running: Service) -> None:
    """Its time counts from its first byte, whatever comes after."""
    # The server inside, to see what it holds open.
    server = running._server
    with socket.create_connection(("127.0.0.1", running.port), timeout=60) as one:
        one.sendall(b"GET / HTTP/1.1\r\nX-Slow: ")
        port = one.getsockname()[1]

        def channel() -> BoundedChannel | None:
            found = [c for c in list(server.active_channels.values()) if c.addr[1] == port]
            return found[0] if found and found[0].request is not None else None

        began = until(channel).last_activity
        one.sendall(b"more")
        until(lambda: b"more" in channel().request.header_plus)
        assert channel().last_activity == began
        server.maintenance(time.time() + 3600)
        assert until(lambda: one.recv(100) == b"")


def test_sixty_guesses_at_once_are_no_more_than_sixty_in_a_row(tmp_path: Path) -> None:
    with service(tmp_path / "home") as one:
        with httpx.Client(base_url=one.url, trust_env=False, timeout=120) as http:
            together = threading.Barrier(60)

            def guess(number: int) -> int:
                together.wait()
                body = {"name": "administrator", "password": f"guess-{number}"}
                return http.post(f"{PREFIX}/session", json=body).status_code

            with ThreadPoolExecutor(60) as pool:
                answers = sorted(pool.map(guess, range(60)))
            assert answers == [401] * 5 + [429] * 55
        audit = one.parts.records.reader.execute(
            "SELECT count(*) FROM audit WHERE action='sign-in refused'"
        ).fetchone()[0]
        assert audit == 5


def test_guessing_from_everywhere_does_not_lock_the_owner_out(tmp_path: Path) -> None:
    """Behind a trusted proxy each guess comes from another address."""
    with service(tmp_path / "home", FASCICULUS_TRUSTED_PROXY="127.0.0.1") as one:

        def sign_in(http: Any, address: str, password: str) -> int:
            body = {"name": "administrator", "password": password}
            given = {"X-Forwarded-For": address}
            return http.post(f"{PREFIX}/session", json=body, headers=given).status_code

        with httpx.Client(base_url=one.url, trust_env=False, timeout=60) as http:
            assert sign_in(http, "192.0.2.7", PASSWORD) == 200, "where the owner always is"
            with ThreadPoolExecutor(8) as pool:
                addresses = [f"198.51.100.{number}" for number in range(64)]
                found = list(pool.map(lambda a: sign_in(http, a, "wrong"), addresses))
            assert found.count(401) == 60 and found.count(429) == 4
            assert sign_in(http, "203.0.113.9", PASSWORD) == 429, "from where nobody knows him"
            assert sign_in(http, "192.0.2.7", PASSWORD) == 200


def test_without_a_trusted_proxy_nobody_chooses_an_address(running: Service) -> None:
    with httpx.Client(base_url=running.url, trust_env=False, timeout=60) as http:
        for number in range(6):
            answer = http.post(
                f"{PREFIX}/session",
                json={"name": "somebody", "password": "wrong"},
                headers={"X-Forwarded-For": f"198.51.100.{number}"},
            )
    assert answer.status_code == 429


def test_an_address_is_what_one_person_has_of_them() -> None:
    assert network_of("192.0.2.7") == "192.0.2.7" != network_of("192.0.2.8")
    assert network_of("2001:db8::1") == network_of("2001:db8::ffff") == "2001:db8::/64"
    assert network_of("2001:db8:0:1::1") != network_of("2001:db8::1")
    assert network_of("?") == "?"


def test_over_https_browsers_are_told_to_stay_there(tmp_path: Path) -> None:
    environment = {
        "FASCICULUS_HOME": str(tmp_path / "home"),
        "FASCICULUS_ADMIN_PASSWORD": PASSWORD,
        "FASCICULUS_SECURE_COOKIES": "true",
    }
    parts = build(load(environment), environment)
    answer = create_app(parts).test_client().get("/health")
    assert "max-age=31536000" in answer.headers["strict-transport-security"]
    assert "unsafe" not in answer.headers["content-security-policy"]
    parts.records.close()


def test_tokens_end_with_a_changed_password_by_choice(tmp_path: Path) -> None:
    with service(tmp_path / "home") as one, one.client() as client:
        client.password_change(PASSWORD, "another-password")
        assert client.tokens_list().total == 1
        client.password_change("another-password", "a-third-password", end_tokens=True)
        answer = httpx.get(
            f"{one.url}{PREFIX}/jobs",
            headers={"Authorization": f"Bearer {one.token}"},
            trust_env=False,
        )
        assert answer.status_code == 401


def test_the_page_about_the_api_can_be_read(running: Service) -> None:
    headers = {"Authorization": f"Bearer {running.token}"}
    answer = httpx.get(f"{running.url}{PREFIX}/reference", headers=headers, trust_env=False)
    assert answer.status_code == 200 and "/restores" in answer.text
    assert "style-src 'nonce-" in answer.headers["content-security-policy"]

"""Guessed secrets, foreign pages, and secrets in the environment."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from running import (
    PASSWORD,
    Service,
    folder_stores,
    run,
    service,
    service_process,
    set_up,
    small_account,
)

from fasciculus.models import StartAddressInput


@pytest.fixture
def plain(running: Service) -> Iterator[Any]:
    """The service by raw HTTP, with no sign-in."""
    running.client()
    with httpx.Client(base_url=running.url, trust_env=False) as found:
        yield found


@pytest.mark.parametrize(
    "path", ["/calendar/wrong.ics", "/start/wrong", "/metrics"], ids=["feed", "address", "metrics"]
)
def test_wrong_secrets_are_limited_wherever_one_opens_something(plain: Any, path: str) -> None:
    method = "POST" if path.startswith("/start") else "GET"
    headers = {"Authorization": "Bearer wrong"} if path == "/metrics" else {}
    codes = [plain.request(method, path, headers=headers).status_code for _ in range(12)]
    assert set(codes[:10]) <= {401, 404} and codes[10:] == [429, 429]
    # Who sends none guesses nothing; who knows one is not held up.
    assert plain.get("/metrics").status_code == 401
    assert plain.get("/health").status_code == 200


def test_a_job_starts_by_post_alone_and_refused_starts_count_for_nothing(
    running: Service, tmp_path: Path, plain: Any
) -> None:
    client = running.client()
    set_up(client, [small_account(tmp_path, "millpond")], folder_stores(tmp_path, "attic"))
    made = client.jobs_address_make("nightly", StartAddressInput(per_hour=2))
    path = httpx.URL(made.url).path
    for method in ("GET", "HEAD", "PUT", "DELETE"):
        answer = plain.request(method, path, headers={"Purpose": "prefetch"})
        assert answer.status_code == 405 and "POST" in answer.headers["Allow"]
    assert client.runs_list().total == 0
    codes = [plain.post(path, params={"wait": "60"}).status_code for _ in range(4)]
    assert codes[:2] == [200, 200] and codes[2:] == [429, 429]


@pytest.mark.parametrize("kind", ["text/plain", "application/x-www-form-urlencoded", ""])
def test_a_page_elsewhere_signs_nobody_in(running: Service, plain: Any, kind: str) -> None:
    body = b'{"name": "administrator", "password": "%s"}' % PASSWORD.encode()
    headers = {"Content-Type": kind} if kind else {}
    assert plain.post("/api/v1/session", content=body, headers=headers).status_code == 403
    headers = {"Content-Type": "application/json", "Origin": "https://evil.example"}
    assert plain.post("/api/v1/session", content=body, headers=headers).status_code == 403
    headers["Origin"] = running.url
    assert plain.post("/api/v1/session", content=body, headers=headers).status_code == 200


def test_links_do_not_lead_where_a_request_says(running: Service) -> None:
    client = running.client()
    assert client.calendar_feed_make().url.startswith(f"{running.url}/calendar/")
    headers = {"Host": "evil.example", "Authorization": f"Bearer {running.token}"}
    url = f"{running.url}/api/v1/calendar/feed"
    made = httpx.post(url, headers=headers, trust_env=False).json()
    assert made["url"].startswith(f"{running.url}/calendar/"), made


def test_the_administrators_password_does_not_stay_in_the_environment(tmp_path: Path) -> None:
    with service_process(tmp_path / "home") as running:
        running.client().jobs_list()
        for name in os.listdir("/proc"):
            if name.isdigit() and _is_of(name, str(tmp_path)):
                with open(f"/proc/{name}/environ", "rb") as file:
                    assert b"ADMIN_PASSWORD" not in file.read()


def _is_of(process: str, home: str) -> bool:
    try:
        with open(f"/proc/{process}/environ", "rb") as file:
            return f"FASCICULUS_HOME={home}".encode() in file.read()
    except OSError:
        return False


def test_the_setting_of_networks_lets_webhooks_stay_here(tmp_path: Path) -> None:
    with service(tmp_path / "home", FASCICULUS_WEBHOOK_NETWORKS="10.0.0.0/8") as running:
        assert running.parts.config.webhook_networks == ("10.0.0.0/8",)


def test_nothing_is_imported_from_the_folder_that_root_stands_in(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    hostile = tmp_path / "millpond"
    hostile.mkdir()
    for name in ("json", "msgspec", "multiprocessing", "flask", "paramiko", "fasciculus"):
        (hostile / f"{name}.py").write_text("open('imported', 'w')")
    monkeypatch.chdir(hostile)
    with service_process(tmp_path / "home") as found:
        said = found.program("admin", "--help")
        assert said.returncode == 0, said
        found.program("admin", "users")
        with found.client() as client:
            set_up(
                client,
                [small_account(tmp_path / "valley", "ferryline")],
                folder_stores(tmp_path, "attic"),
            )
            assert run(client, "nightly").outcome == "done"
            client.stores_try("attic")
    assert not (hostile / "imported").exists()

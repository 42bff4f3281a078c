"""A user with a scope of one account: nothing of another account appears anywhere."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from running import PASSWORD, Service, folder_stores, run, service, small_account

from fasciculus.contracts.events import DamageFound
from fasciculus.core.permissions import Permission
from fasciculus.core.scope import Scope
from fasciculus.core.subject import Subject
from fasciculus.models import AccountInput, HostInput, JobInput, RestoreStart
from fasciculus.records import users
from fasciculus.records.bundles import damage
from fasciculus.records.runs import restores
from fasciculus.service.context import Context
from fasciculus.service.http.operations import OPERATIONS, PREFIX, Operation
from fasciculus.service.usecases import runs
from fasciculus.service.usecases.caller import Caller

#: What only the other account has: itself, its site, its home, its tag, its job.
OTHERS = ("ferryline", "timetable.example", "boat-house", "night-boats", "crossings")
#: Endless, or with other answers: tested one by one below.
STREAMS = ("live", "runs_events", "bundles_download")


def sites(folder: Path, name: str, site: str) -> AccountInput:
    account = small_account(folder, name)
    return AccountInput(
        **{
            **account.model_dump(),
            "sites": [{"name": site, "root": account.home}],
            "tags": ["night-boats"] if name == "ferryline" else [],
        }
    )


@pytest.fixture(scope="module")
def valley(tmp_path_factory: Any) -> Iterator[Any]:
    tmp = tmp_path_factory.mktemp("valley")
    with service(tmp / "home") as running, running.client() as client:
        for store in folder_stores(tmp, "attic"):
            client.stores_add(store)
        client.hosts_add(HostInput(name="reed-1"))
        client.accounts_add(sites(tmp, "millpond", "pots.example"))
        client.accounts_add(sites(tmp / "boat-house", "ferryline", "timetable.example"))
        every_night = {"stores": ["attic"], "timetable": "daily 02:00", "keep": "5 newest"}
        client.jobs_add(JobInput(name="nightly", **every_night))
        client.jobs_add(JobInput(name="pages", subjects="sites", **every_night))
        client.jobs_add(
            JobInput(name="crossings", choice="listed", names=["ferryline"], **every_night)
        )
        for job in ("nightly", "pages", "crossings"):
            assert run(client, job).outcome == "done"
        parts = running.parts
        with parts.records.write() as db:
            users.add(db, "clerk", PASSWORD, must_change=False)
            users.set_scope(db, users.id_of(db, "clerk"), Scope(frozenset({"millpond"})))
            running.clerk = users.add_token(db, users.id_of(db, "clerk"), "of-clerk").token  # type: ignore[attr-defined]
            for bundle in client.bundles_list().items:
                if bundle.job == "nightly":
                    start = RestoreStart(bundle=bundle.id, target=str(tmp / "x" / bundle.subject))
                    restores.add(db, start, bundle, "attic", "somebody", None)
                    found = DamageFound(f"{bundle.subject}-piece", "altered", [bundle.name], [], 1)
                    damage.found(db, "attic", Subject("account", bundle.subject), found)
        yield running


@pytest.fixture
def clerk(valley: Any) -> Iterator[Callable[..., Any]]:
    """Requests of a clerk of millpond."""
    with httpx.Client(
        base_url=valley.url,
        trust_env=False,
        timeout=60,
        headers={"Authorization": f"Bearer {valley.clerk}"},
    ) as http:
        yield lambda method, path, **more: http.request(method, path, **more)


def known(parts: Context) -> dict[Any, Any]:
    """The values that paths are filled with: all that there are, and one that there is not."""
    numbers = [str(number) for number in range(1, 9)]
    names = ["millpond", "ferryline", "pots.example", "nightly", "crossings", "reed-1", "attic"]
    return {"name": names, "kind": ["report", "job"], **dict.fromkeys(NUMBERS, numbers)}


NUMBERS = ("bundle_id", "run_id", "restore_id", "maintenance_id", "report_id", "preview_id")


def paths(operation: Operation, values: dict[Any, Any]) -> Iterator[str]:
    fields = re.findall(r"{(\w+)}", operation.path)
    for chosen in itertools.product(*[values.get(field, ["1"]) for field in fields]):
        path = operation.path
        for field, value in zip(fields, chosen, strict=True):
            path = path.replace(f"{{{field}}}", value)
        yield path


def test_no_operation_shows_anything_of_another_account(
    valley: Service, clerk: Callable[..., Any]
) -> None:
    seen = set()
    for operation in OPERATIONS:
        if operation.name in STREAMS or operation.name.startswith(("session_", "password_")):
            continue
        own = operation.permission in (Permission.PUBLIC, Permission.SIGNED_IN)
        for path in paths(operation, known(valley.parts)):
            query = {"q": "e", "subject": "ferryline", "limit": "200"}
            for params in ({}, query, {**query, "subject": "millpond"}):
                answer = clerk(operation.method, PREFIX + path, params=params, json={})
                # What was sent may be repeated: it tells nothing.
                text = answer.text.replace("“ferryline”", "").replace("“crossings”", "")
                for word in OTHERS:
                    assert word not in text, (operation.name, path, params, text[:500])
                if not (own or operation.scoped):
                    assert answer.status_code == 403, (operation.name, path)
                    assert "concerns more than your accounts" in answer.text
                elif answer.status_code == 200 and "millpond" in answer.text:
                    seen.add(operation.name)
    assert seen >= {
        "accounts_list",
        "accounts_show",
        "bundles_list",
        "bundles_show",
        "coverage_list",
        "damage_list",
        "growth_show",
        "overview",
        "restores_list",
        "restores_show",
        "runs_log",
        "runs_show",
        "search",
    }


def test_a_run_of_many_accounts_is_shown_as_one_of_these(
    valley: Service, clerk: Callable[..., Any]
) -> None:
    rows = {row["job"]: row for row in clerk("GET", f"{PREFIX}/runs").json()["items"]}
    assert sorted(rows) == ["nightly", "pages"]
    assert rows["nightly"]["tasks_total"] == 1 and rows["nightly"]["outcome"] == "done"
    assert rows["nightly"]["sentence"] == ""
    with valley.client() as client:
        of_all = {row.job: row for row in client.runs_list().items}
    assert of_all["nightly"].tasks_total == 2 and of_all["nightly"].sentence
    assert rows["nightly"]["bytes"] < of_all["nightly"].bytes
    detail = clerk("GET", f"{PREFIX}/runs/{rows['pages']['id']}").json()
    assert [task["subject"] for task in detail["tasks"]] == ["pots.example"]
    assert clerk("GET", f"{PREFIX}/runs/{of_all['crossings'].id}").status_code == 404
    for outcome, count in (("done", 2), ("trouble", 0)):
        answer = clerk("GET", f"{PREFIX}/runs", params={"outcome": outcome})
        assert answer.json()["total"] == count


def test_totals_and_starts_are_those_of_the_scope(
    valley: Service, clerk: Callable[..., Any]
) -> None:
    overview = clerk("GET", f"{PREFIX}/overview").json()
    assert (overview["accounts"], overview["sites"], overview["bundles"]) == (1, 1, 2)
    assert (overview["hosts"], overview["stores"], overview["attention"]) == (0, [], [])
    assert {row["job"] for row in overview["upcoming"]} == {"nightly", "pages"}
    starts = clerk("GET", f"{PREFIX}/calendar").json()["starts"]
    assert {row["job"] for row in starts} == {"nightly", "pages"}
    numbers = clerk("GET", "/metrics").text
    # The only copy of millpond is damaged: its site has a good one.
    assert 'subject="pots.example"' in numbers
    assert not any(word in numbers for word in (*OTHERS, "attic"))


def test_downloads_are_of_the_scope(valley: Service, clerk: Callable[..., Any]) -> None:
    with valley.client() as client:
        numbers = {row.subject: row.id for row in client.bundles_list().items}
    path = f"{PREFIX}/bundles/{{}}/download"
    given = clerk("GET", path.format(numbers["millpond"]))
    assert given.status_code == 200 and len(given.content) > 100
    assert clerk("GET", path.format(numbers["ferryline"])).status_code == 404
    assert clerk("GET", path.format(numbers["timetable.example"])).status_code == 404
    sign_in = {"Authorization": f"Bearer {valley.token}"}
    mine = clerk("GET", path.format(numbers["ferryline"]), headers=sign_in).headers["X-Download"]
    assert clerk("GET", f"{PREFIX}/downloads/{mine}").status_code == 404
    own = given.headers["X-Download"]
    assert clerk("GET", f"{PREFIX}/downloads/{own}").json()["omissions"] == 0


def test_live_events_are_of_the_scope(valley: Service) -> None:
    parts = valley.parts
    scopes = {"clerk": Scope(frozenset({"millpond"})), "administrator": Scope()}
    told = {}
    for name, scope in scopes.items():
        caller = Caller(parts, users.Principal(1, name, scope=scope))
        live = runs.live(caller, "")
        epoch = re.search(rb"id: (\w+)-", next(live) + next(live))[1].decode()
        live.close()  # type: ignore[attr-defined]
        parts.events.changed("the end")
        live, frames = runs.live(caller, f"{epoch}-0"), b""
        while b"the end" not in frames:
            frames += next(live)
        live.close()  # type: ignore[attr-defined]
        told[name] = frames
    assert b"millpond" in told["clerk"] and b"pots.example" in told["clerk"]
    assert b"event: run\n" not in told["clerk"] and b"event: changed" in told["clerk"]
    for word in OTHERS[:2]:
        assert word.encode() in told["administrator"]
    assert not any(word.encode() in told["clerk"] for word in OTHERS)

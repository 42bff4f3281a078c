"""The types of problems: each has a status, a line in the docs, and is what programs get."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import httpx
import pytest
from running import Service

from fasciculus.models.problem import ProblemType
from fasciculus.service.http.problems import STATUS

DOC = Path(__file__).parents[3] / "docs/problems.md"


def test_the_docs_list_every_type_with_its_status() -> None:
    rows = re.findall(r"^\| `(/problems/[\w-]+)` \| (\d+)", DOC.read_text(), re.M)
    assert {kind: int(status) for kind, status in rows} == {str(k): v for k, v in STATUS.items()}
    assert len(rows) == len(STATUS) == len(ProblemType)


@pytest.mark.parametrize(
    "method, path, body, kind",
    [
        ("GET", "/jobs/none", None, ProblemType.NOT_FOUND),
        ("GET", "/nothing/here", None, ProblemType.NOT_FOUND),
        ("PATCH", "/jobs", None, ProblemType.METHOD_NOT_ALLOWED),
        ("POST", "/hosts", {"name": "/"}, ProblemType.INVALID_VALUE),
        ("POST", "/hosts", {"name": "reed-1"}, ProblemType.NAME_TAKEN),
        ("POST", "/session", {"name": "nobody", "password": "x"}, ProblemType.WRONG_PASSWORD),
    ],
)
def test_programs_tell_problems_apart_by_their_type(
    running: Service, method: str, path: str, body: dict[Any, Any] | None, kind: ProblemType
) -> None:
    url, sent = f"{running.url}/api/v1{path}", {"Authorization": f"Bearer {running.token}"}
    if kind is ProblemType.NAME_TAKEN:
        assert httpx.post(f"{running.url}/api/v1/hosts", json=body, headers=sent).is_success
    answer = httpx.request(method, url, json=body, headers=sent)
    assert answer.headers["Content-Type"] == "application/problem+json"
    assert (answer.json()["type"], answer.json()["status"]) == (kind, answer.status_code)
    assert answer.status_code == STATUS[kind]


def test_paths_and_fields_of_the_version_before_still_answer(
    running: Service, tmp_path: Path
) -> None:
    (tmp_path / "homes/millpond").mkdir(parents=True)
    sent = {"Authorization": f"Bearer {running.token}"}
    with httpx.Client(base_url=f"{running.url}/api/v1", headers=sent) as client:
        rules = {"homes": [f"{tmp_path}/homes/{{account}}"]}
        made = client.post("/hosts", json={"name": "reed-1", "at_once": 3, "finding": rules}).json()
        assert (made["max_concurrent"], made["discovery"]["homes"]) == (3, rules["homes"])
        assert client.get("/hosts/reed-1/finding").json()["total"] == 1
        assert client.post("/hosts/reed-1/finding", json={"all": True}).json() == {"count": 1}
        assert client.get("/hosts/reed-1/discovery").json()["total"] == 0
        mail = {
            "address": "mail.sedge-quill.example",
            "sender": "reports@sedge-quill.example",
            "second_way": "none-such",
        }
        assert client.put("/settings/mail", json=mail).json()["field"] == "fallback_channel"
        assert client.get("/maintenance", params={"kind": "mend"}).json()["items"] == []
        for path in ("/stores/none/mend", "/stores/none/take-over", "/jobs/none/take-back/1"):
            assert client.post(path, json={}).json()["title"].startswith("There is no")
        document = httpx.get(f"{running.url}/api/v1/openapi.json").text
        assert not any(
            word in document for word in ("take-over", "take-back", "/mend", "second_way")
        )

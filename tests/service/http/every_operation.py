"""Sends every operation of the API what its description allows and what it does not.

Prints what was answered by 5xx, and how many requests there were. Meant for a separate process
without rights: some operations create folders anywhere.
"""

from __future__ import annotations

import contextlib
import json
import logging
import sys
from pathlib import Path
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis.errors import Unsatisfiable
from schemathesis import GenerationMode

from fasciculus.config import load
from fasciculus.records import users
from fasciculus.service import main as program
from fasciculus.service.http.app import create_app
from fasciculus.service.http.operations import PREFIX

PASSWORD = "sedge-and-quill"
#: Streams without an end, and connections to whatever address comes up.
ENDLESS = ("/try", "/live")
#: What a store or a host that is not there is answered with, and what a busy service says.
MEANT = (502, 503)


def sent(operation: Any, headers: dict, examples: int) -> list[tuple[str, str, str] | None]:
    """Send generated requests to an operation; return the first one answered by 5xx, or None."""
    answers: list[tuple[str, str, str] | None] = []

    allowed = operation.as_strategy(generation_mode=GenerationMode.POSITIVE)
    not_allowed = operation.as_strategy(generation_mode=GenerationMode.NEGATIVE)

    @given(case=allowed | not_allowed)
    @settings(
        max_examples=examples,
        database=None,
        deadline=None,
        derandomize=True,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    def send(case: Any) -> None:
        answer = case.call(headers=headers)
        is_bad = answer.status_code >= 500 and answer.status_code not in MEANT
        found = operation.label, case.as_curl_command()[:600], answer.text[:300]
        answers.append(found if is_bad else None)

    # Some operations take nothing that could be wrong.
    with contextlib.suppress(Unsatisfiable):
        send()
    return answers


def main(home: Path, examples: int) -> None:
    logging.disable(logging.CRITICAL)
    environment = {"FASCICULUS_HOME": str(home), "FASCICULUS_ADMIN_PASSWORD": PASSWORD}
    parts = program.build(load(environment), environment)
    app = create_app(parts)
    with parts.records.write() as db:
        token = users.add_token(db, 1, "tests").token
    headers = {"Authorization": f"Bearer {token}"}
    schema = schemathesis.openapi.from_wsgi(f"{PREFIX}/openapi.json", app, headers=headers)
    bad: list[tuple[str, str, str]] = []
    count = operations = 0
    for found in schema.get_all_operations():
        operation = found.ok()
        operations += 1
        if operation.path.endswith(ENDLESS):
            continue
        answers = sent(operation, headers, examples)
        count += len(answers)
        bad += [answer for answer in answers if answer is not None]
    parts.records.close()
    print(json.dumps({"requests": count, "operations": operations, "bad": bad}))


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))

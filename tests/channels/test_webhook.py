"""Messages to channels: what they say, how they are signed, what becomes of answers."""

from __future__ import annotations

import base64
import json
import socket
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import pytest
from web_hook import Hook

from fasciculus.channels import KINDS, posting, web_transport
from fasciculus.channels.base import ChannelMessage, ChannelSpec, Delivery
from fasciculus.core.errors import RefusedError, SettingError, UnreachableError
from fasciculus.core.reports.run_report import CopyLine, RunReport, TaskLine
from fasciculus.models import WebhookMessage, WebhookStore
from fasciculus.models.reports import ChannelAnswer
from fasciculus.service.notifications import webhook_message

LOOPBACK = ("127.0.0.0/8",)
MOMENT = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)
MESSAGE = WebhookMessage(
    event="alert",
    at=MOMENT,
    title="[Fasciculus] “attic” is full",
    sentence="Store attic is full.",
    trouble=True,
    link="https://backup.example/#/alerts",
)


def channel(
    url: str = "http://127.0.0.1:9", secret: str = "", kind: str = "webhook", **settings: Any
) -> ChannelSpec:
    secrets = {"url": url, **({"secret": secret} if secret else {})}
    return ChannelSpec("bell", KINDS.parse({"kind": kind, **settings}), secrets)


def body_of(channel: ChannelSpec, message: WebhookMessage) -> bytes:
    return KINDS.get(channel.settings.kind).compose(channel, ChannelMessage(message))


def ask(
    channel: ChannelSpec, number: str, body: bytes, networks: tuple[Any, ...] = ()
) -> ChannelAnswer:
    return posting.ask(channel, Delivery(number, body, networks))


def send(
    channel: ChannelSpec, number: str, body: bytes, networks: tuple[Any, ...] = ()
) -> dict[Any, Any]:
    return posting.send(channel, Delivery(number, body, networks))


# What it says ------------------------------------------------------------------------


def test_a_run_has_its_tasks_and_what_became_of_each_copy() -> None:
    task = TaskLine(
        "account",
        "millpond",
        "partial",
        bundle="2026-11-24T021500Z-nightly",
        entries=3,
        bytes=1000,
        packed=100,
        seconds=1.23456,
        error="One store did not answer.",
        warnings=[f"warning {n}" for n in range(30)],
        copies=[CopyLine("attic"), CopyLine("boathouse", "It did not answer.")],
    )
    report = RunReport(7, "nightly", "partial", MOMENT, MOMENT, "UTC", "timetable", [task], "x")
    found = webhook_message.of_run(report, [WebhookStore(name="attic", copies=2, bytes=5)])
    assert (found.event, found.run, found.job, found.outcome) == ("run", 7, "nightly", "partial")
    assert found.trouble and found.link == "x" and found.title == report.title
    (line,) = found.tasks
    assert line.stores == {"attic": "stored", "boathouse": "It did not answer."}
    assert (line.seconds, line.bytes, line.packed) == (1.235, 1000, 100)
    assert len(line.warnings) == 20 and line.error == "One store did not answer."
    assert WebhookMessage.model_validate_json(body_of(channel(), found)) == found


@pytest.mark.parametrize("field", ["text", "content"])
def test_a_chat_gets_a_line_under_the_name_of_its_field(field: str) -> None:
    body = json.loads(body_of(channel(kind="chat", field=field), MESSAGE))
    line = "“attic” is full. Store attic is full. https://backup.example/#/alerts"
    assert body == {field: line}
    bare = MESSAGE.model_copy(update={"link": ""})
    assert json.loads(body_of(channel(kind="chat", field=field), bare))[field].endswith("full.")


def test_a_template_sees_the_message_alone() -> None:
    template = '{"a": {{ message.title | tojson }}, "b": {{ message.stores | length }}}'
    body = body_of(channel(template=template), MESSAGE)
    assert json.loads(body) == {"a": MESSAGE.title, "b": 0}
    for wrong in (
        "{{ message.title }}",
        "{{ message.nothing }}",
        "{% for %}",
        "{{ 1/0 }}",
        "{{ message + 1 }}",
        "{{ message.__class__.__mro__ }}",
    ):
        with pytest.raises(SettingError, match="does not produce JSON") as caught:
            body_of(channel(template=wrong), MESSAGE)
        assert caught.value.field == "settings.template"


# Its signature -----------------------------------------------------------------------


def test_a_signature_is_that_of_the_standard() -> None:
    """The example that Standard Webhooks 1.0 gives."""
    found = posting.signature(
        "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw",
        "msg_p5jXN8AQM9LWM0D4loKWxJek",
        1614265330,
        b'{"test": 2432232314}',
    )
    assert found == "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE="


def test_a_secret_that_is_no_base64_is_the_key_itself() -> None:
    key = base64.b64encode(b"reed").decode()
    same = {posting.signature(s, "1", 2, b"x") for s in ("reed", f"whsec_{key}")}
    assert len(same) == 1
    odd = posting.signature("whsec_reed!", "1", 2, b"x")
    assert odd not in same and odd == posting.signature("whsec_reed!", "1", 2, b"x")
    assert posting.signature("reed", "1", 2, b"y") not in same


def test_it_is_signed_at_the_moment_it_goes(hook: Hook) -> None:
    before = int(time.time())
    assert ask(channel(hook.url, "reed"), "report-1", b"{}", LOOPBACK).ok
    ((headers, body),) = hook.taken
    moment = int(headers["webhook-timestamp"])
    assert before <= moment <= time.time() and headers["webhook-id"] == "report-1"
    assert headers["webhook-signature"] == posting.signature("reed", "report-1", moment, b"{}")
    assert headers["Content-Type"] == "application/json" and body == b"{}"
    ask(channel(hook.url), "report-2", b"{}", LOOPBACK)
    assert "webhook-signature" not in hook.taken[1][0]


# Its answer --------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("status", "error"),
    [
        (200, None),
        (204, None),
        (302, RefusedError),
        (400, RefusedError),
        (422, RefusedError),
        (401, UnreachableError),
        (403, UnreachableError),
        (404, UnreachableError),
        (408, UnreachableError),
        (410, UnreachableError),
        (429, UnreachableError),
        (500, UnreachableError),
        (503, UnreachableError),
    ],
)
def test_only_an_answer_of_2xx_is_taken_for_good(
    hook: Hook, status: int, error: type[Any] | None
) -> None:
    hook.status, hook.words = status, b""
    if error is None:
        assert send(channel(hook.url), "1", b"{}", LOOPBACK) == {}
        return
    with pytest.raises(UnreachableError, match=f"“bell”: It answered {status}") as caught:
        send(channel(hook.url), "1", b"{}", LOOPBACK)
    assert type(caught.value) is error and len(hook.taken) == 1, "no redirect is followed"


def test_nobody_there_is_said_without_the_address() -> None:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        url = f"http://127.0.0.1:{probe.getsockname()[1]}/hooks/secret-part"
        answer = ask(channel(url), "1", b"{}", LOOPBACK)
    assert (answer.ok, answer.status, answer.body) == (False, None, "")
    assert answer.error == "It did not answer: ConnectError."
    with pytest.raises(UnreachableError, match="did not answer") as caught:
        send(channel("http://[bad"), "1", b"{}", LOOPBACK)
    assert type(caught.value) is UnreachableError and "bad" not in str(caught.value)


def test_an_answer_without_an_end_is_read_no_further_than_it_is_shown(hook: Hook) -> None:
    hook.words, hook.endless = b"\xff" + b"word " * 10_000, True
    answer = ask(channel(hook.url), "1", b"{}", LOOPBACK)
    assert answer.ok and len(answer.body) == 500 and answer.body.startswith("\ufffdword word")
    assert hook.said < 1 << 28
    assert hook.taken[0][0]["Accept-Encoding"] == "identity"


@pytest.mark.parametrize(("size", "seconds", "read"), [(1, -1, 1), (1, 3600, 2000), (700, 3600, 3)])
def test_reading_ends_by_what_was_read_and_by_time(size: int, seconds: int, read: int) -> None:
    parts = []

    class Drip:
        def iter_raw(self) -> Iterator[bytes]:
            for _ in range(100_000):
                parts.append(1)
                yield b"x" * size

    # The part that reads an answer, without a server that waits.
    found = posting._beginning(Drip(), time.monotonic() + seconds)
    assert len(parts) == read and found == "x" * min(500, size * read)


@pytest.mark.parametrize(
    "host",
    [
        "127.0.0.1",
        "localhost",
        "[::1]",
        "0.0.0.0",
        "169.254.169.254",
        "[::ffff:127.0.0.1]",
        "[fe80::1]",
    ],
)
def test_it_reaches_nothing_that_only_this_machine_can_reach(
    hook: Hook, host: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Nor by a proxy of the environment."""
    port = hook.url.split(":")[2].split("/")[0]
    monkeypatch.setenv("http_proxy", f"http://127.0.0.1:{port}")
    answer = ask(channel(f"http://{host}:{port}/x"), "1", b"{}")
    assert not answer.ok and not hook.taken, answer
    if "[fe80" not in host:
        assert "webhook_networks" in answer.error, answer


def test_it_goes_to_the_address_that_was_looked_at(
    hook: Hook, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A name that leads somewhere else the second time leads nowhere."""
    asked = []

    def look_up(host: str, port: int, *more: Any, **options: Any) -> list[Any]:
        asked.append(host)
        address = "127.0.0.1" if len(asked) > 1 else "192.0.2.1"
        return [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (address, port))]

    monkeypatch.setattr(socket, "getaddrinfo", look_up)
    backend = web_transport.CheckedBackend(())
    monkeypatch.setattr(
        web_transport.httpcore.SyncBackend, "connect_tcp", lambda self, host, *more: host
    )
    assert backend.connect_tcp("bell.example", 80) == "192.0.2.1"
    with pytest.raises(web_transport.NotAllowedError):
        backend.connect_tcp("bell.example", 80)

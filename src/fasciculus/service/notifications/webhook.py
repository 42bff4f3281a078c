"""Messages to webhooks: what they say, their signature (Standard Webhooks 1.0), and sending."""

from __future__ import annotations

import base64
import binascii
import hashlib
import hmac
import json
import time
from collections.abc import Sequence
from datetime import UTC, datetime

import httpx
from jinja2 import StrictUndefined, TemplateError
from jinja2.sandbox import SandboxedEnvironment

from ...core.errors import RefusedError, SettingError, UnreachableError
from ...core.run_report import RunReport
from ...models import ChannelAnswer, ChannelInput, WebhookMessage, WebhookStore, WebhookTask
from ...records.messages.channels import ChannelSecrets
from .. import outside
from .web_transport import CheckedTransport, NotAllowedError

_TIMEOUT = 20.0
_SHOWN = 500
#: Seconds that filling a template may take.
_SECONDS = 10.0
#: Answers that say nothing of the message: sign-in, wrong address, too long, too many.
_BUSY = (401, 403, 404, 408, 410, 429)
_PREFIX = "whsec_"


def of_run(report: RunReport, stores: list[WebhookStore]) -> WebhookMessage:
    """Return a run as a message."""
    return WebhookMessage(
        event="run",
        at=report.ended,
        title=report.title,
        sentence=report.sentence,
        outcome=report.outcome,
        trouble=report.trouble,
        job=report.job,
        run=report.run,
        started=report.started,
        ended=report.ended,
        link=report.link,
        tasks=[
            WebhookTask(
                subject_kind=task.subject_kind,
                subject=task.subject,
                outcome=task.outcome,
                bundle=task.bundle,
                bytes=task.bytes,
                packed=task.packed,
                seconds=round(task.seconds, 3),
                error=task.error,
                warnings=task.warnings[:20],
                stores={copy.store: copy.error or "stored" for copy in task.copies},
            )
            for task in report.tasks
        ],
        stores=stores,
    )


def example(stores: Sequence[WebhookStore] = ()) -> WebhookMessage:
    """Return a test message with these stores, or with a made-up one if there are none, so that a
    template can refer to a store before the first one is added.
    """
    return WebhookMessage(
        event="try",
        at=datetime.now(UTC),
        title="[Fasciculus] test message",
        sentence="Fasciculus can send its reports to this channel.",
        stores=list(stores) or [WebhookStore(name="attic", copies=12, bytes=34_000_000)],
    )


def check_template(channel: ChannelInput, message: WebhookMessage) -> None:
    """Raise ``SettingError`` for a template that a message cannot fill: it would fail in the
    night.
    """
    body_of(ChannelSecrets(channel, channel.url, ""), message)


def body_of(channel: ChannelSecrets, message: WebhookMessage) -> bytes:
    """Return the payload of a message for a channel, by its form. Raises ``SettingError`` for a
    template that cannot be filled.
    """
    line = f"{message.title.removeprefix('[Fasciculus] ')}. {message.sentence} {message.link}"
    match channel.channel.form:
        case "message":
            return message.model_dump_json().encode()
        case "text" | "content":
            return json.dumps({channel.channel.form: line.strip()}, ensure_ascii=False).encode()
    try:
        return outside.call_within(_SECONDS, _filled, channel.channel.template, message)
    except UnreachableError as error:
        raise SettingError(
            "The template takes too long or too much memory.", "Make it simpler.", field="template"
        ) from error


def _filled(template: str, message: WebhookMessage) -> bytes:
    found = SandboxedEnvironment(undefined=StrictUndefined)
    try:
        text = found.from_string(template).render(message=json.loads(message.model_dump_json()))
        json.loads(text)
    except (TemplateError, ArithmeticError, LookupError, TypeError, ValueError) as error:
        raise SettingError(
            f"The template does not make JSON of a message: {error}.",
            'Write for example {"text": {{ message.title | tojson }}}.',
            field="template",
        ) from error
    return text.encode()


def signature(secret: str, number: str, moment: int, body: bytes) -> str:
    """Return the ``webhook-signature`` header: HMAC-SHA256 over number, moment (seconds since 1970)
    and body, with the key in base64 behind ``whsec_``, or with the secret's own bytes.
    """
    key = secret.encode()
    if secret.startswith(_PREFIX):
        try:
            key = base64.b64decode(secret[len(_PREFIX) :], validate=True)
        except binascii.Error:
            pass
    signed = f"{number}.{moment}.".encode() + body
    return "v1," + base64.b64encode(hmac.new(key, signed, hashlib.sha256).digest()).decode()


def ask(
    channel: ChannelSecrets, number: str, body: bytes, networks: Sequence[str] = ()
) -> ChannelAnswer:
    """Send a body once, and say what was answered. Redirects are not followed, nor proxies of the
    environment used. ``networks`` are those of this machine and link that it may go to."""
    moment = int(time.time())
    headers = {
        "Content-Type": "application/json",
        # A small compressed answer may be a very large one.
        "Accept-Encoding": "identity",
        "User-Agent": "Fasciculus",
        "webhook-id": number,
        "webhook-timestamp": str(moment),
    }
    if channel.secret:
        headers["webhook-signature"] = signature(channel.secret, number, moment, body)
    began = time.monotonic()
    try:
        status, text = _posted(channel.url, headers, body, networks, began + _TIMEOUT)
    except NotAllowedError as error:
        seconds = time.monotonic() - began
        return ChannelAnswer(ok=False, status=None, seconds=seconds, body="", error=str(error))
    except (httpx.HTTPError, httpx.InvalidURL, ValueError, OSError) as error:
        seconds = time.monotonic() - began
        # Not the error's own text: it may hold the address, and that may be secret.
        why = f"It did not answer: {type(error).__name__}."
        return ChannelAnswer(ok=False, status=None, seconds=seconds, body="", error=why)
    good = 200 <= status < 300
    return ChannelAnswer(
        ok=good,
        status=status,
        seconds=time.monotonic() - began,
        body=text,
        error="" if good else f"It answered {status}.",
    )


def _posted(
    url: str, headers: dict[str, str], body: bytes, networks: Sequence[str], until: float
) -> tuple[int, str]:
    """Return the status and the beginning of the answer."""
    verify = not url.startswith("http:")
    with (
        httpx.Client(transport=CheckedTransport(networks, verify), timeout=_TIMEOUT) as client,
        client.stream("POST", url, content=body, headers=headers) as answer,
    ):
        return answer.status_code, _beginning(answer, until)


def _beginning(answer: httpx.Response, until: float) -> str:
    """Return the beginning of an answer, which may be long, or never end."""
    found = b""
    for part in answer.iter_raw():
        found += part
        if len(found) >= _SHOWN * 4 or time.monotonic() > until:
            break
    return found.decode("utf-8", "replace")[:_SHOWN]


def send(channel: ChannelSecrets, number: str, body: bytes, networks: Sequence[str] = ()) -> None:
    """Send a body. Raises ``RefusedError`` when it was refused, and another ``UnreachableError``
    when nothing can be sent there for now."""
    answer = ask(channel, number, body, networks)
    if answer.ok:
        return
    busy = answer.status is None or answer.status in _BUSY or answer.status >= 500
    kind = UnreachableError if busy else RefusedError
    raise kind(f"Channel “{channel.channel.name}”: {answer.error}", "Try it under Settings.")

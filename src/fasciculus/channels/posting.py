"""HTTP POST to the address of a channel, signed by Standard Webhooks 1.0."""

from __future__ import annotations

import base64
import binascii
import hashlib
import hmac
import time
from collections.abc import Sequence

import httpx

from ..core.errors import RefusedError, UnreachableError
from ..models import ChannelAnswer
from .base import ChannelSpec, Delivery
from .web_transport import CheckedTransport, NotAllowedError

_TIMEOUT = 20.0
_SHOWN = 500
#: Answers that say nothing of the message: sign-in, wrong address, too long, too many.
_BUSY = (401, 403, 404, 408, 410, 429)
_PREFIX = "whsec_"


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


def ask(channel: ChannelSpec, delivery: Delivery) -> ChannelAnswer:
    """Send a payload once, and return the answer.

    Redirects are not followed, nor proxies of the environment used.
    """
    moment, url = int(time.time()), channel.secrets.get("url", "")
    headers = {
        "Content-Type": "application/json",
        # A small compressed answer may be a very large one.
        "Accept-Encoding": "identity",
        "User-Agent": "Fasciculus",
        "webhook-id": delivery.number,
        "webhook-timestamp": str(moment),
    }
    if secret := channel.secrets.get("secret"):
        headers["webhook-signature"] = signature(secret, delivery.number, moment, delivery.payload)
    began = time.monotonic()
    try:
        status, text = _posted(url, headers, delivery.payload, delivery.networks, began + _TIMEOUT)
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


def send(channel: ChannelSpec, delivery: Delivery) -> dict[str, str]:
    """Send a payload. Raises ``RefusedError`` when it was refused, and another ``UnreachableError``
    when nothing can be sent there for now.
    """
    answer = ask(channel, delivery)
    if answer.ok:
        return {}
    busy = answer.status is None or answer.status in _BUSY or answer.status >= 500
    kind = UnreachableError if busy else RefusedError
    raise kind(f"Channel “{channel.name}”: {answer.error}", "Try it under Settings.")

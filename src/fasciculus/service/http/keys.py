"""Keys that bundles are sealed to, and those that the service keeps to read them."""

from __future__ import annotations

import socket
from datetime import UTC, datetime

from flask import render_template

from ...core.bundle.sealing import identities_of, make_identity, recipient_of
from ...core.permissions import Permission
from ...models import KeyKeep, KeyMade, KeyMake, Page, SealKey
from ...records import seal_keys
from ..context import context
from ..operations import operation
from .auth import note


@operation(
    "GET",
    "/keys",
    "The private keys that the service keeps",
    Permission.ADMINISTER,
    response=Page[SealKey],
)
def keys_list() -> Page[SealKey]:
    rows = seal_keys.keys(context().records.reader)
    return Page(items=rows, total=len(rows))


@operation(
    "POST",
    "/keys/make",
    "Make a pair of keys; the private one is shown this once",
    Permission.ADMINISTER,
    body=KeyMake,
    response=KeyMade,
    status=201,
)
def keys_make(body: KeyMake) -> KeyMade:
    identity, recipient = make_identity()
    if body.keep:
        _keep(recipient, identity, body.note)
    sheet = render_template(
        "recovery-sheet.html",
        identity=identity,
        recipient=recipient,
        note=body.note,
        machine=socket.gethostname(),
        moment=f"{datetime.now(UTC):%-d %B %Y, %H:%M} UTC",
    )
    note("made a pair of keys", recipient)
    return KeyMade(recipient=recipient, identity=identity, kept=body.keep, sheet=sheet)


@operation(
    "POST",
    "/keys",
    "Keep a private key, so that the service can read what is sealed to it",
    Permission.ADMINISTER,
    body=KeyKeep,
    response=SealKey,
    status=201,
)
def keys_keep(body: KeyKeep) -> SealKey:
    recipients = []
    for identity in identities_of(body.identity):
        recipients.append(recipient_of(identity))
        _keep(recipients[-1], identity, body.note)
        note("kept the private key of", recipients[-1])
    kept = {key.recipient: key for key in seal_keys.keys(context().records.reader)}
    first, *others = recipients
    return kept[first].model_copy(update={"others": others})


@operation(
    "DELETE",
    "/keys/{recipient}",
    "Forget a private key; what is sealed to it stays",
    Permission.ADMINISTER,
)
def keys_remove(recipient: str) -> None:
    with context().records.write() as db:
        seal_keys.remove(db, recipient)
    note("forgot the private key of", recipient)
    context().events.changed("keys")


def _keep(recipient: str, identity: str, about: str) -> None:
    with context().records.write() as db:
        seal_keys.keep(db, context().cipher, recipient, identity, about)
    context().events.changed("keys")

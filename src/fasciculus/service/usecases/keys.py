"""Keys that bundles are sealed to, and those that the service keeps to read them."""

from __future__ import annotations

import socket
from datetime import UTC, datetime

from ...core.bundle.seal.sealing import identities_of, make_identity, recipient_of
from ...models import KeyKeep, KeyMade, KeyMake, Page, SealKey
from ...records import seal_keys
from ..pages import rendered_page
from .caller import Caller


def keys_list(caller: Caller) -> Page[SealKey]:
    """Return the private keys that the service keeps."""
    rows = seal_keys.keys(caller.reader)
    return Page(items=rows, total=len(rows))


def keys_make(caller: Caller, body: KeyMake) -> KeyMade:
    """Make a pair of keys; the private one is shown this once."""
    identity, recipient = make_identity()
    if body.keep:
        _keep(caller, recipient, identity, body.note)
    sheet = rendered_page(
        "recovery-sheet.html",
        identity=identity,
        recipient=recipient,
        note=body.note,
        machine=socket.gethostname(),
        moment=f"{datetime.now(UTC):%-d %B %Y, %H:%M} UTC",
    )
    caller.note("made a pair of keys", recipient)
    return KeyMade(recipient=recipient, identity=identity, kept=body.keep, sheet=sheet)


def keys_keep(caller: Caller, body: KeyKeep) -> SealKey:
    """Keep a private key, so that the service can read what is sealed to it."""
    recipients = []
    for identity in identities_of(body.identity):
        recipients.append(recipient_of(identity))
        _keep(caller, recipients[-1], identity, body.note)
        caller.note("kept the private key of", recipients[-1])
    kept = {key.recipient: key for key in seal_keys.keys(caller.reader)}
    first, *others = recipients
    return kept[first].model_copy(update={"others": others})


def keys_remove(caller: Caller, recipient: str) -> None:
    """Forget a private key; what is sealed to it stays."""
    with caller.write() as db:
        seal_keys.remove(db, recipient)
    caller.note("forgot the private key of", recipient)
    caller.changed("keys")


def _keep(caller: Caller, recipient: str, identity: str, about: str) -> None:
    with caller.write() as db:
        seal_keys.keep(db, caller.cipher, recipient, identity, about)
    caller.changed("keys")

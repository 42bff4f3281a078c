"""Keys that bundles are sealed to, and those that the service keeps to read them."""

from __future__ import annotations

from ....core.permissions import Permission
from ....models import KeyKeep, KeyMade, KeyMake, Page, SealKey
from ...usecases import keys
from ..operations import operation
from ..request import caller


@operation(
    "GET",
    "/keys",
    "The private keys that the service keeps",
    Permission.ADMINISTER,
    response=Page[SealKey],
)
def keys_list() -> Page[SealKey]:
    return keys.keys_list(caller())


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
    return keys.keys_make(caller(), body)


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
    return keys.keys_keep(caller(), body)


@operation(
    "DELETE",
    "/keys/{recipient}",
    "Forget a private key; what is sealed to it stays",
    Permission.ADMINISTER,
)
def keys_remove(recipient: str) -> None:
    keys.keys_remove(caller(), recipient)

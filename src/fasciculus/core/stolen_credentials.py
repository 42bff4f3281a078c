"""The damage that an attacker with stolen credentials for a store could and could not do."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class GuardedStore:
    """The protection of a store. ``tried`` is the day of the last trial in which its server refused
    to remove and replace, empty without one; ``lock`` is the mode of its locks; ``keys`` is the
    number of public keys that its bundles are sealed to.
    """

    name: str
    append_only: bool = False
    tried: str = ""
    lock: str = ""
    keys: int = 0


_ADDING = "A thief could add files, and so fill the store."


def of_store(store: GuardedStore) -> list[str]:
    """Return sentences about destroying, locks, adding and reading."""
    return [_destroying(store), *_locks(store), _ADDING, _reading(store)]


def _destroying(store: GuardedStore) -> str:
    if not store.append_only:
        kept = " Only locked copies would stay." if store.lock else ""
        return (
            f"A thief could remove and replace every file on store {store.name}.{kept} Use "
            "credentials that can only add files, and declare the store append-only."
        )
    if not store.tried:
        return (
            "A thief could perhaps remove or replace files: the store was never tried as "
            f"append-only. Try it: fasciculus stores try {store.name}."
        )
    return (
        "A thief could not remove or replace a file: on "
        f"{store.tried} the server refused both, or kept what was there before."
    )


def _locks(store: GuardedStore) -> list[str]:
    if store.lock == "compliance":
        return ["Nobody can remove a locked copy before its time, whatever their rights."]
    if store.lock == "governance":
        return [
            "Only keys with the right s3:BypassGovernanceRetention can remove a locked copy before "
            "its time; this service's should not have it."
        ]
    return []


def _reading(store: GuardedStore) -> str:
    if store.keys:
        return "A thief could not read bundles that are sealed: this store's go to public keys."
    return "A thief could read all bundles; seal them to a public key if that matters."

"""What somebody could and could not do who stole the service's credentials for a store."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class GuardedStore:
    """How a store is guarded. ``tried`` is the day on which a trial saw that its server refuses to
    remove and replace, empty if none did; ``lock`` the mode of the locks on its copies; ``keys`` is
    the number of public keys that its bundles are sealed to.
    """

    name: str
    append_only: bool = False
    tried: str = ""
    lock: str = ""
    keys: int = 0


_ADDING = "They could add files, and so fill the store."


def of_store(store: GuardedStore) -> list[str]:
    """Return sentences about destroying, locks, adding and reading."""
    return [_destroying(store), *_locks(store), _ADDING, _reading(store)]


def _destroying(store: GuardedStore) -> str:
    if not store.append_only:
        kept = " Only locked copies would stay." if store.lock else ""
        return (
            f"They could remove and replace every file on store {store.name}.{kept} Use "
            "credentials that can only add files, and declare the store append-only."
        )
    if not store.tried:
        return (
            "Whether they could remove or replace files is not known: the store was never tried as "
            f"append-only. Try it: fasciculus stores try {store.name}."
        )
    return (
        "They could not remove or replace a file: on "
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
        return "They could not read bundles that are sealed: this store's go to public keys."
    return "They could read all bundles; seal them to a public key if that matters."

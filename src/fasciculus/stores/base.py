"""The protocol of stores."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import BinaryIO, Protocol, runtime_checkable
from urllib.parse import urlsplit

from ..core.errors import UnreachableError
from ..kinds import Secrets, Settings
from .access import DeviceRequest, TokenFile, Tokens


@dataclass(frozen=True, slots=True)
class TlsAddress:
    """A server that shows a certificate; ``begins`` is the protocol, smtp or ftp, in which TLS is
    asked for, empty where it begins at once."""

    host: str
    port: int
    begins: str = ""


def https_address(url: str) -> TlsAddress | None:
    """Return the server of an https address."""
    parts = urlsplit(url)
    if parts.scheme != "https" or not parts.hostname:
        return None
    return TlsAddress(parts.hostname, parts.port or 443)


class StoreSettings(Settings):
    """The settings of a kind of store."""

    def on_this_machine(self) -> bool:
        """Return whether what takes this machine takes the store too."""
        return False

    def always_there(self) -> bool:
        """Return whether it can be asked at any time, and need not be mounted first."""
        return True

    def tls_address(self) -> TlsAddress | None:
        """Return where it shows a certificate, None where it shows none."""
        return None

    def unprotected(self) -> str:
        """Return what can be read and changed on the way, such as “password and files”."""
        return ""

    def for_retiring(self) -> StoreSettings:
        """Return the settings with which retiring really frees space."""
        return self

    def lock_mode(self) -> str:
        """Return in which mode each copy is locked against removal, empty for no locks."""
        return ""


@dataclass(frozen=True, slots=True)
class StoreSpec:
    """How to reach a store. ``secrets`` never go into messages or logs.

    ``stall_timeout`` is how many seconds a transfer may make no progress. With ``read_back``,
    uploads are read back if the store cannot return their digest. ``tokens`` is where access to a
    drive is kept; ``identities`` are the private keys for sealed files.
    """

    name: str
    settings: StoreSettings
    secrets: dict[str, str] = field(default_factory=dict, repr=False)
    stall_timeout: float = 120.0
    read_back: bool = True
    tokens: TokenFile | None = field(default=None, repr=False)
    identities: tuple[str, ...] = field(default=(), repr=False)
    #: Whether nothing there may be removed or replaced with these secrets.
    append_only: bool = False


@dataclass(frozen=True, slots=True)
class StoreItem:
    """A name in a store's folder; ``size`` is in bytes, 0 for folders."""

    name: str
    size: int
    folder: bool


#: Maximum names in one folder of a store; ours have fewer.
_MOST_ITEMS = 1_000_000
_LONGEST_NAME = 255
_LARGEST = 2**63 - 1


def listed_items(store: str, rows: Iterable[tuple[str, int, bool]]) -> list[StoreItem]:
    """Return what a server listed in a folder (name, size, whether it is a folder), by name.

    Invalid names and sizes are ignored, whatever the server says. Raises ``UnreachableError`` for a
    folder without an end.
    """
    found: dict[str, StoreItem] = {}
    for number, (name, size, folder) in enumerate(rows, 1):
        if number > _MOST_ITEMS:
            raise UnreachableError(
                f"Store “{store}” lists more than {_MOST_ITEMS:,} names in one folder.",
                "Look whether its server works.",
            )
        if is_item_name(name) and 0 <= size <= _LARGEST:
            found[name] = StoreItem(name, 0 if folder else size, folder)
    return sorted(found.values(), key=lambda item: item.name)


def is_item_name(name: str) -> bool:
    """Return whether a text can be the name of one file or folder in another folder."""
    return (
        name not in ("", ".", "..")
        and "/" not in name
        and name.isprintable()
        and len(name.encode("utf-8", "surrogatepass")) <= _LONGEST_NAME
    )


@dataclass(frozen=True, slots=True)
class ConnectStep:
    """A step on the way to a store: ``run`` does it and says in a sentence what it found."""

    name: str
    run: Callable[[], str]


class Store(Protocol):
    """A place for bundles. Paths are relative to its root, with slashes.

    Failures are :class:`~fasciculus.core.errors.FasciculusError` of one sentence:
    ``UnreachableError`` and ``StoreFullError`` for the store itself, ``ConnectionLostError`` where
    another try is worth it, ``MissingError`` for a file. A store is used by one thread at a time.
    """

    spec: StoreSpec
    #: Whether :meth:`sha256` is computed on another machine, so that asking moves no file.
    digests_itself: bool
    #: Whether :meth:`put` itself has proved each byte: nothing was moved, or the server compared a
    #: checksum of what arrived.
    proves_transfer: bool

    def connect(self) -> None:
        """Reach the store and its root folder; harmless when done already."""

    def close(self) -> None:
        """Close it; harmless if it is closed already."""

    def items(self, folder: str) -> list[StoreItem]:
        """Return what is in a folder, sorted by name; nothing when the folder is absent."""

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes."""

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        """Store a local file under a name, whole or not at all; folders are made.

        After a ``ConnectionLostError`` the same call resumes, as far as its protocol allows.
        ``on_bytes`` is called with the bytes of each chunk that was sent, by one thread at a time.
        """

    def arrived(self, path: str) -> int:
        """Return the bytes of an interrupted ``put`` that need not be sent again."""

    def clear_partial(self, folder: str) -> None:
        """Remove what broken-off ``put`` calls left below a folder and :meth:`items` does not
        show.
        """

    def put_bytes(self, data: bytes, path: str) -> None:
        """Put a few bytes in the same way."""

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""

    def remove_folder(self, folder: str) -> None:
        """Remove an empty folder; harmless if it does not exist."""

    def size(self, path: str) -> int | None:
        """Return a file's size in bytes, or None when there is no such file."""

    def sha256(self, path: str) -> str | None:
        """Return a file's SHA-256 as the store itself computes it, or None where it cannot."""

    def free(self) -> int | None:
        """Free bytes, or None where the store does not tell."""

    def replaces_at_once(self) -> bool:
        """Return whether replacing a file leaves the old or the new one at any moment."""

    def rename(self, path: str, to: str) -> None:
        """Give a file another name in the same folder, replacing what has it."""

    def modified(self, path: str) -> datetime | None:
        """Return when a file was changed by the store's own clock, or None where it does
        not tell.
        """

    def make_root(self) -> None:
        """Make the root folder; harmless when it is there."""

    def connecting(self) -> list[ConnectStep]:
        """Return what :meth:`connect` does, step by step."""


@runtime_checkable
class VersionedStore(Protocol):
    """A store that may keep what is removed or replaced: a bucket with versions."""

    def describe_versions(self) -> str:
        """Return whether it does, what that takes, and what to do about it, in sentences."""

    def old_bytes(self) -> int:
        """Return bytes of what was removed or replaced and is kept all the same."""

    def keeps_replaced(self) -> bool:
        """Return whether what is removed or replaced stays as an old version."""


@runtime_checkable
class LockingStore(Protocol):
    """A store that can forbid that a file is removed: a bucket with an object lock."""

    def keep_until(self, path: str, until: datetime) -> None:
        """Forbid everybody to remove a file before a time. A lock is never shortened."""


@runtime_checkable
class SizingStore(Protocol):
    """A store that tells the sizes of many files in less time than one after the other."""

    def sizes(self, paths: Sequence[str]) -> list[int | None]:
        """Return the sizes of files in bytes, None for those that do not exist."""


def sizes_of(store: Store, paths: Sequence[str]) -> list[int | None]:
    """Return the sizes of a store's files in bytes, None for those that do not exist."""
    if isinstance(store, SizingStore):
        return store.sizes(paths)
    return [store.size(path) for path in paths]


@dataclass(frozen=True, slots=True)
class AccessFlow:
    """The access flow of a kind of store: ``request`` starts it; ``fetch`` returns the tokens, or
    None until the owner has answered. Both raise ``UnreachableError``.
    """

    request: Callable[[StoreSpec], DeviceRequest]
    fetch: Callable[[StoreSpec, DeviceRequest], Tokens | None]


@dataclass(frozen=True, slots=True)
class StoreKind:
    """A kind of store: its settings, its secrets, and how one is opened.

    ``open`` returns a store that is not connected yet; ``access`` is how its owner's consent is
    asked for, where that is how to sign in. ``versioned`` says that its stores are of the type
    :class:`VersionedStore`.
    """

    name: str
    title: str
    settings: type[StoreSettings]
    secrets: type[Secrets]
    open: Callable[[StoreSpec], Store]
    access: AccessFlow | None = None
    versioned: bool = False


@contextmanager
def connected(store: Store) -> Iterator[Store]:
    """Connect to a store, and close it afterwards."""
    store.connect()
    try:
        yield store
    finally:
        store.close()

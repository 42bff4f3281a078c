"""The protocol of hosts, for workers."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, Protocol

from ..core.bundle.entry import Entry
from ..core.bundle.tree.tree_walk import WalkRules, Warn
from ..core.steps import Step

if TYPE_CHECKING:
    from ..kinds import Secrets, Settings


@dataclass(frozen=True, slots=True)
class HostSpec:
    """How to reach a host. ``secrets`` never go into messages or logs."""

    name: str
    settings: Settings
    secrets: dict[str, str] = field(default_factory=dict, repr=False)


@dataclass(frozen=True, slots=True)
class FileState:
    """An open file's properties."""

    size: int
    mtime_ns: int
    ctime_ns: int


class OpenFile(Protocol):
    """An open file of a host."""

    def read(self, count: int = -1, /) -> bytes:
        """Return the next bytes, all without a size."""

    def close(self) -> None:
        """Close it; harmless if it is closed already."""

    def now(self) -> FileState:
        """Its present state, or the state when it was sent, if it cannot be queried."""

    def again(self) -> bool:
        """Go back to its beginning; False where it comes but once."""


class HostEntry(NamedTuple):
    """An entry of a host, and how to open it, which is only good until the next one is taken."""

    entry: Entry
    open: Callable[[], OpenFile]


class TreeName(NamedTuple):
    """A name of a tree: its path below the root, and what it is."""

    path: bytes
    is_dir: bool
    is_file: bool
    size: int
    mtime_ns: int
    device: int


@dataclass(frozen=True, slots=True)
class CommandResult:
    """A command that was run: its exit code, None when its time was up, and its output."""

    code: int | None
    output: bytes


class WritableTree(Protocol):
    """A folder of a host that restored entries are written into, and nothing outside it.

    Paths are relative to the folder; no link below it is followed. Failures are ``OSError``, or
    ``FasciculusError`` when the connection is lost. ``create_…`` and ``link`` want nothing in the
    way; ``replace_…`` and ``relink`` take the place of what is there in one step.
    """

    @property
    def sets_owners(self) -> bool:
        """Return whether entries get their owners, which only root can give."""

    @property
    def unknown_owners(self) -> dict[str, int]:
        """Owners and groups that do not exist there, with the number of entries root got."""

    @property
    def unset(self) -> list[tuple[bytes, str, str]]:
        """Attributes that could not be set: path, name and reason."""

    def make_folder(self, path: bytes) -> bool:
        """Create a folder; return whether it is new."""

    def finish_folder(self, path: bytes, like: Entry) -> None:
        """Set owner, attributes, mode and time of a folder."""

    def create_file(self, path: bytes, chunks: Iterable[bytes], like: Entry) -> None:
        """Create a file."""

    def replace_file(self, path: bytes, chunks: Iterable[bytes], like: Entry) -> None:
        """Replace a file atomically."""

    def create_node(self, path: bytes, like: Entry) -> None:
        """Create a link, pipe or device."""

    def replace_node(self, path: bytes, like: Entry) -> None:
        """Replace an entry by a link, pipe or device."""

    def link(self, first: bytes, path: bytes) -> None:
        """Give a file another name."""

    def relink(self, first: bytes, path: bytes) -> None:
        """Replace an entry by another name of a file."""

    def set_flags(self, path: bytes, flags: str) -> None:
        """Set the inode flags of an entry."""

    def drop(self, path: bytes) -> None:
        """Remove a file; harmless if it does not exist."""

    def holds(self, path: bytes) -> bool:
        """Return whether a path exists."""

    def close(self) -> None:
        """Close it; harmless if it is closed already."""


class RestoreTarget(WritableTree, Protocol):
    """A folder of a host that a restore fills."""

    @property
    def is_empty(self) -> bool:
        """Return whether nothing is in it."""

    @property
    def free(self) -> int:
        """Return the bytes that fit."""

    def remove_if_unused(self) -> None:
        """Remove it again where nothing was put into it."""


class StagingTree(WritableTree, Protocol):
    """A folder that holds what a restore in place will put into another one."""

    def link_live(
        self, root: bytes, home: bytes, first: bytes, path: bytes, size: int, mtime_ns: int
    ) -> bool:
        """Give a file of the folder in use a name here, if it has that size and time; return
        whether that was possible.
        """


#: Paths that an operation could not be done on, with the reasons.
Problems = list[tuple[str, str]]


class SideFolder(Protocol):
    """The side folder of one restore in place, with the folder in use that it belongs to.

    Paths are relative to that folder. Failures are ``OSError``, or ``FasciculusError`` when the
    connection is lost; a step that has begun on a host ends all the same.
    """

    @property
    def sets_owners(self) -> bool:
        """Return whether entries get their owners, which only root can give."""

    @property
    def path(self) -> str:
        """Return the path of the side folder, whether or not it exists."""

    @property
    def free(self) -> int | None:
        """Return the bytes that fit where the folder is, or will be; None if unknown."""

    @property
    def limits(self) -> Sequence[str]:
        """Return what cannot be promised there, in sentences."""

    def owner_of(self, like: Entry) -> tuple[int, int]:
        """Return the numbers that an entry's owner and group get there."""

    def walk(self, path: bytes, chosen: WalkRules, warn: Warn) -> Iterator[HostEntry]:
        """Yield the entries at and below a folder in scan order, with their attributes; their paths
        are relative to it.
        """

    def describe(self, path: bytes, warn: Warn) -> Entry | None:
        """Return the entry of one path, None if it does not exist."""

    def make(self) -> None:
        """Make the side folder, and the folder itself if it is missing."""

    def remove(self) -> None:
        """Remove the side folder with everything in it; harmless if it does not exist."""

    def add_to_journal(self, data: bytes) -> None:
        """Append to the journal."""

    def staging(self) -> StagingTree:
        """Open the folder for what will be put in place."""

    def state(self) -> str | None:
        """Return how far the switch is, None if there is no side folder."""

    def switch(self) -> Problems:
        """Exchange everything; return what failed."""

    def recover(self) -> tuple[str, Problems]:
        """Finish what was interrupted; return the state it is in then, and what failed."""

    def changed(self) -> list[str]:
        """Return the paths that changed since the switch."""

    def undo(self) -> Problems:
        """Put back what was set aside; return what failed."""

    def drop(self) -> None:
        """Remove what is set aside."""

    def close(self) -> None:
        """Close it; harmless if it is closed already."""


class HostConnection(Protocol):
    """Reads and writes a host's files. Failures are ``FasciculusError`` or ``OSError``."""

    def spool_in(self, folder: Path) -> None:
        """Put temporary files into another folder from now on: that of the next task."""

    @property
    def is_local(self) -> bool:
        """Return whether its paths can be opened here."""

    @property
    def tells_ctime(self) -> bool:
        """Return whether entries say when they last changed in any way, which nobody can set."""

    def settled_ns(self) -> int:
        """Return the time, by the host's clock, since which a change may be followed by another
        with the same timestamp: in nanoseconds since 1970.
        """

    @property
    def seen_key(self) -> str:
        """Return the fingerprint of the host key that it showed; empty where it has none."""

    def steps(self) -> Iterator[Step]:
        """Connect, reporting each step; what fails is raised."""

    def connect(self) -> None:
        """Reach the host; harmless when done already."""

    def close(self) -> None:
        """Close it; harmless if it is closed already."""

    def tree(self, root: str, chosen: WalkRules, warn: Warn, home: str = "") -> Iterator[HostEntry]:
        """Return the entries of a tree in scan order; each is opened at the walk's position.

        ``home`` is the folder that links on the way to the root may not lead out of.
        """

    def survey(self, root: str, warn: Warn, home: str = "") -> Iterator[TreeName]:
        """Return all of a tree in scan order, by what its names alone tell."""

    def open(self, path: bytes) -> OpenFile:
        """Return a file's bytes."""

    def type_of(self, path: str) -> str:
        """``file``, ``dir``, ``other``, or empty when there is nothing (links are followed)."""

    def names(self, folder: bytes) -> list[bytes]:
        """Return the names in a folder."""

    def read_text(self, path: str) -> str:
        """Return a settings file as text; bytes that are not UTF-8 survive as surrogates."""

    def describe(self, path: bytes, kind: str, relative: bytes, warn: Warn) -> Entry | None:
        """Return the entry of one path; None when it is absent or cannot be kept."""

    def write(self, path: str, data: bytes) -> None:
        """Put a file that the settings name in place of what was there, whole or not at all.

        Mode and owner are those of the file that was there; folders are made.
        """

    def writable_tree(self, root: str) -> WritableTree:
        """Open a folder for restored entries; it and its parents are created if missing."""

    def side_folder(self, root: str, home: str, name: str) -> SideFolder:
        """Return the side folder of a restore in place, whether or not it exists.

        Raises ``SettingError`` for a host that cannot do that.
        """

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""

    def run(
        self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20
    ) -> CommandResult:
        """Run a command with the host's shell, in a clean environment; both outputs together."""

    def state_of(self, path: bytes) -> bytes:
        """Return a value that changes with every write to a file; empty if it does not exist."""

    def dial(self, socket: str, address: str, port: int) -> Any:
        """Return a connection to a server of the host, by Unix socket or by address and port.

        A socket-like object, or None where a driver on this machine may connect by itself.
        """


@dataclass(frozen=True, slots=True)
class HostKind:
    """A kind of host: its settings, its secrets, and how one is opened.

    ``open`` takes the host's spec and a folder for spooled data; the connection it returns is not
    made yet. ``max_concurrent`` is how many tasks such a host takes at the same time by default.
    """

    name: str
    title: str
    settings: type[Settings]
    secrets: type[Secrets]
    open: Callable[[HostSpec, Path], HostConnection]
    max_concurrent: int = 1

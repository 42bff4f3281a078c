"""How to bring one bundle back: with Fasciculus, and by hand with ordinary tools."""

from __future__ import annotations

import shlex
from collections.abc import Sequence
from dataclasses import dataclass, field

from .contents import Contents
from .subject import Subject

_UNPACK = {".zst": "--zstd", ".gz": "-z", ".tar": ""}


@dataclass(frozen=True, slots=True)
class Instruction:
    """A step: what it is for, its commands, and a note about it."""

    title: str
    commands: list[str] = field(default_factory=list)
    note: str = ""


@dataclass(frozen=True, slots=True)
class InstructedBundle:
    """The facts of a bundle that its instructions depend on. ``stores`` are the names and places of
    its copies; ``folder`` is the path of the first store's folder, if it is on this machine;
    ``databases`` are those of servers, by engine and name.
    """

    number: int
    subject: Subject
    name: str
    is_full: bool
    is_sealed: bool
    contents: Sequence[str]
    pieces: Sequence[str]
    stores: Sequence[tuple[str, str]]
    folder: str
    databases: Sequence[tuple[str, str]]


def with_fasciculus(bundle: InstructedBundle) -> list[Instruction]:
    """Return the commands that bring a bundle back, by what is wanted."""
    number = bundle.number
    found = []
    if Contents.FILES in bundle.contents and bundle.subject.kind != "host":
        found.append(
            Instruction(
                f"Put {_in_place(bundle)} back where they were, after a look at the plan",
                [
                    f"fasciculus restore {number} --in-place --plan",
                    f"fasciculus restore {number} --in-place",
                ],
                "Add --path PATH for a folder or a file."
                + " Add --database NAME for one database." * bool(bundle.databases),
            )
        )
    found.append(
        Instruction(
            "Write everything to a new folder",
            [f"fasciculus restore {number} --to /srv/restored"],
        )
    )
    for _, name in bundle.databases:
        new = shlex.quote(f"{name}={restored_name(name)}")
        found.append(
            Instruction(
                f"Load database {name} next to the present one",
                [f"fasciculus restore {number} --database {new}"],
                f"Add --table {name}.TABLE for a single table.",
            )
        )
    if Contents.MAIL in bundle.contents:
        found.append(
            Instruction(
                "Merge the mail settings of a domain into the host's files",
                [f"fasciculus restore {number} --mail-domain DOMAIN"],
            )
        )
    return found


def _in_place(bundle: InstructedBundle) -> str:
    return "files and databases" if bundle.databases else "files"


def restored_name(database: str) -> str:
    """Return the name that a database gets next to the present one; names have 64 characters."""
    return f"{database[:55]}_restored"


def by_hand(bundle: InstructedBundle) -> list[Instruction]:
    """Return the steps with tar, zstd and the database's own client."""
    root = bundle.folder or "STORE"
    folder = f"{root}/{bundle.subject.bundle(bundle.name)}"
    found = [_fetch(bundle)] if not bundle.folder else []
    found.append(
        Instruction(
            "Check that nothing is missing or damaged",
            [f"cd {shlex.quote(folder)}", "sha256sum -c SHA256SUMS"],
        )
    )
    if bundle.is_sealed:
        found.append(
            Instruction(
                "Unseal each piece",
                [
                    f"age -d -i KEY-FILE {_piece(piece)} > {shlex.quote(_unsealed(piece))}"
                    for piece in bundle.pieces
                ],
                "KEY-FILE has one of the private keys.",
            )
        )
    found.append(_unpack(bundle) if bundle.is_full else _incremental())
    found += [_database(engine, name) for engine, name in bundle.databases]
    return found


def _fetch(bundle: InstructedBundle) -> Instruction:
    names = (
        ", ".join(f"{name} ({where})" if where else name for name, where in bundle.stores)
        or "none is left"
    )
    return Instruction(
        "Fetch the bundle's folder and its pieces",
        [
            f"{bundle.subject.bundle(bundle.name)}/",
            *(bundle.subject.piece(piece) for piece in bundle.pieces),
        ],
        f"From one of its stores: {names}. Keep the same folders below STORE.",
    )


def _piece(name: str) -> str:
    return shlex.quote(f"../../pieces/{name}")


def _unsealed(piece: str) -> str:
    name, dot, last = piece.rpartition(".")
    if last != "age" or not dot:
        return piece
    # A piece that was sealed twice has a number before the ending.
    base, _, number = name.rpartition(".")
    return base if number.isdecimal() else name


def _unpack(bundle: InstructedBundle) -> Instruction:
    commands = ["mkdir /srv/restored"]
    for piece in bundle.pieces:
        plain = _unsealed(piece)
        option = next((o for end, o in _UNPACK.items() if plain.endswith(end)), "")
        place = shlex.quote(plain) if bundle.is_sealed else _piece(piece)
        words = ["tar", option, "-xpf", place, "--xattrs", "--numeric-owner", "-C /srv/restored"]
        commands.append(" ".join(word for word in words if word))
    return Instruction(
        "Unpack every piece, as root",
        commands,
        "files/ is the home; docs/by-hand.md restores the times of folders too.",
    )


def _incremental() -> Instruction:
    return Instruction(
        "Unpack it with the short program in docs/by-hand.md",
        ["python3 bring-back.py /srv/restored"],
        "The bundle is incremental: its pieces also hold earlier states of its files. Give the "
        "program a KEY-FILE as well if the bundle is sealed.",
    )


def _database(engine: str, name: str) -> Instruction:
    if engine == "postgresql":
        return _postgresql(name)
    if engine != "mariadb":
        return Instruction(
            f"Load database {name}",
            note=f"Its members are in /srv/restored/databases/{engine}/, in the order of loading.",
        )
    new = shlex.quote(restored_name(name))
    return Instruction(
        f"Load database {name}",
        [
            f"mariadb -e 'CREATE DATABASE `{restored_name(name)}`'",
            f"ls /srv/restored/databases/mariadb/{shlex.quote(name)}/*.sql | grep -v 99000-users | "
            f"xargs cat | mariadb --binary-mode --sandbox --default-character-set=utf8mb4 {new}",
        ],
        "docs/by-hand.md shows how to load it as a user that can change nothing else.",
    )


def _postgresql(name: str) -> Instruction:
    new = restored_name(name)
    quoted = shlex.quote(new)
    return Instruction(
        f"Load database {name}",
        [
            f"createdb --template=template0 {quoted}",
            f"ls /srv/restored/databases/postgresql/{shlex.quote(name)}/*.sql | grep -v -e "
            f"00000-roles -e 93000-server -e 99000-owners | xargs cat | psql -X -q "
            f"-v ON_ERROR_STOP=1 {quoted}",
        ],
        "For owners and rights, load 00000-roles.sql first and 99000-owners.sql last, as a "
        "superuser. docs/by-hand.md shows how to load it as a role that can change nothing else.",
    )

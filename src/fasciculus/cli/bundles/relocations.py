"""Restores to another place on the command line: a copy next to the original, another account."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from ... import models
from ...core.formatting import format_count
from .. import output
from ..output import size

if TYPE_CHECKING:
    from ...client import Client


@dataclass(frozen=True, slots=True)
class Choice:
    """The options that name another place."""

    account: str
    address: str
    site: str
    folder: str
    exchange: list[str]
    patterns: list[str]

    @property
    def moves(self) -> bool:
        """Return whether there is another place."""
        return bool(self.account or self.address)

    def checked(self) -> Choice:
        """Return the choice itself; refuse details of a place that was not named."""
        details = (
            (self.site, "--site"),
            (self.folder, "--to-folder"),
            (self.exchange, "--exchange"),
            (self.patterns, "--exchange-in"),
        )
        for value, option in details:
            if value and not self.moves:
                raise output.wrong(
                    "There is no other place for it.",
                    "Add --beside ADDRESS, or --into ACCOUNT.",
                    option,
                )
        return self


def relocated(client: Client, order: models.RestoreStart, choice: Choice) -> models.RestoreStart:
    """Return an order with the place that the service proposes, and the changes to it."""
    ask = models.RelocationAsk(
        bundle=order.bundle, account=choice.account, site=choice.site, address=choice.address
    )
    proposed = client.restores_relocation(ask)
    chosen = order.databases or proposed.databases
    databases = {
        name: proposed.databases.get(name, name) if new == name else new
        for name, new in chosen.items()
    }
    return order.model_copy(
        update={
            "relocation": _edited(proposed.relocation, choice),
            "databases": databases,
            "owners": proposed.owners | order.owners,
        }
    )


def _edited(place: models.Relocation, choice: Choice) -> models.Relocation:
    texts = dict(place.texts)
    for text in choice.exchange:
        old, equals, new = text.partition("=")
        if not (old and equals):
            raise output.wrong(f"“{text}” has no new text.", "Write OLD=NEW.", "--exchange")
        texts.pop(old, None)
        if new:
            texts[old] = new
    update: dict[str, object] = {"texts": texts}
    if choice.folder:
        update["to_folder"] = choice.folder.strip("/")
    if choice.patterns:
        update["files"] = choice.patterns
    return models.Relocation.model_validate(place.model_dump() | update)


def show_relocation(order: models.RestoreStart) -> None:
    """Print where each thing goes, and what is exchanged."""
    moves = order.relocation
    assert moves is not None
    rows = [("folder", moves.from_folder or "all files", folder_words(moves))]
    rows += [("database", old, new) for old, new in order.databases.items()]
    rows += [("owner", old, new) for old, new in order.owners.items()]
    rows += [("database user", old, new) for old, new in moves.user_names.items()]
    rows += [("text", old, new) for old, new in moves.texts.items()]
    output.show_table(
        rows,
        [
            ("WHAT", lambda row: row[0]),
            ("IN THE BUNDLE", lambda row: row[1]),
            ("THERE", lambda row: row[2]),
        ],
        "",
    )
    if moves.user_suffix:
        output.say(f"Database users get the ending “{moves.user_suffix}”.")
    output.say(f"Texts are exchanged in databases and in {', '.join(moves.files)}.")
    output.say("")


def folder_words(moves: models.Relocation) -> str:
    """Return the account and folder of another place."""
    return f"{moves.account}: {moves.to_folder or 'its home'}"


def place_words(moves: models.Relocation) -> str:
    """Return where a restore goes, for a question."""
    if moves.beside:
        return f"next to the original, as {moves.address},"
    return f"into {moves.account}"


def moved_words(done: models.Restore, moves: models.Relocation) -> str:
    """Return what was restored to another place, and what can be done with it."""
    later = [f"Exchanged texts: fasciculus restores log {done.id}"]
    said = [
        f"Restored {format_count(done.entries, 'entry', 'entries')}, {size(done.bytes)}, to "
        f"{folder_words(moves)}."
    ]
    if done.databases:
        said.append(f"Databases: {', '.join(done.databases.values())}.")
    if moves.beside and done.aside:
        folder = f"{moves.to_folder} of {moves.account}"
        said.append(f"Let the web server serve {moves.address} from {folder}.")
        later.append(f"Remove the copy again: fasciculus restores remove {done.id}")
    elif done.aside:
        later.append(f"Undo: fasciculus restores undo {done.id}")
    return "\n".join([" ".join(said), *later])

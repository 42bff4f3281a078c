"""``fasciculus stores``"""

from __future__ import annotations

from typing import Annotated, Any, Literal

import typer

from ..models import Store, StoreSecrets
from . import output
from .output import service, size
from .steps import show_tried

app = typer.Typer(help="Places where bundles are kept.", no_args_is_help=True)

Name = Annotated[str, typer.Argument(help="The store's name.", show_default=False)]
AsJson = Annotated[bool, typer.Option("--json", help="JSON, for programs.")]
Path = Annotated[str | None, typer.Option(help="Local folder (kind folder).")]
Address = Annotated[str | None, typer.Option(help="Address of the server (kind sftp).")]
Port = Annotated[int | None, typer.Option(help="Its port.")]
User = Annotated[str | None, typer.Option(help="User to sign in as.")]
Folder = Annotated[str | None, typer.Option(help="Folder on the server.")]
HostKey = Annotated[
    str | None,
    typer.Option(
        help="Accepted fingerprint of the server's host key, SHA256:…; leave it out once to be "
        "shown it."
    ),
]
PasswordFile = Annotated[
    typer.FileText | None,
    typer.Option(
        help="File with the password (“-” for standard input); never an option, which others "
        "could see."
    ),
]
VerifyDays = Annotated[
    int | None,
    typer.Option(
        help="Read every copy through once in so many days, in the background; 0 for never.",
        min=0,
        max=3650,
    ),
]
KeyFile = Annotated[typer.FileText | None, typer.Option(help="File with the private key.")]
PassphraseFile = Annotated[
    typer.FileText | None, typer.Option(help="File with the key's passphrase.")
]


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the stores."""
    with service() as client:
        rows = list(client.every(client.stores_list))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("STORE", lambda s: s.name),
            ("KIND", lambda s: s.kind),
            ("WHERE", lambda s: s.where),
            ("COPIES", lambda s: s.copies),
            ("STORED", lambda s: size(s.bytes)),
            ("DAMAGED", lambda s: s.damaged or "–"),
            ("JOBS", lambda s: ", ".join(s.jobs) or "none"),
        ],
        "No store yet. Add one: fasciculus stores add NAME --kind sftp --address …",
        right=["COPIES", "STORED"],
    )
    return None


@app.command()
def show(name: Name, as_json: AsJson = False) -> None:
    """Show one store."""
    with service() as client:
        store = client.stores_show(name)
    if as_json:
        return output.show_json(store)
    output.show_fields(
        [
            ("store", store.name),
            ("kind", store.kind),
            ("where", store.where),
            ("host key", store.host_key or "none"),
            ("secrets set", ", ".join(store.secrets_set) or "none"),
            ("copies", store.copies),
            ("stored", size(store.bytes)),
            (
                "read through",
                f"every {store.verify_days} days" if store.verify_days else "never by itself",
            ),
            (
                "damaged",
                f"{store.damaged} files; see: fasciculus damage list --store {store.name}"
                if store.damaged
                else "nothing known",
            ),
            ("jobs", ", ".join(store.jobs) or "none"),
        ]
    )
    return None


def _built(
    fields: dict[str, Any],
    options: dict[str, Any],
    password: typer.FileText | None,
    key: typer.FileText | None,
    passphrase: typer.FileText | None,
) -> Store:
    fields = {**fields, **{name: value for name, value in options.items() if value is not None}}
    given = {
        "password": password.read().rstrip("\n") if password else None,
        "private_key": key.read() if key else None,
        "passphrase": passphrase.read().rstrip("\n") if passphrase else None,
    }
    secrets = StoreSecrets(**given) if any(given.values()) else None
    return Store(**fields, secrets=secrets)


@app.command()
def add(
    name: Name,
    kind: Annotated[Literal["folder", "sftp"], typer.Option(help="Kind of store.")],
    path: Path = None,
    address: Address = None,
    port: Port = None,
    user: User = None,
    folder: Folder = None,
    host_key: HostKey = None,
    password_file: PasswordFile = None,
    key_file: KeyFile = None,
    passphrase_file: PassphraseFile = None,
    verify_days: VerifyDays = None,
) -> None:
    """Try a store, and add it when all steps succeed."""
    with service() as client:
        options = {
            "path": path,
            "address": address,
            "port": port,
            "user": user,
            "folder": folder,
            "host_key": host_key,
            "verify_days": verify_days,
        }
        store = _built(
            {"name": name, "kind": kind}, options, password_file, key_file, passphrase_file
        )
        made = client.stores_add(store)
        output.out.print(f"Added store {made.name}: {made.where}.", soft_wrap=True)


@app.command()
def change(
    name: Name,
    path: Path = None,
    address: Address = None,
    port: Port = None,
    user: User = None,
    folder: Folder = None,
    host_key: HostKey = None,
    password_file: PasswordFile = None,
    key_file: KeyFile = None,
    passphrase_file: PassphraseFile = None,
    verify_days: VerifyDays = None,
) -> None:
    """Try a store with other settings, and keep them when all steps succeed."""
    with service() as client:
        old = client.stores_show(name).model_dump(
            include={
                "name",
                "kind",
                "path",
                "address",
                "port",
                "user",
                "folder",
                "host_key",
                "verify_days",
            }
        )
        options = {
            "path": path,
            "address": address,
            "port": port,
            "user": user,
            "folder": folder,
            "host_key": host_key,
            "verify_days": verify_days,
        }
        client.stores_change(name, _built(old, options, password_file, key_file, passphrase_file))
        output.out.print(f"Changed store {name}.")


@app.command("try")
def try_(name: Name, as_json: AsJson = False) -> None:
    """Prove that a store can be reached, written, read and cleared."""
    with service() as client:
        tried = client.stores_try(name)
    show_tried(tried, as_json)


@app.command()
def remove(
    name: Name, yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False
) -> None:
    """Forget a store; what lies on it is not touched."""
    with service() as client:
        store = client.stores_show(name)
        output.sure(
            f"Forget store {name} and the {store.copies} copies on it? Nothing is removed from it.",
            yes,
        )
        client.stores_remove(name)
        output.out.print(f"Forgot store {name}. What lies on it was not touched.")

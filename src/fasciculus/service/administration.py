"""``python -m fasciculus.service.administration``: what root does on the service's machine."""

from __future__ import annotations

import argparse
import json
import os
import sys
from pathlib import Path
from typing import Any

import msgspec
from pydantic import ValidationError

from .. import config as configuration
from ..config import Config
from ..core.errors import FasciculusError, SettingError
from ..core.formatting import format_count
from ..core.recovery.key_code import key_of
from ..models.validation import field_errors
from ..records import forget_secrets, users
from ..records.bundles import copies
from ..records.db import single_transaction, take_lock
from ..records.secret_cipher import SecretCipher, read_key
from ..stores import KINDS as STORE_KINDS
from . import recovery_sheet as recovery_sheet_
from .initial_password import ADMINISTRATOR, make_password, password_file
from .recover_records import move_aside, recover_records
from .settings import kind_settings

_HOW_TO_CONFIRM = (
    "Save it, then confirm that with the last group of its code: fasciculus admin recovery-sheet "
    "--confirm GROUP"
)


def reset_password(config: Config, given: argparse.Namespace) -> str:
    """Set an initial password for a user and end all sessions; the service may be running."""
    with single_transaction(config.records) as db:
        person = users.id_of(db, given.name)
        password = make_password(config.home)
        users.change_password(db, person, password, must_change=True)
        users.audit(db, "root", "reset the password", given.name)
    if sys.stdout.isatty() and not given.json:
        print(f"{given.name} signs in with the initial password {password}")
    return f"The initial password is in {password_file(config.home)} until it was used."


def restore_records(config: Config, given: argparse.Namespace) -> str:
    """Put a copy of the records in their place; what is there is moved aside."""
    copy, folder = Path(given.file), config.records.parent
    if not copy.is_file():
        raise SettingError(f"There is no file {copy}.", "Name a copy out of a store.", "FILE")
    key = read_key(config.key_file)
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    hold = take_lock(folder / "service.lock")
    new = folder / "coming-back.sqlite"
    try:
        copies.unseal(copy, new, key)
        os.chmod(new, 0o600)
        moved = " ".join(move_aside(config.records))
        new.rename(config.records)
    finally:
        new.unlink(missing_ok=True)
        os.close(hold)
    more = f" {moved}" if moved else ""
    return f"The records are those of {copy.name}.{more} Start the service."


def new_key(config: Config, given: argparse.Namespace) -> str:
    """Make a key for records whose own is lost; passwords in them are forgotten."""
    try:
        read_key(config.key_file)
    except FasciculusError:
        pass
    else:
        raise SettingError(
            f"The key {config.key_file} is there.", "A new one is for when it is lost."
        )
    hold = take_lock(config.records.parent / "service.lock")
    try:
        config.key_file.unlink(missing_ok=True)
        with single_transaction(config.records) as db:
            forgotten = forget_secrets.forget_all(db)
            what = f"{forgotten.places} sets of passwords, {forgotten.keys} private keys"
            users.audit(db, "root", "made a new key", f"forgot {what}")
        SecretCipher(config.key_file)
    finally:
        os.close(hold)
    more = ""
    if forgotten.keys:
        kept = format_count(forgotten.keys, "private key")
        verb = "is" if forgotten.keys == 1 else "are"
        more = f" So {verb} {kept} for what is sealed (fasciculus keys keep)."
    return (
        f"There is a new key. The passwords of {forgotten.places} hosts, stores, channels and mail "
        f"servers are forgotten: start the service and enter them again.{more}"
    )


def recovery_sheet(config: Config, given: argparse.Namespace) -> str:
    """Print the recovery sheet, or record that it was saved; the service may be running."""
    cipher = _cipher(config)
    group = given.confirm
    if not group:
        with single_transaction(config.records) as db:
            print(recovery_sheet_.recovery_sheet(config, db, cipher))
        if not (sys.stdin.isatty() and sys.stdout.isatty()):
            # Not among the lines of the sheet, which are being saved.
            print(_HOW_TO_CONFIRM, file=sys.stderr)
            return ""
        group = input("Last group of the code, read from the saved sheet (Enter: later): ")
    if not group:
        return _HOW_TO_CONFIRM
    with single_transaction(config.records) as db:
        recovery_sheet_.confirm_sheet(db, cipher, group)
        users.audit(db, "root", "saved the recovery sheet", "")
    return "Recorded: the recovery sheet is saved."


def _cipher(config: Config) -> SecretCipher:
    """Return the cipher of the present key; a missing one is not made."""
    read_key(config.key_file)
    return SecretCipher(config.key_file)


def recover(config: Config, given: argparse.Namespace) -> str:
    """Bring the records back from a store; its settings and the code come by standard input."""
    asked = msgspec.json.decode(sys.stdin.buffer.read(), type=_RecoverInput)
    if not STORE_KINDS.get(asked.settings.get("kind", "")).settings:
        raise SettingError("That store has no settings.", "Choose another kind.", "kind")
    found = recover_records(config, asked.settings, asked.secrets, key_of(asked.code))
    return " ".join(
        [f"The records are those of {found.copy}, and every job is paused.", *found.remarks]
    )


class _RecoverInput(msgspec.Struct):
    """The input of the command line for a recovery."""

    code: str
    settings: dict[str, Any]
    secrets: dict[str, str]


def store_kinds(config: Config, given: argparse.Namespace) -> str:
    """Return the kinds of stores as JSON, for the options of the command line."""
    return kind_settings.kinds().model_dump_json()


def main() -> int:
    """Carry out one command. Returns the exit code."""
    parser = argparse.ArgumentParser(prog="fasciculus admin")
    commands = parser.add_subparsers(required=True)
    reset = commands.add_parser("reset-password")
    reset.add_argument("--name", default=ADMINISTRATOR)
    reset.set_defaults(carry_out=reset_password)
    restore = commands.add_parser("restore-records")
    restore.add_argument("file")
    restore.set_defaults(carry_out=restore_records)
    commands.add_parser("new-key").set_defaults(carry_out=new_key)
    sheet = commands.add_parser("recovery-sheet")
    sheet.add_argument("--confirm", default="")
    sheet.set_defaults(carry_out=recovery_sheet)
    commands.add_parser("recover").set_defaults(carry_out=recover)
    commands.add_parser("store-kinds").set_defaults(carry_out=store_kinds)
    for command in commands.choices.values():
        command.add_argument("--json", action="store_true")
    given = parser.parse_args()
    try:
        said = given.carry_out(configuration.load(), given)
        if said:
            print(json.dumps({"said": said}, ensure_ascii=False) if given.json else said)
    except FasciculusError as error:
        print(f"fasciculus: {error.sentence()}", file=sys.stderr)
        return 2
    except ValidationError as error:
        for row in field_errors(error):
            option = f"--{row.field.replace('_', '-')}"
            print(f"fasciculus: {option}: {row.message}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"fasciculus: {error.strerror}: {error.filename}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())

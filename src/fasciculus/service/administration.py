"""``python -m fasciculus.service.administration``: what root does on the service's machine."""

from __future__ import annotations

import argparse
import json
import os
import sys
from datetime import UTC, datetime
from pathlib import Path

from .. import config as configuration
from ..config import Config
from ..core.errors import FasciculusError, SettingError
from ..core.formatting import format_count
from ..records import forget_secrets, users
from ..records.bundles import copies
from ..records.db import single_transaction, take_lock
from ..records.secret_cipher import SecretCipher, read_key
from .initial_password import ADMINISTRATOR, make_password, password_file


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
        moved = _move_aside(config.records)
        new.rename(config.records)
    finally:
        new.unlink(missing_ok=True)
        os.close(hold)
    return f"The records are those of {copy.name}.{moved} Start the service."


def _move_aside(records: Path) -> str:
    """Move the present records and what belongs to them; a sentence of where they are."""
    mark, moved = f"{datetime.now(UTC):%Y-%m-%dT%H%M%SZ}", ""
    for suffix in ("-wal", "-shm", ""):
        present = records.with_name(records.name + suffix)
        if present.exists():
            aside = present.with_name(f"{present.name}.before-{mark}")
            present.rename(aside)
            moved = f" Those that were there are in {aside}."
    return moved


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
    for command in commands.choices.values():
        command.add_argument("--json", action="store_true")
    given = parser.parse_args()
    try:
        said = given.carry_out(configuration.load(), given)
        print(json.dumps({"said": said}, ensure_ascii=False) if given.json else said)
    except FasciculusError as error:
        print(f"fasciculus: {error.sentence()}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"fasciculus: {error.strerror}: {error.filename}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())

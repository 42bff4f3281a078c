"""``python -m fasciculus.service.administration``: what root does on the service's machine."""

from __future__ import annotations

import argparse
import sys

from .. import config as configuration
from ..core.errors import FasciculusError
from ..records import users
from ..records.db import beside
from .one_time_password import ADMINISTRATOR, make_password, password_file


def reset_password(config: configuration.Config, name: str) -> str:
    """Give somebody a one-time password and end his sessions; the service may be running."""
    with beside(config.records) as db:
        person = users.id_of(db, name)
        password = make_password(config.home)
        users.change_password(db, person, password, must_change=True)
        users.audit(db, "root", "reset the password", name)
    return password


def main() -> int:
    """Carry out one command. Returns the exit code."""
    parser = argparse.ArgumentParser(prog="fasciculus admin")
    commands = parser.add_subparsers(dest="command", required=True)
    reset = commands.add_parser("reset-password")
    reset.add_argument("--name", default=ADMINISTRATOR)
    given = parser.parse_args()
    try:
        config = configuration.load()
        password = reset_password(config, given.name)
    except FasciculusError as error:
        print(f"fasciculus: {error.sentence()}", file=sys.stderr)
        return 2
    where = password_file(config.home)
    if sys.stdout.isatty():
        print(f"{given.name} signs in with the one-time password {password}")
    print(f"The one-time password is in {where} until it was used.")
    return 0


if __name__ == "__main__":
    sys.exit(main())

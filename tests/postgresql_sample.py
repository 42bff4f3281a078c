"""A PostgreSQL database with one of everything, and how a restored one is compared with it."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path
from typing import Any

from fasciculus.demo.postgresql import found

#: Objects of every kind that a role without special rights can create, and then some.
EVERYTHING = (Path(__file__).parent / "fixtures/postgresql/everything.sql").read_text()
#: Lines of a plain dump that are about the moment or the name, not about the database.
_MOMENTARY = re.compile(r"^(--.*|\\(un)?restrict .*|)$", re.M)


def picture(socket: str, database: str) -> str:
    """Return everything about a database, as PostgreSQL's own dump program writes it."""
    programs = found()
    assert programs is not None
    done = subprocess.run(
        [programs / "pg_dump", "-h", socket, "-U", "postgres", "--create", database],
        capture_output=True,
        check=True,
    )
    text = done.stdout.decode().replace(f"DATABASE {database}", "DATABASE it")
    text = text.replace(f"\\connect {database}", "").replace(f'"{database}"', "it")
    return "\n".join(line for line in _MOMENTARY.sub("", text).splitlines() if line)


def rows(connection: Any, query: str) -> Any:
    return connection.execute(query).fetchall()

"""Boat timetables in PostgreSQL, for the accounts of the demo that have such a database."""

from __future__ import annotations

import random
import secrets

from . import scenario
from .postgresql import PrivatePostgreSql

_PIERS = (
    *("Heronmere", "Alder Point", "Mill Bay", "Church Steps", "Reed Island", "North Landing"),
    *("Orchard", "Lantern Quay", "Old Ferry", "Sedge End", "Willow Steps", "South Landing"),
)


def write(server: PrivatePostgreSql, password: str) -> None:
    """Create the service's role with a password, and the databases that are not there yet."""
    with server.connect() as connection:
        known = {row[0] for row in connection.execute("SELECT datname FROM pg_database")}
        roles = {row[0] for row in connection.execute("SELECT rolname FROM pg_roles")}
    word = "ALTER" if "fasciculus" in roles else "CREATE"
    server.run(f"{word} ROLE fasciculus LOGIN SUPERUSER PASSWORD '{password}'")
    for plan in scenario.PLANS:
        if plan.postgresql and plan.postgresql not in known:
            own = secrets.token_urlsafe(12)
            if plan.name not in roles:
                server.run(f"CREATE ROLE {plan.name} LOGIN PASSWORD '{own}'")
            server.run(f"CREATE DATABASE {plan.postgresql} OWNER {plan.name}")
            server.run(f"SET ROLE {plan.name}", *_statements(), database=plan.postgresql)


def _statements() -> list[str]:
    rng = random.Random("timetable")
    piers = ", ".join(f"({n}, '{word}')" for n, word in enumerate(_PIERS, 1))
    trips = ", ".join(
        f"({rng.randint(1, 12)}, {rng.randint(1, 12)}, '[{h:02}:{m:02},{h:02}:{m + 20:02})')"
        for h in range(6, 22)
        for m in range(0, 40, 2)
    )
    return [
        "CREATE TYPE boat AS ENUM ('launch', 'ferry', 'barge')",
        "CREATE TYPE hours AS RANGE (SUBTYPE = time)",
        "CREATE TABLE pier (id integer PRIMARY KEY, name text NOT NULL)",
        "CREATE TABLE trip (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, origin integer "
        "NOT NULL REFERENCES pier, destination integer NOT NULL REFERENCES pier, takes hours NOT "
        "NULL, vessel boat NOT NULL DEFAULT 'ferry')",
        f"INSERT INTO pier VALUES {piers}",
        f"INSERT INTO trip (origin, destination, takes) VALUES {trips}",
        "CREATE VIEW departures AS SELECT p.name, lower(t.takes) AS leaves FROM trip t JOIN pier p "
        "ON p.id = t.origin ORDER BY leaves",
    ]

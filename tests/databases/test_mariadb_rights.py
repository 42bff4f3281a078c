"""The rights that are named suffice: one user reads everything, another brings it back."""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import Any

from running import mariadb_spec

from fasciculus.core.bundle.entry import Entry
from fasciculus.core.bundle.manifest import DatabaseRecord
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.core.dump.mariadb import privileges
from fasciculus.databases.base import DatabaseAccess, DatabaseRef, ServerSpec
from fasciculus.databases.mariadb.engine import ENGINE
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts.local import LocalHost

READER, RESTORER = "'fsc-reader'@'localhost'", "'fsc-restorer'@'localhost'"
SCHEMA = (Path(__file__).parents[1] / "fixtures/awkward.sql").read_text()
PROGRAMS = (
    "CREATE VIEW v AS SELECT id FROM plain",
    "CREATE TRIGGER t BEFORE INSERT ON plain FOR EACH ROW SET NEW.note = 'x'",
    "CREATE PROCEDURE p() SELECT 1",
    "CREATE EVENT e ON SCHEDULE EVERY 1 DAY DISABLE DO SELECT 1",
    "CREATE ROLE IF NOT EXISTS `fsc-role`",
    "GRANT SELECT ON rights.* TO `fsc-role`",
    "CREATE USER IF NOT EXISTS 'fsc-customer'@'localhost' IDENTIFIED BY 'clay'",
    "GRANT ALL ON rights.* TO 'fsc-customer'@'localhost'",
    "GRANT `fsc-role` TO 'fsc-customer'@'localhost'",
)


def access(mariadb: PrivateMariaDb, tmp_path: Path, **more: Any) -> DatabaseAccess:
    settings = mariadb_spec(socket=mariadb.socket, user="fsc-reader").settings
    settings = settings.model_copy(update=more)
    secrets = {"password": "read", "restore_password": "write"}
    return DatabaseAccess(LocalHost(), ServerSpec(settings, secrets), "/", tmp_path)


def dumped(mariadb: PrivateMariaDb, where: DatabaseAccess) -> Any:
    dump = ENGINE.dump(where, DatabaseRef("mariadb", "rights"), DatabaseRules())
    return [(member.path, member.data) for member in dump], dump.warnings, dump.record()


def test_the_rights_that_are_named_suffice(mariadb: PrivateMariaDb, tmp_path: Path) -> None:
    mariadb.run(
        f"CREATE USER {READER} IDENTIFIED BY 'read'",
        f"CREATE USER {RESTORER} IDENTIFIED BY 'write'",
    )
    client = ["mariadb", "-S", mariadb.socket, "--default-character-set=utf8mb4"]
    schema = SCHEMA.replace("awkward", "rights")
    subprocess.run(client, input=schema, text=True, check=True, stdout=subprocess.DEVNULL)
    mariadb.run(*PROGRAMS, database="rights")
    reading = access(mariadb, tmp_path)
    said = ENGINE.rights(reading)
    assert "lacks SELECT, SHOW VIEW, TRIGGER and EVENT" in said[0].text
    assert [one.grant for one in said] == [
        privileges.grant_to_bundle(READER),
        privileges.grant_to_restore(READER),
    ]

    mariadb.run(privileges.grant_to_bundle(READER), privileges.grant_to_restore(RESTORER))
    both = access(mariadb, tmp_path, restore_user="fsc-restorer")
    assert ENGINE.rights(both) == [
        ("fsc-reader@localhost may read every database.", ""),
        ("fsc-restorer@localhost may restore databases with their users.", ""),
    ]
    whole = mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")
    members, warnings, record = dumped(mariadb, reading)
    assert (members, warnings) == dumped(
        mariadb, DatabaseAccess(LocalHost(), whole, "/", tmp_path)
    )[:2], "who may read is shown all that who may do everything is shown"

    mariadb.run(
        "DROP DATABASE rights", "DROP USER 'fsc-customer'@'localhost'", "DROP ROLE `fsc-role`"
    )
    entries = [(Entry("databases", path), lambda data=data: data) for path, data in members]
    told: list[str] = []
    record = DatabaseRecord(record.engine, record.name, "", "latin1", record.folder)
    back = list(ENGINE.restore(both, record, "rights", iter(entries), told.append, True, ()))
    assert told == [] and len(back) == len(members)
    again, _, _ = dumped(mariadb, reading)
    assert again == members
    told = []
    mariadb.run("DROP DATABASE rights", "CREATE DATABASE rights")
    try:
        list(ENGINE.restore(reading, record, "rights", iter(entries), told.append, True, ()))
    except Exception as error:
        told.append(str(error))
    assert any("refused" in line for line in told), "the one that only reads cannot"
    mariadb.run(
        "DROP DATABASE rights",
        f"DROP USER {READER}, {RESTORER}, 'fsc-customer'@'localhost'",
        "DROP ROLE IF EXISTS `fsc-role`",
    )

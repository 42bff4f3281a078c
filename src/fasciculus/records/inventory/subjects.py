"""Subjects: which account and host they are on, and where they lie."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass

from ...core.selection import SubjectFacts
from ...core.subject import Subject, SubjectKind
from ...models.inventory.inventory import HostFields
from .names import nearest


@dataclass(frozen=True, slots=True)
class SubjectHost:
    """The host of a subject: its name, its kind, how many tasks it takes (0: by its kind), and the
    queue of the workers near it.
    """

    name: str
    kind: str
    max_concurrent: int
    queue: str = ""


def hosts_of(db: sqlite3.Connection, kind: SubjectKind) -> dict[str, SubjectHost]:
    """Return the host of each subject of a kind, by the subject's name."""
    source = {
        "account": "SELECT account.name, host.name, document FROM account JOIN host ON "
        "host.id=host_id",
        "site": "SELECT site.name, host.name, document FROM site JOIN account ON "
        "account.id=account_id JOIN host ON host.id=host_id",
        "host": "SELECT name, name, document FROM host",
    }[kind]
    hosts: dict[str, SubjectHost] = {}
    found = {}
    for subject, host, document in db.execute(source):
        if host not in hosts:
            fields = HostFields.model_validate_json(document)
            hosts[host] = SubjectHost(
                host, fields.connection.kind, fields.max_concurrent, fields.queue
            )
        found[subject] = hosts[host]
    return found


def contacts(db: sqlite3.Connection, kind: SubjectKind) -> dict[str, str]:
    """By subject of a kind, the contact of its account, if any."""
    source = {
        "account": "SELECT name, contact FROM account WHERE contact != ''",
        "site": "SELECT site.name, contact FROM site JOIN account ON account.id=account_id WHERE "
        "contact != ''",
    }
    return dict(map(tuple, db.execute(source[kind]))) if kind in source else {}


def host_of_subject(db: sqlite3.Connection, kind: SubjectKind, name: str) -> str | None:
    """Return the host of one subject, None where the subject is not there any more."""
    sql = {
        "account": "SELECT host.name FROM account JOIN host ON host.id=host_id WHERE "
        "account.name=?",
        "site": "SELECT host.name FROM site JOIN account ON account.id=account_id JOIN host ON "
        "host.id=host_id WHERE site.name=?",
        "host": "SELECT name FROM host WHERE name=?",
    }[kind]
    row = db.execute(sql, (name,)).fetchone()
    return str(row[0]) if row else None


_LOCAL = "json_extract(host.document, '$.connection.kind') = 'local'"


def local_homes(db: sqlite3.Connection) -> list[str]:
    """Return the homes of the accounts of this machine."""
    rows = db.execute(
        f"SELECT home FROM account JOIN host ON host.id=host_id WHERE {_LOCAL} LIMIT 200"
    )
    return [row["home"] for row in rows]


def local_roots(db: sqlite3.Connection) -> list[tuple[str, str]]:
    """(site, document root) of the sites of this machine."""
    rows = db.execute(
        "SELECT site.name, CASE WHEN root LIKE '/%' THEN root ELSE home || '/' || root END AS root "
        "FROM site JOIN account ON account.id=account_id JOIN host ON host.id=host_id "
        f"WHERE {_LOCAL}"
    )
    return [(row["name"], row["root"]) for row in rows]


_FACTS = {
    SubjectKind.ACCOUNT: "SELECT account.name, host.name AS host, tags, gone_since FROM account "
    "JOIN host ON host.id=host_id",
    SubjectKind.SITE: "SELECT site.name, host.name AS host, tags, gone_since FROM site "
    "JOIN account ON account.id=account_id JOIN host ON host.id=host_id",
    SubjectKind.HOST: "SELECT name, name AS host, '[]' AS tags, NULL AS gone_since FROM host",
}


def _facts(row: sqlite3.Row) -> SubjectFacts:
    # Most have none, and there are thousands of them.
    tags = tuple(json.loads(row["tags"])) if row["tags"] != "[]" else ()
    return SubjectFacts(row["name"], row["host"], tags)


def subjects(db: sqlite3.Connection, kind: SubjectKind) -> list[SubjectFacts]:
    """Return the accounts, sites or hosts that are there, by name."""
    sql = f"SELECT * FROM ({_FACTS[kind]}) WHERE gone_since IS NULL ORDER BY name"
    return [_facts(row) for row in db.execute(sql)]


def is_gone(db: sqlite3.Connection, subject: Subject) -> bool:
    """Return whether the account of a subject was deleted."""
    row = db.execute(
        f"SELECT gone_since FROM ({_FACTS[subject.kind]}) WHERE name=?", (subject.name,)
    ).fetchone()
    return row is not None and row[0] is not None


def subject_facts(db: sqlite3.Connection, kind: SubjectKind, name: str) -> SubjectFacts:
    """Return one account, site or host, deleted or not; only its name if it is unknown."""
    row = db.execute(f"SELECT * FROM ({_FACTS[kind]}) WHERE name=?", (name,)).fetchone()
    return _facts(row) if row else SubjectFacts(name)


def account_of_site(db: sqlite3.Connection, site: str) -> str:
    """Return the account that a site belongs to. Raises ``MissingError``."""
    row = db.execute(
        "SELECT account.name FROM site JOIN account ON account.id=account_id WHERE site.name=?",
        (site,),
    ).fetchone()
    if row is None:
        raise nearest(db, "site", site, "site")
    return str(row[0])

"""The subjects that jobs should protect, and the findings that belong to no account."""

from __future__ import annotations

import sqlite3

from ...core.coverage import CoverageItem
from ...core.discovery.accounts import Unmatched
from .. import discoveries, settings

_UNMATCHED = "discovery.unmatched"


_HIDDEN = "discovery.hidden"


def things(db: sqlite3.Connection) -> list[CoverageItem]:
    """Return all that wants protection: sites, databases and mail domains of the accounts that are
    there.
    """
    where = (
        "FROM {0} JOIN account ON account.id=account_id JOIN host ON host.id=host_id WHERE "
        "gone_since IS NULL"
    )
    found = [
        CoverageItem("site", *row)
        for row in db.execute("SELECT site.name, account.name, host.name " + where.format("site"))
    ]
    found += [
        CoverageItem("database", row[0], row[1], row[2], not row[3], row[4] or "")
        for row in db.execute(
            "SELECT database.name, account.name, host.name, path, site " + where.format("database")
        )
    ]
    found += [
        CoverageItem("mail domain", *row)
        for row in db.execute(
            "SELECT mail_domain.name, account.name, host.name " + where.format("mail_domain")
        )
    ]
    found += [
        CoverageItem("account", row[0], row[0], row[1])
        for row in db.execute(
            "SELECT account.name, host.name FROM account JOIN host ON host.id=host_id WHERE "
            "gone_since IS NULL AND NOT EXISTS (SELECT 1 FROM site WHERE account_id=account.id) "
            "AND NOT EXISTS (SELECT 1 FROM database WHERE account_id=account.id) AND NOT EXISTS "
            "(SELECT 1 FROM mail_domain WHERE account_id=account.id)"
        )
    ]
    return found + _unmatched_things(db) + _new_accounts(db)


def _new_accounts(db: sqlite3.Connection) -> list[CoverageItem]:
    """Accounts that were found on hosts and nobody has accepted yet."""
    known = {row[0] for row in db.execute("SELECT name FROM account")}
    return [
        CoverageItem("account", name, name, host)
        for host, found in discoveries.by_host(db).items()
        for name in found.new
        if name not in known
    ]


def save_unmatched(db: sqlite3.Connection, host: str, found: Unmatched) -> None:
    """Keep what no rule of a host gives to an account, for coverage."""
    known = settings.get(db, _UNMATCHED, {})
    if known.get(host) != (row := {"databases": found.databases, "names": found.names}):
        settings.put(db, _UNMATCHED, {**known, host: row})


def save_hidden(db: sqlite3.Connection, host: str, sentence: str) -> None:
    """Keep what the last look at a host said of databases that its user does not see."""
    known = settings.get(db, _HIDDEN, {})
    if known.get(host, "") != sentence:
        settings.put(db, _HIDDEN, {**known, host: sentence})


def hidden(db: sqlite3.Connection) -> dict[str, str]:
    """By host, what was said of databases that its user does not see, where it was anything."""
    hosts = {row[0] for row in db.execute("SELECT name FROM host")}
    found = settings.get(db, _HIDDEN, {})
    return {host: words for host, words in found.items() if words and host in hosts}


def unmatched(db: sqlite3.Connection, host: str) -> Unmatched:
    """Return what the last discovery on a host could give to no account."""
    row = settings.get(db, _UNMATCHED, {}).get(host, {})
    return Unmatched(
        tuple((engine, name) for engine, name in row.get("databases", ())),
        tuple((name, root) for name, root in row.get("names", ())),
    )


def _unmatched_things(db: sqlite3.Connection) -> list[CoverageItem]:
    """Databases of servers that belong to no account that is known."""
    hosts = {row[0] for row in db.execute("SELECT name FROM host")}
    known = {
        (row[0], row[1])
        for row in db.execute(
            "SELECT host.name, database.name FROM database JOIN account ON account.id=account_id "
            "JOIN host ON host.id=host_id"
        )
    }
    return [
        CoverageItem("database", name, "", host, on_server=True)
        for host in sorted(hosts & settings.get(db, _UNMATCHED, {}).keys())
        for _, name in unmatched(db, host).databases
        if (host, name) not in known
    ]

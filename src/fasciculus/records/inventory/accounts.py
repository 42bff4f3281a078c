"""Accounts and their sites."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable

from ...core.errors import SettingError
from ...core.scope import EVERYTHING, Scope
from ...core.subject import SubjectKind
from ...fields import check_addresses
from ...models import (
    Account,
    Database,
    Page,
    Site,
    SiteRow,
)
from ...models.inventory.inventory import AccountFields
from ..paging import (
    PageRequest,
    Query,
    like,
    page,
)
from ..scope import accounts_within, only_accounts
from .names import nearest

CoverageLookup = Callable[[SubjectKind, str], list[str]]


_NEWEST = (
    "(SELECT moment FROM bundle WHERE subject_kind='{kind}' AND subject={name} "
    "ORDER BY moment DESC LIMIT 1)"
)


_ACCOUNT_NEWEST = _NEWEST.format(kind="account", name="account.name")


# The largest of the newest bundles of all jobs, since a job with only databases does not show its
# size.
_ACCOUNT_BYTES = (
    "(SELECT max(bytes) FROM (SELECT bytes, max(moment) FROM bundle WHERE subject_kind='account' "
    "AND subject=account.name GROUP BY job))"
)


_ACCOUNT = (
    "account.*, host.name AS host, (SELECT count(*) FROM bundle WHERE subject_kind='account' AND "
    f"subject=account.name) AS bundles, {_ACCOUNT_NEWEST} AS newest, {_ACCOUNT_BYTES} AS "
    "newest_bytes"
)


_ACCOUNT_SOURCE = "account JOIN host ON host.id=account.host_id"


def _account(db: sqlite3.Connection, row: sqlite3.Row, covered: CoverageLookup) -> Account:
    key = (row["id"],)
    return Account(
        name=row["name"],
        host=row["host"],
        home=row["home"],
        sites=[
            Site(name=r["name"], root=r["root"])
            for r in db.execute("SELECT name, root FROM site WHERE account_id=? ORDER BY name", key)
        ],
        databases=[
            Database(engine=r["engine"], name=r["name"], path=r["path"], site=r["site"])
            for r in db.execute(
                "SELECT engine, name, path, site FROM database WHERE account_id=? "
                "ORDER BY engine, name",
                key,
            )
        ],
        mail_domains=[
            r["name"]
            for r in db.execute(
                "SELECT name FROM mail_domain WHERE account_id=? ORDER BY name", key
            )
        ],
        excludes=json.loads(row["excludes"]),
        contact=row["contact"],
        tags=json.loads(row["tags"]),
        gone_since=row["gone_since"],
        covered_by=covered(SubjectKind.ACCOUNT, row["name"]),
        newest=row["newest"],
        newest_bytes=row["newest_bytes"] or 0,
        bundles=row["bundles"],
    )


def accounts(
    db: sqlite3.Connection,
    scope: Scope,
    paging: PageRequest,
    covered: CoverageLookup,
    words: str = "",
    host: str = "",
    tag: str = "",
) -> Page[Account]:
    """Return a page of the accounts that match."""
    query = Query(
        _ACCOUNT,
        _ACCOUNT_SOURCE,
        "account.id",
        {
            "name": "account.name",
            "host": "host.name",
            "newest": f"coalesce({_ACCOUNT_NEWEST}, '')",
            "size": f"coalesce({_ACCOUNT_BYTES}, 0)",
        },
        "name",
    )
    only_accounts(query, scope, "account.name")
    if words:
        query.only(
            "account.name LIKE ? ESCAPE '\\' OR account.id IN "
            "(SELECT account_id FROM site WHERE name LIKE ? ESCAPE '\\')",
            like(words),
            like(words),
        )
    if host:
        query.only("host.name = ?", host)
    if tag:
        query.only("EXISTS (SELECT 1 FROM json_each(account.tags) WHERE value = ?)", tag)
    return page(db, query, paging, lambda row: _account(db, row, covered))


def account(
    db: sqlite3.Connection,
    name: str,
    covered: CoverageLookup = lambda kind, name: [],
    scope: Scope = EVERYTHING,
) -> Account:
    """Return an account with its sites and databases. Raises ``MissingError``."""
    condition, values = accounts_within(scope, "account.name")
    row = db.execute(
        f"SELECT {_ACCOUNT} FROM {_ACCOUNT_SOURCE} WHERE account.name=? AND {condition}",
        [name, *values],
    ).fetchone()
    if row is None:
        raise nearest(db, "account", name, "account", scope)
    return _account(db, row, covered)


def every_account(db: sqlite3.Connection, host: str = "") -> list[Account]:
    """Return all accounts, or those of a host, without the data of other tables."""
    found: dict[int, Account] = {}
    for row in db.execute(
        "SELECT account.*, host.name AS host FROM account JOIN host ON host.id=host_id "
        "WHERE ?='' OR host.name=? ORDER BY account.name",
        (host, host),
    ):
        found[row["id"]] = Account.model_construct(
            name=row["name"],
            host=row["host"],
            home=row["home"],
            sites=[],
            databases=[],
            mail_domains=[],
            excludes=json.loads(row["excludes"]),
            contact=row["contact"],
            tags=json.loads(row["tags"]),
            gone_since=row["gone_since"],
        )
    for row in db.execute("SELECT account_id, name, root FROM site ORDER BY name"):
        if row["account_id"] in found:
            found[row["account_id"]].sites.append(
                Site.model_construct(name=row["name"], root=row["root"])
            )
    for row in db.execute(
        "SELECT account_id, engine, name, path, site FROM database ORDER BY engine, name"
    ):
        if row["account_id"] in found:
            found[row["account_id"]].databases.append(
                Database.model_construct(
                    engine=row["engine"], name=row["name"], path=row["path"], site=row["site"]
                )
            )
    for row in db.execute("SELECT account_id, name FROM mail_domain ORDER BY name"):
        if row["account_id"] in found:
            found[row["account_id"]].mail_domains.append(row["name"])
    return list(found.values())


def _check_account(new: AccountFields) -> None:
    home = new.home + "/"
    for site in new.sites:
        if not (site.root + "/").startswith(home):
            raise SettingError(
                f"The document root {site.root} of {site.name} is not below {new.home}.",
                "Correct one of the two.",
                field="sites",
            )
    names = {site.name for site in new.sites}
    for database in new.databases:
        if database.site and database.site not in names:
            raise SettingError(
                f"The account has no site “{database.site}”.",
                f"It has: {', '.join(sorted(names)) or 'none'}.",
                field="databases",
            )


def save_account(db: sqlite3.Connection, new: AccountFields, old_name: str | None = None) -> None:
    """Add an account, or replace the one of the old name with all that is in it.

    The time of its deletion is unchanged: see :func:`mark_gone`.
    """
    _check_account(new)
    if not db.execute(
        "SELECT 1 FROM account WHERE name=? AND contact=?", (old_name, new.contact)
    ).fetchone():
        check_addresses([new.contact], "contact")
    told = (json.dumps(new.excludes), new.contact, json.dumps(new.tags))
    found = db.execute("SELECT id FROM host WHERE name=?", (new.host,)).fetchone()
    if found is None:
        error = nearest(db, "host", new.host, "host")
        raise SettingError(error.message, error.hint, field="host")
    try:
        if old_name is None:
            key = db.execute(
                "INSERT INTO account (name, host_id, home, excludes, contact, tags) "
                "VALUES (?, ?, ?, ?, ?, ?)",
                (new.name, found["id"], new.home, *told),
            ).lastrowid
        else:
            row = db.execute("SELECT id FROM account WHERE name=?", (old_name,)).fetchone()
            if row is None:
                raise nearest(db, "account", old_name, "account")
            key = row["id"]
            db.execute(
                "UPDATE account SET name=?, host_id=?, home=?, excludes=?, contact=?, tags=? "
                "WHERE id=?",
                (new.name, found["id"], new.home, *told, key),
            )
            for table in ("site", "database", "mail_domain"):
                db.execute(f"DELETE FROM {table} WHERE account_id=?", (key,))
        db.executemany(
            "INSERT INTO site (account_id, name, root) VALUES (?, ?, ?)",
            [(key, site.name, site.root) for site in new.sites],
        )
        db.executemany(
            "INSERT INTO database (account_id, engine, name, path, site) VALUES (?, ?, ?, ?, ?)",
            [(key, d.engine, d.name, d.path, d.site) for d in new.databases],
        )
        db.executemany(
            "INSERT INTO mail_domain (account_id, name) VALUES (?, ?)",
            [(key, name) for name in new.mail_domains],
        )
    except sqlite3.IntegrityError as error:
        what = str(error).rpartition(": ")[2].partition(".")[0].replace("_", " ")
        raise SettingError(
            f"That {what} is there already, in this account or another.",
            "Each account, site and mail domain belongs in one place only.",
            field="name" if what == "account" else f"{what}s".replace(" ", "_"),
        ) from error


def mark_gone(db: sqlite3.Connection, name: str, since: str | None) -> None:
    """Note since when an account was not found on its host any more, or that it is back."""
    db.execute("UPDATE account SET gone_since=? WHERE name=?", (since, name))


def remove_account(db: sqlite3.Connection, name: str) -> None:
    """Remove an account with its sites. Raises ``MissingError``."""
    if not db.execute("DELETE FROM account WHERE name=?", (name,)).rowcount:
        raise nearest(db, "account", name, "account")


def sites(
    db: sqlite3.Connection,
    scope: Scope,
    paging: PageRequest,
    covered: CoverageLookup,
    words: str = "",
) -> Page[SiteRow]:
    """Return a page of the sites that match."""
    newest = _NEWEST.format(kind="site", name="site.name")
    query = Query(
        f"site.name, site.root, account.name AS account, host.name AS host, {newest} AS newest",
        "site JOIN account ON account.id=site.account_id JOIN host ON host.id=account.host_id",
        "site.id",
        {"name": "site.name", "account": "account.name"},
        "name",
    )
    only_accounts(query, scope, "account.name")
    if words:
        query.only("site.name LIKE ? ESCAPE '\\'", like(words))
    return page(
        db,
        query,
        paging,
        lambda row: SiteRow(
            name=row["name"],
            root=row["root"],
            account=row["account"],
            host=row["host"],
            newest=row["newest"],
            covered_by=sorted(
                {
                    *covered(SubjectKind.SITE, row["name"]),
                    *covered(SubjectKind.ACCOUNT, row["account"]),
                }
            ),
        ),
    )

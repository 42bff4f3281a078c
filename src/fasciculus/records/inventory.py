"""Hosts and accounts, with their sites, databases and mail domains."""

from __future__ import annotations

import difflib
import json
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass

from ..core.coverage import CoverageItem
from ..core.discovery.accounts import Unmatched
from ..core.errors import MissingError, NameTakenError, SettingError
from ..core.scope import EVERYTHING, Scope
from ..core.selection import SubjectFacts
from ..fields import check_addresses
from ..models import (
    Account,
    Database,
    Host,
    HostInput,
    Page,
    Site,
    SiteRow,
)
from ..models.inventory import AccountFields, HostFields
from . import discoveries, settings
from .odd_rows import readable
from .paging import (
    PageRequest,
    Query,
    like,
    page,
)
from .scope import accounts_within, only_accounts
from .secret_cipher import SecretCipher, merged

_UNMATCHED = "discovery.unmatched"
_HIDDEN = "discovery.hidden"
CoverageLookup = Callable[[str, str], list[str]]

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


def nearest(
    db: sqlite3.Connection, table: str, name: str, what: str, scope: Scope = EVERYTHING
) -> MissingError:
    """Return the error for a wrong name: it says the nearest, or all when they are few, of those
    in the scope.
    """
    rows = db.execute(f"SELECT name FROM {table} ORDER BY name LIMIT 5000")
    known = [row[0] for row in rows if scope.has_account(row[0])]
    close = difflib.get_close_matches(name, known, 1)
    if close:
        hint = f"Did you mean “{close[0]}”?"
    else:
        hint = f"Known: {', '.join(known[:12])}." if known else "There is none yet."
    return MissingError(f"There is no {what} “{name}”.", hint)


# Hosts ------------------------------------------------------------------------


def _host(row: sqlite3.Row, cipher: SecretCipher) -> Host:
    return Host(
        **HostFields.model_validate_json(row["document"]).model_dump(),
        where=row["place"],
        accounts=row["accounts"],
        secrets_set=sorted(cipher.decrypt(row["secrets"])),
    )


_HOST = "host.*, (SELECT count(*) FROM account WHERE host_id=host.id) AS accounts"


def hosts(
    db: sqlite3.Connection, cipher: SecretCipher, paging: PageRequest, words: str = ""
) -> Page[Host]:
    """Return a page of the hosts that match."""
    query = Query(_HOST, "host", "host.id", {"name": "host.name"}, "name")
    if words:
        query.only("host.name LIKE ? ESCAPE '\\'", like(words))
    return page(db, query, paging, lambda row: _host(row, cipher))


def readable_hosts(db: sqlite3.Connection, cipher: SecretCipher) -> list[Host]:
    """Return all hosts that can be read, by name."""
    rows = db.execute(f"SELECT {_HOST} FROM host ORDER BY name")
    return readable(rows, lambda row: _host(row, cipher))


def host(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> Host:
    """Return a host, without its secrets. Raises ``MissingError``."""
    row = db.execute(f"SELECT {_HOST} FROM host WHERE name=?", (name,)).fetchone()
    if row is None:
        raise nearest(db, "host", name, "host")
    return _host(row, cipher)


def host_count(db: sqlite3.Connection) -> int:
    """Return how many hosts there are."""
    return int(db.execute("SELECT count(*) FROM host").fetchone()[0])


def host_secrets(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> dict[str, str]:
    """Return the secrets of a host by their field; none for an unknown host."""
    row = db.execute("SELECT secrets FROM host WHERE name=?", (name,)).fetchone()
    return cipher.decrypt(row["secrets"]) if row else {}


def save_host(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    new: HostInput,
    where: str,
    old_name: str | None = None,
) -> None:
    """Add a host, or change the one of the old name; ``where`` describes its place."""
    document = new.model_dump_json(exclude={"secrets"})
    try:
        if old_name is None:
            db.execute(
                "INSERT INTO host (name, document, place, secrets) VALUES (?, ?, ?, ?)",
                (new.name, document, where, cipher.encrypt(merged({}, new.secrets))),
            )
            return
        secrets = merged(host_secrets(db, cipher, old_name), new.secrets)
        if not db.execute(
            "UPDATE host SET name=?, document=?, place=?, secrets=? WHERE name=?",
            (new.name, document, where, cipher.encrypt(secrets), old_name),
        ).rowcount:
            raise nearest(db, "host", old_name, "host")
    except sqlite3.IntegrityError as error:
        raise NameTakenError(
            f"There is a host “{new.name}” already.", "Choose another name.", field="name"
        ) from error


def remove_host(db: sqlite3.Connection, name: str) -> None:
    """Remove a host. Raises ``MissingError``, or ``SettingError`` while it has accounts."""
    try:
        if not db.execute("DELETE FROM host WHERE name=?", (name,)).rowcount:
            raise nearest(db, "host", name, "host")
    except sqlite3.IntegrityError as error:
        raise SettingError(f"Host “{name}” still has accounts.", "Remove them first.") from error


@dataclass(frozen=True, slots=True)
class SubjectHost:
    """The host of a subject: its name, its kind, and how many tasks it takes (0: by its kind)."""

    name: str
    kind: str
    max_concurrent: int


def hosts_of(db: sqlite3.Connection, kind: str) -> dict[str, SubjectHost]:
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
            hosts[host] = SubjectHost(host, fields.connection.kind, fields.max_concurrent)
        found[subject] = hosts[host]
    return found


def contacts(db: sqlite3.Connection, kind: str) -> dict[str, str]:
    """By subject of a kind, the contact of its account, if any."""
    source = {
        "account": "SELECT name, contact FROM account WHERE contact != ''",
        "site": "SELECT site.name, contact FROM site JOIN account ON account.id=account_id WHERE "
        "contact != ''",
    }
    return dict(map(tuple, db.execute(source[kind]))) if kind in source else {}


def host_of_subject(db: sqlite3.Connection, kind: str, name: str) -> str | None:
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


# Accounts ---------------------------------------------------------------------

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
        covered_by=covered("account", row["name"]),
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


_FACTS = {
    "accounts": "SELECT account.name, host.name AS host, tags, gone_since FROM account "
    "JOIN host ON host.id=host_id",
    "sites": "SELECT site.name, host.name AS host, tags, gone_since FROM site "
    "JOIN account ON account.id=account_id JOIN host ON host.id=host_id",
    "hosts": "SELECT name, name AS host, '[]' AS tags, NULL AS gone_since FROM host",
}


def _facts(row: sqlite3.Row) -> SubjectFacts:
    # Most have none, and there are thousands of them.
    tags = tuple(json.loads(row["tags"])) if row["tags"] != "[]" else ()
    return SubjectFacts(row["name"], row["host"], tags)


def subjects(db: sqlite3.Connection, kind: str) -> list[SubjectFacts]:
    """Return the accounts, sites or hosts that are there, by name."""
    sql = f"SELECT * FROM ({_FACTS[kind]}) WHERE gone_since IS NULL ORDER BY name"
    return [_facts(row) for row in db.execute(sql)]


def subject_facts(db: sqlite3.Connection, kind: str, name: str) -> SubjectFacts:
    """Return one account, site or host, deleted or not; only its name if it is unknown."""
    row = db.execute(f"SELECT * FROM ({_FACTS[kind + 's']}) WHERE name=?", (name,)).fetchone()
    return _facts(row) if row else SubjectFacts(name)


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


# Sites ------------------------------------------------------------------------


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
            covered_by=sorted({*covered("site", row["name"]), *covered("account", row["account"])}),
        ),
    )


def account_of_site(db: sqlite3.Connection, site: str) -> str:
    """Return the account that a site belongs to. Raises ``MissingError``."""
    row = db.execute(
        "SELECT account.name FROM site JOIN account ON account.id=account_id WHERE site.name=?",
        (site,),
    ).fetchone()
    if row is None:
        raise nearest(db, "site", site, "site")
    return str(row[0])

"""Accounts out of what a host tells; coverage; definitions as text; surveys."""

from datetime import UTC, datetime, timedelta

import pytest

from fasciculus.core.coverage import (
    CoverageItem,
    CoveringJob,
    cover,
    promise_of,
)
from fasciculus.core.definitions import changed_fields, from_text, to_text
from fasciculus.core.discovery.accounts import (
    DiscoveredAccount,
    DiscoveredDatabase,
    HostFacts,
    assemble,
    difference,
    rule_pattern,
)
from fasciculus.core.discovery.web_server_config import VirtualHost, apache_hosts, nginx_hosts
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.core.errors import SettingError
from fasciculus.core.file_filters import FileRules, FileSelector
from fasciculus.core.preview import PreviewCounter

NGINX = r"""
http {
    # server { server_name commented.example; root /nowhere; }
    map $host $x { default 1; }
    server { listen 80 default_server; server_name _; root /var/www; }
    server {
        server_name Millpond.example www.millpond.example *.millpond.example ~^x\d+$;
        root "/home/millpond/sites/a b";
        location /old { root /home/other; }
        location ~ \.php$ { fastcgi_param X "}{;"; }
    }
    server { server_name noroot.example; }
    server { server_name variable.example; root /home/$host; }
}
"""
APACHE = """
ServerName outside.example
<VirtualHost *:443>
  ServerName https://ferryline.example:443
  ServerAlias www.ferryline.example \\
     times.ferryline.example
  DocumentRoot "/home/ferryline/public html"
  # ServerAlias commented.example
  <Directory /home/x>
    Require all granted
  </Directory>
</VirtualHost>
<virtualhost *:80>
  servername ferryline.example
</virtualhost>
"""


def test_names_and_roots_out_of_web_servers_configuration():
    assert list(nginx_hosts(NGINX)) == [
        VirtualHost(("millpond.example", "www.millpond.example"), "/home/millpond/sites/a b")
    ]
    assert list(apache_hosts(APACHE)) == [
        VirtualHost(
            ("ferryline.example", "www.ferryline.example", "times.ferryline.example"),
            "/home/ferryline/public html",
        )
    ]
    for broken in ("server { server_name", "}}} server_name x.example;", '"unclosed', "{" * 50):
        assert list(nginx_hosts(broken)) == []
    assert list(apache_hosts("<VirtualHost\nDocumentRoot 'x\nServerName y")) == []


def test_accounts_are_put_together_from_what_was_read():
    facts = HostFacts(
        folders=[
            "/home/mill",
            "/home/mill_pond",
            "/home/lost+found",
            "/home/mill/sites/mill.example",
            "/home/mill/sites/README",
            "/elsewhere/x",
        ],
        virtual_hosts=[VirtualHost(("pond.example", "www.pond.example"), "/home/mill_pond/public")],
        databases=[
            ("mariadb", name)
            for name in ("mill_shop", "mill_pond_shop", "mill", "other_db", "granted")
        ],
        grants={
            "mill": {("mariadb", "granted"), ("mariadb", "not_there")},
            "stranger": {("mariadb", "other_db")},
        },
        mail_domains=["mill.example", "pond.example", "nobody.example"],
        database_files=[
            ("sqlite", "/home/mill_pond/public/data/site.db"),
            ("sqlite", "/srv/x.db"),
        ],
    )
    found = assemble(
        facts, ["/home/{account}"], ["/home/{account}/sites/{site}"], "{account}_", True, ["root"]
    )
    assert [a.name for a in found] == ["mill", "mill_pond"], "lost+found is no name"
    mill, pond = found
    assert mill.sites == {"mill.example": "/home/mill/sites/mill.example"}
    assert {d.name for d in mill.databases} == {"mill_shop", "mill", "granted"}
    assert pond.sites == {"pond.example": "/home/mill_pond/public"}
    assert {(d.name, d.engine, d.site) for d in pond.databases} == {
        ("mill_pond_shop", "mariadb", ""),
        ("public/data/site.db", "sqlite", "pond.example"),
    }
    assert mill.mail_domains == {"mill.example"} and pond.mail_domains == {"pond.example"}
    assert [a.name for a in assemble(facts, ["/home/{account}"], [], "", False, ["mill"])] == [
        "mill_pond"
    ]


@pytest.mark.parametrize(
    "rule", ["home/{account}", "/home/x", "/home/{user}", "/{account}/{account}"]
)
def test_a_rule_that_is_none_is_refused(rule):
    with pytest.raises(SettingError):
        rule_pattern(rule)


def test_the_difference_is_said_in_words():
    before = [
        DiscoveredAccount(
            "a",
            "/home/a",
            {"a.example": "/home/a/x", "old.example": "/home/a/o"},
            set(),
            {"a.example"},
        ),
        DiscoveredAccount("b", "/home/b"),
        DiscoveredAccount("same", "/home/same", {}, {DiscoveredDatabase("sqlite", "mine", "x.db")}),
    ]
    after = [
        DiscoveredAccount(
            "a", "/srv/a", {"a.example": "/srv/a/x"}, {DiscoveredDatabase("mariadb", "a_db")}
        ),
        DiscoveredAccount("c", "/home/c", {"c.example": "/home/c"}),
        DiscoveredAccount("same", "/home/same", {}, {DiscoveredDatabase("sqlite", "x.db", "x.db")}),
    ]
    rows = {row.account.name: (row.kind, row.changes) for row in difference(after, before)}
    assert rows == {
        "a": (
            "changed",
            (
                "home is /srv/a instead of /home/a",
                "site a.example serves /srv/a/x instead of /home/a/x",
                "site old.example is gone",
                "database a_db is new",
                "mail domain a.example is gone",
            ),
        ),
        "b": ("gone", ("its home folder is not there any more",)),
        "c": ("new", ("site c.example",)),
    }


NOW = datetime(2026, 11, 24, 12, tzinfo=UTC)
DAY = timedelta(days=1)


def job(
    name,
    subjects="accounts",
    covers=("millpond",),
    contents=("files", "databases", "mail"),
    **databases,
):
    return CoveringJob(
        name, subjects, frozenset(covers), frozenset(contents), DatabaseRules(**databases), DAY
    )


@pytest.mark.parametrize(
    ("thing", "jobs", "newest", "state"),
    [
        (CoverageItem("site", "m.example", "millpond", "reed-1"), [], {}, "bare"),
        (
            CoverageItem("site", "m.example", "millpond", "reed-1"),
            [job("db", contents=("databases",))],
            {},
            "bare",
        ),
        (CoverageItem("site", "m.example", "millpond", "reed-1"), [job("n")], {}, "never"),
        (
            CoverageItem("site", "m.example", "millpond", "reed-1"),
            [job("n")],
            {("account", "millpond", "n"): 20},
            "protected",
        ),
        (
            CoverageItem("site", "m.example", "millpond", "reed-1"),
            [job("n")],
            {("account", "millpond", "n"): 25},
            "late",
        ),
        (
            CoverageItem("site", "m.example", "millpond", "reed-1"),
            [job("n"), job("s", "sites", ("m.example",))],
            {("account", "millpond", "n"): 25, ("site", "m.example", "s"): 2},
            "protected",
        ),
        (
            CoverageItem("database", "shop", "millpond", "reed-1", True),
            [job("n", without=("shop",))],
            {},
            "bare",
        ),
        (
            CoverageItem("database", "shop", "millpond", "reed-1", True),
            [job("n", structure_only=True)],
            {},
            "bare",
        ),
        (
            CoverageItem("database", "shop", "millpond", "reed-1", True),
            [job("h", "hosts", ("reed-1",))],
            {},
            "never",
        ),
        (
            CoverageItem("database", "x", "millpond", "reed-1", False),
            [job("h", "hosts", ("reed-1",))],
            {},
            "bare",
        ),
        (
            CoverageItem("database", "x", "millpond", "reed-1", False, "m.example"),
            [job("s", "sites", ("m.example",))],
            {},
            "never",
        ),
        (
            CoverageItem("mail domain", "m.example", "millpond", "reed-1"),
            [job("n", contents=("files",))],
            {},
            "bare",
        ),
    ],
)
def test_coverage(thing, jobs, newest, state):
    moments = {}
    for (kind, subject, name), hours in newest.items():
        moments.setdefault((kind, subject), {})[name] = (NOW - timedelta(hours=hours)).isoformat()
    assert cover([thing], jobs, moments, NOW)[0].state == state


def test_a_promise_is_the_longest_pause_and_a_quarter():
    assert promise_of([NOW, NOW + DAY, NOW + 4 * DAY]) == 3.75 * DAY
    assert promise_of([NOW, NOW + timedelta(hours=1)]) == timedelta(hours=3)
    assert promise_of([NOW]) is None


def test_definitions_as_text_and_back():
    tables = {
        "hosts": {"reed-1": {"port": 22}},
        "jobs": {"nightly": {"stores": ["a"], "rules": {"sets": ["logs"]}}},
    }
    text = to_text(tables, {"hosts.reed-1": ["password"]})
    found = from_text(text)
    assert found.tables["hosts"] == tables["hosts"] and found.tables["jobs"] == tables["jobs"]
    assert found.references == {
        "hosts.reed-1.password": {"env": "FASCICULUS_HOSTS_REED_1_PASSWORD"}
    }
    for bad, said in (
        ("[hosts", "not TOML"),
        ("[tapes.x]", "no kind of thing"),
        ("hosts = 1", "not a table"),
        ('[hosts.a]\nsecrets = { password = "plain" }', "is written out"),
    ):
        with pytest.raises(SettingError, match=said) as caught:
            from_text(bad)
        assert caught.value.field == "text" and "plain" not in caught.value.sentence()
    assert changed_fields({"a": 1, "m": {"x": 1, "y": 2}}, {"m": {"x": 2, "y": 2}, "b": 3}) == [
        "a",
        "b",
        "m.x",
    ]


def test_a_survey_counts_what_each_rule_saves_and_what_is_new():
    rules = FileRules(sets=("caches",), excludes=("*.bak",))
    before = iter([(b"a/one", 10, 5), (b"a/two", 10, 5), (b"z", 1, 1)])
    surveyor = PreviewCounter(FileSelector(rules, 0), frozenset({b"store"}), before)
    for path, is_dir, size, mtime in (
        (b"a", True, 0, 0),
        (b"a/cache", True, 0, 0),
        (b"a/cache/x", False, 100, 0),
        (b"a/cache/y", True, 0, 0),
        (b"a/cache/y/z", False, 50, 0),
        (b"a/one", False, 10, 5),
        (b"a/old.bak", False, 7, 0),
        (b"a/two", False, 10, 6),
        (b"b", True, 0, 0),
        (b"b/c", True, 0, 0),
        (b"b/c/big", False, 1000, 0),
        (b"store", True, 0, 0),
        (b"store/p", False, 9, 0),
        (b"z", False, 1, 1),
    ):
        surveyor.take(path, is_dir, not is_dir, size, mtime, 1)
    survey = surveyor.finish()
    assert (survey.inside.entries, survey.inside.bytes) == (9, 1021), (
        "the root counts, as in a bundle"
    )
    assert (survey.new.entries, survey.new.bytes) == (2, 1010)
    saved = {rule: (amount.entries, amount.bytes) for rule, amount in survey.saved.items()}
    assert saved == {
        "**/cache/**": (3, 150),
        "*.bak": (1, 7),
        "used by Fasciculus itself, or stored as a database": (2, 9),
    }
    assert [(folder, a.entries, a.bytes) for folder, a in survey.folders] == [
        (b"b/c", 1, 1000),
        (b"b", 2, 1000),
        (b"a", 3, 20),
        (b"a/cache", 0, 0),
    ]

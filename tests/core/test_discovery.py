"""Accounts out of what a host tells; coverage; definitions as text; surveys."""

from __future__ import annotations

from typing import Any

import pytest

from fasciculus.core.discovery.accounts import (
    DiscoveredAccount,
    DiscoveredDatabase,
    HostFacts,
    assemble,
    difference,
    rule_pattern,
    unmatched,
)
from fasciculus.core.discovery.web_server_config import VirtualHost, apache_hosts, nginx_hosts
from fasciculus.core.errors import SettingError

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


def test_names_and_roots_out_of_web_servers_configuration() -> None:
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


def test_accounts_are_put_together_from_what_was_read() -> None:
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
def test_a_rule_that_is_none_is_refused(rule: str) -> None:
    with pytest.raises(SettingError):
        rule_pattern(rule)


def test_the_difference_is_said_in_words() -> None:
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


@pytest.mark.parametrize(
    ("text", "hosts"),
    [
        ("server { server_name a.example; root /srv/a; }", [(("a.example",), "/srv/a")]),
        ("server { server_name a.example b.example.; root /srv/a/; }", None),
        ("server { server_name a.example a.example; root /srv/a; }", None),
        ("server { server_name A.Example; root /srv/a; }", None),
        ("server { server_name _ localhost; root /srv/a; }", []),
        ("server { server_name *.example _ localhost; root /srv/a; }", [((), "/srv/a")]),
        ("server { server_name ~^www\\..*; root /srv/a; }", [((), "/srv/a")]),
        ("server { server_name a.example; root relative; }", []),
        ("server { server_name a.example; root /srv/$host; }", []),
        ("server { server_name a.example; }", []),
        ("server { root /srv/a; }", []),
        ("server { server_name a.example; location / { root /elsewhere; } }", []),
        ("http { server { server_name a.example; root /srv/a; } }", None),
        ("server { server_name a.example; root /srv/a", []),
        ("server_name a.example; root /srv/a;", []),
        ("server { # server_name b.example;\n server_name a.example; root /srv/a; }", None),
        ("server { server_name 'a.example'; root \"/srv/a\"; }", None),
        ("} } {", []),
    ],
)
def test_nginx_servers(text: str, hosts: list[Any] | None) -> None:
    found = [(host.names, host.root) for host in nginx_hosts(text)]
    if hosts is None:
        ((names, root),) = found
        assert names[0] == "a.example" and root == "/srv/a" and len(names) <= 2
    else:
        assert found == hosts


def test_each_server_has_its_own_names_and_root() -> None:
    text = "server { server_name a.example; root /a; } server { server_name b.example; root /b; }"
    assert [(h.names, h.root) for h in nginx_hosts(text)] == [
        (("a.example",), "/a"),
        (("b.example",), "/b"),
    ]
    only = "server { server_name a.example; root /a; } server { server_name b.example; }"
    assert len(list(nginx_hosts(only))) == 1, "a root is not handed on"


@pytest.mark.parametrize(
    ("lines", "hosts"),
    [
        (["ServerName a.example", "DocumentRoot /srv/a"], [(("a.example",), "/srv/a")]),
        (["servername https://a.example:443", 'documentroot "/srv/a"'], None),
        (["ServerName a.example", "ServerAlias b.example \\", "  c.example", "DocumentRoot /x"], 3),
        (["# ServerName a.example", "DocumentRoot /srv/a"], []),
        (["ServerName a.example"], []),
        (["ServerName a.example", "DocumentRoot"], []),
        (["ServerName 'a.example", "DocumentRoot /srv/a"], [((), "/srv/a")]),
    ],
)
def test_apache_hosts(lines: list[str], hosts: int | list[Any] | None) -> None:
    text = "\n".join(["<VirtualHost *:80>", *lines, "</VirtualHost>", "ServerName out.example"])
    found = [(host.names, host.root) for host in apache_hosts(text)]
    if hosts == 3:
        assert found == [(("a.example", "b.example", "c.example"), "/x")]
    else:
        assert found == ([(("a.example",), "/srv/a")] if hosts is None else hosts)


def account(name: str, **more: Any) -> DiscoveredAccount:
    return DiscoveredAccount(name, f"/home/{name}", **more)


def found_in(facts: HostFacts, **rules: Any) -> list[Any]:
    given = {
        "homes": ["/home/{account}"],
        "sites": [],
        "database_prefix": "",
        "by_grants": False,
        "excluded": [],
        **rules,
    }
    return assemble(facts, **given)


def test_folders_that_are_no_account() -> None:
    facts = HostFacts(folders=["/home/a", "/home/.hidden", "/home/B", "/home/a/b", "/srv/c"])
    assert [found.name for found in found_in(facts)] == ["a"]
    assert found_in(facts, excluded=["a"]) == []
    assert [f.name for f in found_in(facts, homes=["/srv/{account}", "/home/{account}"])] == [
        "a",
        "c",
    ]


def test_the_first_rule_that_finds_an_account_says_where_it_lives() -> None:
    facts = HostFacts(folders=["/home/a", "/srv/a"])
    (found,) = found_in(facts, homes=["/srv/{account}", "/home/{account}"])
    assert found.home == "/srv/a"


def test_databases_by_prefix_grants_and_files() -> None:
    facts = HostFacts(
        folders=["/home/mill", "/home/mill_pond"],
        databases=[("mariadb", n) for n in ("mill", "mill_x", "mill_pond_y", "other", "granted")],
        grants={
            "mill": {("mariadb", "granted"), ("mariadb", "gone")},
            "nobody": {("mariadb", "other")},
        },
        database_files=[("sqlite", "/home/mill/data/x.db"), ("sqlite", "/srv/else.db")],
    )
    one, two = found_in(facts, database_prefix="{account}_", by_grants=True)
    assert {d.name for d in one.databases} == {"mill", "mill_x", "granted", "data/x.db"}
    assert {d.name for d in two.databases} == {"mill_pond_y"}
    bare = found_in(facts)
    assert {d.name for d in bare[0].databases} == {"data/x.db"}


def test_a_file_belongs_to_the_innermost_home_and_site() -> None:
    facts = HostFacts(
        folders=["/home/a", "/home/a/sites/x.example"],
        database_files=[("sqlite", "/home/a/sites/x.example/d.db"), ("sqlite", "/home/a/e.db")],
    )
    (found,) = found_in(facts, sites=["/home/{account}/sites/{site}"])
    assert {(d.path, d.site) for d in found.databases} == {
        ("sites/x.example/d.db", "x.example"),
        ("e.db", ""),
    }


def test_a_mail_domain_goes_with_the_site_of_its_name_or_below() -> None:
    facts = HostFacts(
        folders=["/home/a", "/home/b", "/home/a/s/www.pond.example", "/home/b/s/mill.example"],
        mail_domains=["pond.example", "mill.example", "example", "strange.example"],
    )
    one, two = found_in(facts, sites=["/home/{account}/s/{site}"])
    assert one.mail_domains == {"pond.example"} and two.mail_domains == {"mill.example"}


def test_no_difference_is_no_proposal() -> None:
    known = [account("a", sites={"a.example": "/home/a/x"})]
    assert difference(known, known) == []
    moved = [account("a", sites={"a.example": "/home/a/y"})]
    (row,) = difference(moved, known)
    assert row.changes == ("site a.example serves /home/a/y instead of /home/a/x",)


def test_what_no_rule_gives_to_an_account_is_said() -> None:
    """A database without an owner, and server names that say no domain."""
    text = """
    server { server_name ~^shop\\d+$ *.pond.example; root /home/mill_pond/shop; }
    server { server_name pond.example *.pond.example; root /home/mill_pond/public; }
    server { server_name _ localhost; root /home/mill_pond/none; }
    server { server_name ~^other$; root /srv/other; }
    """
    hosts = list(nginx_hosts(text))
    assert [host.names for host in hosts] == [(), ("pond.example",), ()]
    facts = HostFacts(
        folders=["/home/mill_pond"],
        virtual_hosts=hosts,
        databases=[("mariadb", "mill_pond_shop"), ("mariadb", "stray")],
    )
    found = assemble(facts, ["/home/{account}"], [], "{account}_", False, [])
    assert found[0].sites == {"pond.example": "/home/mill_pond/public"}
    rest = unmatched(facts, found)
    assert rest.databases == (("mariadb", "stray"),)
    assert rest.names == (
        ("*.pond.example", "/home/mill_pond/shop"),
        (r"~^shop\d+$", "/home/mill_pond/shop"),
    )

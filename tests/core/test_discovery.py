"""Accounts out of what a host tells; coverage; definitions as text; surveys."""

import pytest

from fasciculus.core.discovery.accounts import (
    DiscoveredAccount,
    DiscoveredDatabase,
    HostFacts,
    assemble,
    difference,
    rule_pattern,
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

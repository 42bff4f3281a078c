"""Mail settings of one domain, read and merged."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fasciculus.core import mail_config

ALIASES = """# hosts's own
info@millpond.example  hello@millpond.example,
    orders@millpond.example
info@ferryline.example office@ferryline.example
@millpond.example      hello@millpond.example
"""


PASSWD = """\
hello@millpond.example:{SHA512-CRYPT}$6$abc:5000:5000::/var/mail/h::userdb_quota_rule=*:storage=2G
office@ferryline.example:{BLF-CRYPT}$2y$x:5000:5000::/var/mail/o::
root:x:0:0
"""


def test_mail_settings_of_one_domain_and_no_other() -> None:
    aliases = mail_config.map_lines(ALIASES, "Millpond.Example")
    passwd = mail_config.passwd_lines(PASSWD, "millpond.example")
    assert "".join(aliases) == "".join(ALIASES.splitlines(keepends=True)[n] for n in (1, 2, 4)), (
        "native lines unchanged"
    )
    assert passwd == [PASSWD.splitlines(keepends=True)[0]]
    found = json.loads(mail_config.settings("millpond.example", aliases, passwd).to_json())
    assert found["aliases"][0] == {
        "address": "info@millpond.example",
        "targets": ["hello@millpond.example", "orders@millpond.example"],
    }
    assert (
        found["mailboxes"][0]["quota"] == "*:storage=2G"
        and found["mailboxes"][0]["scheme"] == "SHA512-CRYPT"
    )
    assert "$6$" not in json.dumps(found), "the hash stays in the native line"


DOMAINS = st.sampled_from(["millpond.example", "ferryline.example", "x.millpond.example"])


USERS = st.sampled_from(["info@", "@", "hello@", ""])


MAP_LINE = st.tuples(
    USERS, DOMAINS, st.sampled_from(["target@y.example", "a@b.example,\n   c@d.example"])
)


NOISE = st.sampled_from(["# a comment\n", "\n", "   \n", "#info@millpond.example x\n"])


@settings(max_examples=150, deadline=None)
@given(st.lists(st.one_of(MAP_LINE, NOISE), max_size=12), st.lists(MAP_LINE, max_size=4))
def test_merging_a_map_replaces_one_domain_and_touches_no_other(
    rows: list[Any], fresh: list[Any]
) -> None:
    text = "".join(row if isinstance(row, str) else f"{row[0]}{row[1]}  {row[2]}\n" for row in rows)
    lines = [f"{user}millpond.example  {target}\n" for user, _, target in fresh]
    after = mail_config.merged_map(text, "millpond.example", lines)
    assert mail_config.map_lines(after, "millpond.example") == lines
    for other in ("ferryline.example", "x.millpond.example"):
        assert mail_config.map_lines(after, other) == mail_config.map_lines(text, other)
    assert after.count("# a comment") == text.count("# a comment")
    assert mail_config.merged_map(after, "millpond.example", lines) == after, (
        "merging twice changes nothing"
    )


def test_merging_a_passwd_file() -> None:
    text = "# users\nhello@millpond.example:{X}a:1:1::/h::\noffice@ferryline.example:{X}b:1:1::/f::"
    lines = ["new@millpond.example:{X}c:1:1::/n::\n"]
    after = mail_config.merged_passwd(text, "millpond.example", lines)
    assert (
        after
        == "# users\nnew@millpond.example:{X}c:1:1::/n::\noffice@ferryline.example:{X}b:1:1::/f::\n"
    )
    assert mail_config.merged_passwd("", "millpond.example", lines) == lines[0]
    assert mail_config.domains_of_passwd(text) == {"millpond.example", "ferryline.example"}
    assert mail_config.domains_of_map("@a.example x\nb.example y\nplain z\n# c.example\n") == {
        "a.example",
        "b.example",
    }


MAP = (
    "# the valley\n"
    "info@millpond.example  hello@millpond.example\n"
    "# in between\n"
    "   # indented\n"
    "\n"
    "  , second@millpond.example\n"
    "millpond.example  anything\n"
    ".millpond.example  sub\n"
    "plain  root\n"
    "office@ferryline.example  a@b.example"
)


def test_a_continuation_belongs_to_its_key_whatever_stands_between() -> None:
    found = mail_config.map_lines(MAP, "MILLPOND.example")
    assert found == [
        "info@millpond.example  hello@millpond.example\n  , second@millpond.example\n",
        "millpond.example  anything\n",
        ".millpond.example  sub\n",
    ]
    (alias, *_) = mail_config.settings("millpond.example", found, []).aliases
    assert alias.targets == ["hello@millpond.example", "second@millpond.example"]
    assert mail_config.map_lines(MAP, "ferryline.example") == [
        "office@ferryline.example  a@b.example\n"
    ], "a last line without its end gets one"
    assert mail_config.map_lines("  leading@a.example x\n", "a.example") == [
        "  leading@a.example x\n"
    ], "there is nothing yet that it could go on"


def test_taking_a_domain_out_keeps_comments_and_all_others() -> None:
    after = mail_config.merged_map(MAP, "millpond.example", [])
    assert after == (
        "# the valley\n# in between\n   # indented\n\nplain  root\n"
        "office@ferryline.example  a@b.example\n"
    )
    assert mail_config.merged_map("", "millpond.example", []) == ""


def test_fresh_lines_stand_where_the_old_ones_stood_once() -> None:
    text = "a@a.example 1\nb@b.example 2\nc@a.example 3\n"
    after = mail_config.merged_map(text, "A.example", ["new@a.example 9"])
    assert after == "new@a.example 9\nb@b.example 2\n"
    other = mail_config.merged_map(text, "c.example", ["c@c.example 1\n"])
    assert other == text + "c@c.example 1\n"


@pytest.mark.parametrize(
    ("line", "scheme", "quota"),
    [
        ("a@x.example:{SHA512-CRYPT}$6$h:1:1::/h::userdb_quota_rule=*:storage=2G", True, True),
        ("a@x.example:plain:1:1::/h::other=1 userdb_quota_rule=*:storage=2G", False, True),
        ("a@x.example:{SHA512-CRYPT}$6$h:1:1::/h::", True, False),
        ("a@x.example:", False, False),
        ("a@x.example", False, False),
    ],
)
def test_a_mailbox_is_read_as_far_as_its_line_goes(line: str, scheme: bool, quota: bool) -> None:
    (found,) = mail_config.settings("x.example", [], [line + "\n"]).mailboxes
    assert (found.address, found.scheme) == ("a@x.example", "SHA512-CRYPT" if scheme else "")
    assert found.quota == ("*:storage=2G" if quota else "")


def test_lines_of_a_passwd_file_that_are_no_mailbox() -> None:
    text = "#a@millpond.example:x\nroot:x:0:0\n\na@millpond.example:{X}h\n@ferryline.example:x\n"
    assert mail_config.passwd_lines(text, "millpond.example") == ["a@millpond.example:{X}h\n"]
    assert mail_config.domains_of_passwd(text) == {"millpond.example", "ferryline.example"}
    assert mail_config.merged_passwd(text, "millpond.example", []) == (
        "#a@millpond.example:x\nroot:x:0:0\n\n@ferryline.example:x\n"
    )


def test_where_mail_is_delivered_and_what_carries_it() -> None:
    found = mail_config.settings(
        "x.example", [], [], ["a@x.example   x/a/\n"], ["x.example smtp:[relay]:25\n"]
    )
    assert found.deliver_to == {"a@x.example": "x/a/"}
    assert found.transports == {"x.example": "smtp:[relay]:25"}
    assert json.loads(found.to_json())["domain"] == "x.example"
    assert (
        found.to_json().endswith(b"}\n")
        and "ü".encode() in mail_config.settings("x.example", ["ü@x.example y"], []).to_json()
    ), "unchanged, not escaped"


def test_one_mailbox_is_exchanged_among_the_others() -> None:
    passwd = "a@mill.example:one\nx@other.example:x\nB@mill.example:two\n"
    rows = mail_config.one_mailbox_passwd(passwd, "mill.example", "b", ["b@mill.example:new\n"])
    assert rows == ["a@mill.example:one\n", "b@mill.example:new\n"]
    rows = mail_config.one_mailbox_passwd(passwd, "mill.example", "c", ["c@mill.example:3\n"])
    assert rows[-1] == "c@mill.example:3\n" and len(rows) == 3
    aliases = "a@mill.example one\nb@mill.example two,\n  three\nb@mill.example again\n"
    rows = mail_config.one_address_map(aliases, "mill.example", "B@mill.example", [])
    assert rows == ["a@mill.example one\n"]
    assert mail_config.map_key("  ") == "" and mail_config.map_key("A@b c") == "a@b"

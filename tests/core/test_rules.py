"""Databases by rules and rights; mail maps merged; records of a scan taken apart."""

import io
import os
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fasciculus.core import mail_config
from fasciculus.core.bundle.entry import Entry, Extent, order
from fasciculus.core.bundle.layout import bundle_of
from fasciculus.core.bundle.listing import ListingWriter
from fasciculus.core.bundle.previous_index import PreviousIndex, unchanged_here, unchanged_over_ssh
from fasciculus.core.dump import privileges
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.core.dump.literals import Column, escaped
from fasciculus.core.errors import FasciculusError
from fasciculus.hosts import ssh_find


@pytest.mark.parametrize(
    ("rules", "database", "wanted"),
    [
        ({}, "shop", True),
        ({"names": ("shop*",)}, "shop_2", True),
        ({"names": ("shop*",)}, "blog", False),
        ({"without": ("*_test",)}, "shop_test", False),
        ({"tables": ("shop.orders",)}, "shop", True),
        ({"tables": ("shop.orders",)}, "blog", False),
        ({"tables": ("orders",)}, "blog", True),
        ({"names": ("a",), "without": ("a",)}, "a", False),
    ],
)
def test_which_databases_go_in(rules, database, wanted):
    assert DatabaseRules(**rules).wants(database) is wanted


def test_rules_for_one_database_are_of_its_own_tables():
    rules = DatabaseRules(
        tables=("shop.*", "blog.posts"),
        without_rows=("*.sessions", "shop.cache_?"),
        without_tables=("old",),
    )
    found = rules.of("shop")
    assert (
        found.tables == ("*",)
        and found.without_rows == ("sessions", "cache_?")
        and found.without_tables == ("old",)
    )
    assert rules.of("blog").tables == ("posts",) and rules.of("blog").without_rows == ("sessions",)


@pytest.mark.parametrize(
    ("grants", "lacking"),
    [
        (["GRANT ALL PRIVILEGES ON *.* TO `a`@`%` WITH GRANT OPTION"], []),
        (["GRANT USAGE ON *.* TO `a`@`%`"], list(privileges.NEEDED)),
        (["GRANT SELECT, SHOW VIEW, TRIGGER, EVENT ON `shop`.* TO `a`@`%`"], []),
        (
            ["GRANT SELECT ON *.* TO `a`@`%`", "GRANT EVENT, TRIGGER ON `sh%`.* TO `a`@`%`"],
            ["SHOW VIEW"],
        ),
        (["GRANT ALL PRIVILEGES ON `sho_`.* TO `a`@`%`"], []),
        (["GRANT ALL PRIVILEGES ON `sho\\_`.* TO `a`@`%`"], list(privileges.NEEDED)),
        (["GRANT ALL PRIVILEGES ON `other`.* TO `a`@`%`"], list(privileges.NEEDED)),
        (["GRANT `backup` TO `a`@`%`", "GRANT USAGE ON *.* TO `a`@`%`"], []),
        (["GRANT SELECT (id) ON `shop`.`t` TO `a`@`%`"], list(privileges.NEEDED)),
    ],
)
def test_rights_that_lack(grants, lacking):
    assert privileges.missing(grants, "shop") == lacking


def test_grants_on_one_database():
    lines = [
        "GRANT USAGE ON *.* TO `a`@`%` IDENTIFIED BY PASSWORD '*X'",
        "GRANT SELECT ON `shop`.* TO `a`@`%`",
        "GRANT SELECT (id) ON `shop`.`t` TO `a`@`%`",
        "GRANT EXECUTE ON PROCEDURE `shop`.`p` TO `a`@`%`",
        "GRANT SELECT ON `shop_2`.* TO `a`@`%`",
        "GRANT SELECT ON `s``q`.* TO `a`@`%`",
    ]
    assert privileges.grants_on(lines, "shop") == lines[1:4]
    assert privileges.grants_on(lines, "s`q") == lines[5:]


@pytest.mark.parametrize(
    ("column", "value", "literal"),
    [
        (Column("a", "longtext", "utf8mb4"), None, b"NULL"),
        (Column("a", "double"), b"1.5", b"1.5"),
        (Column("a", "longblob"), b"\0'\\\n\r\x1a\xff", b"_binary '\\0\\'\\\\\\n\\r\\Z\xff'"),
        (Column("a", "longtext", "utf8mb4"), "grün'".encode(), "'grün\\''".encode()),
        (Column("a", "text", "koi8r"), b"\xc6", b"_koi8r '\xc6'"),
    ],
)
def test_values_escaped_here(column, value, literal):
    assert escaped(column, value) == literal


DOMAINS = st.sampled_from(["millpond.example", "ferryline.example", "x.millpond.example"])
USERS = st.sampled_from(["info@", "@", "hello@", ""])
MAP_LINE = st.tuples(
    USERS, DOMAINS, st.sampled_from(["target@y.example", "a@b.example,\n   c@d.example"])
)
NOISE = st.sampled_from(["# a comment\n", "\n", "   \n", "#info@millpond.example x\n"])


@settings(max_examples=150, deadline=None)
@given(st.lists(st.one_of(MAP_LINE, NOISE), max_size=12), st.lists(MAP_LINE, max_size=4))
def test_merging_a_map_replaces_one_domain_and_touches_no_other(rows, fresh):
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


def test_merging_a_passwd_file():
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


FIELD = st.binary(min_size=1, max_size=6).filter(lambda b: b"\0" not in b)


@settings(max_examples=100, deadline=None)
@given(st.lists(st.lists(FIELD, min_size=14, max_size=14), max_size=6), st.integers(1, 9))
def test_records_come_whole_however_they_are_cut(rows, size):
    data = b"".join(b"\0".join(row) + b"\0" for row in rows)
    chunks = [data[start : start + size] for start in range(0, len(data), size)]
    assert list(ssh_find.records(chunks)) == rows
    if data:
        with pytest.raises(FasciculusError, match="broke off"):
            list(ssh_find.records([data[:-1]]))


def test_the_key_of_a_record_is_scan_order():
    rng = random.Random(4)
    paths = [
        b"/".join(
            rng.choice([b"a", b"a-b", b"a.b", b"b", b"\xff"]) for _ in range(rng.randint(1, 4))
        )
        for _ in range(200)
    ]
    assert sorted(paths, key=lambda p: ssh_find.key([p])) == sorted(paths, key=order)


def listed(tmp_path, entries):
    raw = io.BytesIO()
    writer = ListingWriter(raw)
    for entry in entries:
        writer.add(entry)
    writer.close()
    path = tmp_path / "before.zst"
    path.write_bytes(raw.getvalue())
    return path


def file(path: bytes, digest: str, *parts: Extent, kind="files", **more) -> Entry:
    size = sum(part.size for part in parts)
    fields = {"mtime_ns": 5, "ctime_ns": 6, "inode": 7, "device": 8, **more}
    return Entry(kind, path, size=size, digest=digest * 32, parts=list(parts), **fields)


def test_the_bundle_before_is_found_by_path_and_by_digest(tmp_path):
    spread = [Extent("p1", 0, 10, 0, 2_000_000), Extent("p2", 0, 10, 0, 1_000_000)]
    entries = [
        file(b"a", "aa", Extent("p1", 100, 50, 7, 300)),
        file(b"caf\xe9", "bb", Extent("p1", 150, 50, 0, 200)),
        file(b"film", "cc", *spread),
        file(b"shop/00000-schema.sql", "dd", Extent("p3", 0, 9, 0, 40), kind="databases"),
        file(b"m/passwd", "ee", Extent("p4", 0, 9, 0, 40), kind="mail"),
    ]
    path = listed(tmp_path, entries)
    previous = PreviousIndex(path, unchanged_here, tmp_path)
    asked = [file(e.path, "00", *e.parts, kind=e.kind) for e in entries]
    assert previous.same(asked[0]).digest == "aa" * 32
    assert previous.same(file(b"b", "00", Extent("x", 0, 0, 0, 1))) is None, "a new path"
    assert previous.same(asked[1]).parts == entries[1].parts, "also a name that is not UTF-8"
    touched = file(b"film", "00", *spread, mtime_ns=99)
    assert previous.same(touched) is None and previous.may_hold("files", 3_000_000)
    assert previous.holding("files", "cc" * 32, 3_000_000) == spread
    assert previous.holding("files", "aa" * 32, 300) == [Extent("p1", 100, 50, 7, 300)]
    assert (
        previous.holding("files", "aa" * 32, 299) is None
        and previous.holding("files", "99" * 32, 300) is None
    )
    # A kind that is not looked at is passed over.
    assert previous.same(asked[4]).digest == "ee" * 32
    previous.close()
    damaged = PreviousIndex(path, unchanged_here, tmp_path, frozenset({"p1"}))
    assert damaged.same(asked[0]) is None and damaged.holding("files", "aa" * 32, 300) is None
    assert damaged.holding("files", "dd" * 32, 40) is None, "files and all else are apart"
    assert damaged.holding("files", "cc" * 32, 3_000_000) is None and damaged.holding(
        "databases", "dd" * 32, 40
    )
    damaged.close()


def test_over_ssh_size_and_time_are_trusted(tmp_path):
    entry = file(b"a", "aa", Extent("p1", 0, 50, 0, 300))
    path = listed(tmp_path, [entry])
    elsewhere = file(b"a", "00", Extent("x", 0, 0, 0, 300), ctime_ns=1, inode=2, device=3)
    for unchanged, found in ((unchanged_here, False), (unchanged_over_ssh, True)):
        previous = PreviousIndex(path, unchanged, tmp_path)
        assert (previous.same(elsewhere) is not None) is found
        previous.close()


def test_many_digests_are_found_again(tmp_path):
    rng = random.Random(7)
    entries = []
    for number in range(3000):
        digest = rng.randbytes(32).hex()
        entries.append(
            Entry(
                "files",
                b"%06d" % number,
                size=10,
                digest=digest,
                parts=[Extent(f"p{number % 5}", number, 1, number, 10)],
            )
        )
    previous = PreviousIndex(listed(tmp_path, entries), unchanged_here, tmp_path)
    for entry in rng.sample(entries, 300):
        assert previous.holding("files", entry.digest, 10) == entry.parts
    previous.close()
    assert os.listdir(tmp_path) == ["before.zst"], "its index leaves nothing behind"


def test_the_bundle_of_a_piece():
    assert (
        bundle_of("2026-11-24T021500Z-nightly.files-0001.tar.zst") == "2026-11-24T021500Z-nightly"
    )
    assert (
        bundle_of("2026-11-24T021500Z-a.files-x.2.notes-12345.tar")
        == "2026-11-24T021500Z-a.files-x.2"
    )

"""Dump statements, mail settings, reports, advice, words."""

import json
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core import job_summary, mail_config, schedule
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.core.dump.literals import quote_name
from fasciculus.core.dump.loader import load, statements
from fasciculus.core.dump.mariadb import Member, safe_file
from fasciculus.core.file_filters import FileRules
from fasciculus.core.formatting import format_duration, format_list, format_size
from fasciculus.core.run_report import (
    CopyLine,
    RunReport,
    TaskLine,
    worst,
)

LITERALS = st.binary(max_size=30).map(
    lambda b: b"'" + b.replace(b"\\", b"\\\\").replace(b"'", b"\\'") + b"'"
)


@given(st.lists(st.lists(LITERALS, min_size=1, max_size=5), max_size=8))
def test_statements_are_cut_only_where_they_end(rows):
    wanted = [b"INSERT INTO `a;'b` VALUES (" + b",".join(row) + b")" for row in rows]
    member = b"-- it's a comment;\n" + b"".join(w + b";\n" for w in wanted)
    found = list(statements(member))
    assert [f.removeprefix(b"-- it's a comment;\n") for f in found] == (
        wanted or [b"-- it's a comment;"]
    )


def test_delimiters_and_the_last_statement():
    member = (
        b"SET sql_mode='';\nDELIMITER //\nCREATE TRIGGER t BEGIN SET @a = ';'; "
        b"END\n//\nDELIMITER ;\n"
        b"SELECT /* ; */ 1"
    )
    found: list[bytes] = []
    assert load(iter([member]), found.append) == 3
    assert found == [
        b"SET sql_mode=''",
        b"CREATE TRIGGER t BEGIN SET @a = ';'; END",
        b"SELECT /* ; */ 1",
    ]


def test_names_in_sql_and_in_files():
    assert quote_name("odd`name") == "`odd``name`"
    assert safe_file("shop/../ü") == "shop%2F%2E%2E%2F%C3%BC"
    assert Member("a", b"").name == "a"


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


def test_mail_settings_of_one_domain_and_no_other():
    aliases = mail_config.map_lines(ALIASES, "Millpond.Example")
    passwd = mail_config.passwd_lines(PASSWD, "millpond.example")
    assert "".join(aliases) == "".join(ALIASES.splitlines(keepends=True)[n] for n in (1, 2, 4)), (
        "native lines as they are"
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


START = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)


def report(*tasks: TaskLine) -> RunReport:
    return RunReport(
        7,
        "nightly",
        worst([t.outcome for t in tasks]),
        START,
        START + timedelta(seconds=75),
        "Europe/London",
        "timetable",
        list(tasks),
    )


def test_a_report_says_what_was_stored_where_and_what_was_not():
    good = TaskLine(
        "account",
        "millpond",
        "done",
        "b",
        10,
        2048,
        1024,
        3,
        copies=[CopyLine("boathouse", kept=7)],
    )
    found = report(good)
    assert found.sentence == (
        "nightly: 1 bundle of 2.00 KiB (1.00 KiB packed) stored on boathouse; took 1 min 15 s."
    )
    assert not found.trouble and found.local(START) == "2026-11-24 02:15:00 GMT"
    bad = TaskLine("account", "ferryline", "failed", error="The home folder /x does not exist.")
    part = TaskLine(
        "account",
        "lanternchoir",
        "partial",
        "b",
        1,
        1,
        1,
        1,
        warnings=["a", "b"],
        copies=[CopyLine("boathouse"), CopyLine("attic", "It is full.")],
    )
    found = report(good, bad, part)
    assert found.outcome == "failed" and found.trouble
    for words in (
        "2 bundles",
        "ferryline failed: The home folder /x does not exist",
        "copies missing on attic",
        "2 warnings",
    ):
        assert words in found.sentence
    assert worst([]) == "done" and worst(["done", "cancelled", "interrupted"]) == "interrupted"


def advice(**changes):
    base = {
        "contents": ["files", "databases"],
        "timetable_text": "daily 02:15",
        "keep": 7,
        "store_kinds": ["sftp"],
        "report_to": ["a@b.example"],
        "starts": [START],
        "others": [],
        "covers": 3,
        "enabled": True,
        "includes": False,
    }
    return " ".join(job_summary.advice(**{**base, **changes}))


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"store_kinds": ["folder", "folder"]}, "stay on this machine"),
        ({"contents": ["files"]}, "without the databases"),
        ({"contents": ["databases"]}, "without the files"),
        ({"keep": 2}, "mistake that is noticed late"),
        ({"report_to": []}, "Nobody is told"),
        ({"others": [("weekly", START + timedelta(minutes=3))]}, "five minutes of job “weekly”"),
        ({"covers": 0}, "covers nothing"),
        ({"includes": True}, "takes only what is included"),
        ({"timetable_text": "by hand", "starts": []}, "only when somebody starts it"),
    ],
)
def test_advice_names_the_mistake(changes, words):
    assert advice() == ""
    assert words in advice(**changes)


def test_the_readback_is_one_sentence():
    found = job_summary.summary(
        subjects="accounts",
        choice="all_but",
        names=["a", "b"],
        covers=4,
        contents=["files", "mail"],
        messages=True,
        rules=FileRules(sets=("caches", "logs"), excludes=("*.bak",), older_than=30),
        databases=DatabaseRules(),
        hold_page=True,
        full_every=30,
        timetable=schedule.parse("weekly sun 03:00"),
        zone="UTC",
        stores=["boathouse", "attic"],
        keep=4,
        report_to=["duty@sedge-quill.example"],
        report_when="trouble",
        enabled=True,
    )
    assert found == (
        "Every Sunday at 03:00 (UTC time), it bundles files (without caches, logs, what 1 "
        "pattern matches and those "
        "older than 30 days) and mail settings with the messages of all accounts but a and b (4 "
        "now) to boathouse "
        "and attic, sets the sites' hold page meanwhile, stores only what changed, with a new "
        "full bundle every 30 days, "
        "keeps the newest 4 copies of each there, and mails "
        "duty@sedge-quill.example when something is wrong."
    )


def test_words():
    assert [format_size(n) for n in (0, 1023, 1024, 1536, 10 * 1024**2, 5 * 1024**4)] == [
        "0 B",
        "1023 B",
        "1.00 KiB",
        "1.50 KiB",
        "10.0 MiB",
        "5.00 TiB",
    ]
    assert [format_duration(s) for s in (0.25, 59.9, 185, 7800)] == [
        "0.2 s",
        "59.9 s",
        "3 min 05 s",
        "2 h 10 min",
    ]
    assert [format_list(x) for x in ([], ["a"], ["a", "b", "c"])] == ["", "a", "a, b and c"]

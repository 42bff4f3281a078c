"""Parts of a bundle: what a pattern means, and one mailbox of a domain."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run, small_account

from fasciculus.models import HostInput, JobInput, MailFiles

ROWS = {
    "info": "info@millpond.example:{BCRYPT}one:1001:1001::/var/mail/info::\n",
    "ada": "ada@millpond.example:{BCRYPT}two:1001:1001::/var/mail/ada::\n",
    "x": "x@other.example:{BCRYPT}three:1001:1001::/var/mail/x::\n",
}


@pytest.fixture
def millpond(running: Any, tmp_path: Path) -> Any:
    """An account with files and a mail domain, and its bundle."""
    mail = tmp_path / "mail"
    account = small_account(tmp_path, "millpond")
    home = tmp_path / "millpond"
    (home / "sites/a").mkdir(parents=True)
    (home / "sites/b").mkdir()
    for name in ("a/config.php", "b/config.php", "a/index.html", "b/[odd].php"):
        (home / "sites" / name).write_text(name)
    for user in ("ada", "info"):
        (mail / f"boxes/millpond.example/{user}/Maildir/cur").mkdir(parents=True)
        (mail / f"boxes/millpond.example/{user}/Maildir/cur/1").write_text(user)
    (mail / "users").write_text("".join(ROWS.values()))
    (mail / "virtual").write_text(
        "info@millpond.example a@millpond.example\nada@millpond.example b\n"
    )
    account.mail_domains = ["millpond.example"]
    host = HostInput(
        name="reed-1",
        mail=MailFiles(
            alias_map=str(mail / "virtual"),
            passwd_file=str(mail / "users"),
            home=f"{mail}/boxes/{{domain}}/{{user}}",
        ),
    )
    with running.client() as client:
        client.hosts_add(host)
        client.accounts_add(account)
        for store in folder_stores(tmp_path, "attic"):
            client.stores_add(store)
        job = {"contents": ["files", "mail"], "messages": True, "timetable": "by hand"}
        client.jobs_add(JobInput(name="nightly", stores=["attic"], **job))
        run(client, "nightly")
    return home, mail


@pytest.mark.parametrize(
    ("pattern", "came"),
    [
        ("sites/*/config.php", {"sites/a/config.php", "sites/b/config.php"}),
        ("*.php", {"sites/a/config.php", "sites/b/config.php", "sites/b/[odd].php"}),
        ("[i]ndex.html", {"sites/a/index.html"}),
        ("sites/b/[odd].php", {"sites/b/[odd].php"}),
        ("/sites/[b]", {"sites/b/config.php", "sites/b/[odd].php"}),
    ],
)
def test_a_pattern_means_what_it_means_in_gitignore(
    running: Any, millpond: Any, pattern: str, came: set[str]
) -> None:
    home, _ = millpond
    for path in home.rglob("*"):
        if path.is_file():
            path.write_text("hacked")
    words = ("restore", "millpond", "--in-place", "--contents", "files", "--path", pattern)
    done = running.cli(*words, "--yes")
    assert done.returncode == 0, done
    found = {
        str(path.relative_to(home))
        for path in home.rglob("*")
        if path.is_file() and path.read_text() != "hacked"
    }
    assert found == came
    said = running.cli("restore", "millpond", "--in-place", "--path", "*.nothing", "--yes")
    assert said.returncode == 1 and "means nothing" in said.stderr


def test_one_mailbox_comes_back_and_the_others_stay(running: Any, millpond: Any) -> None:
    _, mail = millpond
    for user in ("ada", "info"):
        (mail / f"boxes/millpond.example/{user}/Maildir/cur/1").unlink()
    changed = ROWS["info"].replace("one", "newer")
    (mail / "users").write_text(changed + ROWS["x"])
    (mail / "virtual").write_text("info@millpond.example elsewhere@millpond.example\n")
    done = running.cli("restore", "millpond", "--mailbox", "Ada@millpond.example", "--json")
    assert done.returncode == 0, done
    assert json.loads(done.stdout)["mailboxes"] == ["ada@millpond.example"]
    assert (mail / "boxes/millpond.example/ada/Maildir/cur/1").read_text() == "ada"
    assert not (mail / "boxes/millpond.example/info/Maildir/cur/1").exists()
    assert sorted((mail / "users").read_text().splitlines(True)) == sorted(
        [changed, ROWS["ada"], ROWS["x"]]
    )
    assert sorted((mail / "virtual").read_text().splitlines()) == [
        "ada@millpond.example b",
        "info@millpond.example elsewhere@millpond.example",
    ]
    said = running.cli("restore", "millpond", "--mailbox", "ada")
    assert said.returncode == 2 and "--mailbox" in said.stderr

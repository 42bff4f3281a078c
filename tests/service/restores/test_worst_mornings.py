"""The commands of docs/worst-morning.md, as they stand, after each of these disasters."""

from __future__ import annotations

import re
import shlex
import shutil
from pathlib import Path
from typing import Any

import pytest
from running import run
from trees import picture

PAGE = Path(__file__).parents[3] / "docs/worst-morning.md"
pytestmark = pytest.mark.xdist_group("mariadb")


def commands(title: Any) -> Any:
    """The commands of a section."""
    section = re.split(r"^## ", PAGE.read_text(), flags=re.M)
    text = next(part for part in section if part.startswith(title))
    return [
        shlex.split(line)[1:] for line in text.splitlines() if line.startswith("    fasciculus ")
    ]


def follow(running: Any, title: Any) -> Any:
    """Carry out the commands of a section; what asks at a terminal is told not to."""
    found = []
    for words in commands(title):
        asks = "--in-place" in words and "--plan" not in words
        done = running.cli(*words, *["--yes"] * asks)
        assert done.returncode == 0, (words, done)
        found.append(done.stdout)
    return found


def test_a_file_was_deleted(running: Any, millpond: Any) -> None:
    (millpond / "sites/price-list.html").unlink()
    found, _ = follow(running, "A file was deleted")
    assert "4 (" in found
    assert (millpond / "sites/price-list.html").read_text() == "price-list.html as it was\n"


def test_a_table_was_dropped(running: Any, mariadb: Any, millpond: Any) -> None:
    mariadb.run("DROP TABLE shop.orders")
    follow(running, "A table was dropped")
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SELECT count(*) FROM shop.orders")
        assert cursor.fetchone() == (500,)


def test_a_mailbox_and_its_settings_are_lost(running: Any, millpond: Any) -> None:
    virtual = millpond.parent / "mail/virtual"
    virtual.write_text("x@other.example y\n")
    follow(running, "A mailbox")
    assert "info@millpond.example a@millpond.example" in virtual.read_text()
    assert "x@other.example y" in virtual.read_text()


def test_a_home_was_deleted(running: Any, mariadb: Any, millpond: Any) -> None:
    saved = picture(millpond)
    shutil.rmtree(millpond)
    mariadb.run("DROP DATABASE shop")
    follow(running, "A home was deleted")
    assert picture(millpond) == saved
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SELECT count(*) FROM shop.orders")
        assert cursor.fetchone() == (500,)


def test_a_site_was_hacked(running: Any, millpond: Any) -> None:
    saved = picture(millpond)
    (millpond / "sites/index.php").write_text("hacked")
    (millpond / "sites/shell.php").write_text("x")
    with running.client() as client:
        assert run(client, "nightly").outcome == "done"
        assert client.bundles_list(limit=1).items[0].id == 5
    changed, plan, _ = follow(running, "A site was hacked")
    for text in (changed, plan):
        assert "index.php" in text and "shell.php" in text
    assert picture(millpond) == saved

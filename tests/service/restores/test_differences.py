"""Differences between two bundles: lines of a file, and rows of tables."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from running import run

from fasciculus.client import ClientError

pytestmark = pytest.mark.xdist_group("mariadb")


@pytest.fixture
def nights(running: Any, mariadb: Any, millpond: Path) -> Any:
    """Bundle 5, in which a page, rows and tables are other than in bundle 4."""
    (millpond / "sites/index.php").write_text("index.php as it was\n<script>spy()</script>\n")
    (millpond / "sites/new.txt").write_text("new\n")
    (millpond / "sites/logo").write_bytes(b"\x89PNG\0")
    (millpond / "sites/price-list.html").unlink()
    mariadb.run("DELETE FROM shop.orders WHERE id > 490", "CREATE TABLE shop.extra (id INT)")
    with running.client() as client:
        run(client, "nightly")
    return running


def test_lines_and_rows_then_and_now(nights: Any) -> None:
    shown = nights.cli("bundles", "diff", "5", "sites/index.php", "--against", "4")
    assert shown.returncode == 0, shown
    assert "+<script>spy()</script>" in shown.stdout and " index.php as it was" in shown.stdout
    changes = nights.cli("bundles", "changes", "5", "--against", "4").stdout
    assert "shop.extra" in changes and "490" in changes and "500" in changes
    with nights.client() as client:
        rows = {row.table: (row.before, row.after) for row in client.bundles_table_changes(5).items}
        assert rows == {"orders": (500, 490), "extra": (None, 0)}
        new = client.bundles_difference(5, "sites/new.txt")
        assert (new.before, new.after, new.lines[-1]) == (False, True, "+new")
        gone = client.bundles_difference(5, "sites/price-list.html")
        assert (gone.before, gone.after) == (True, False) and gone.lines[-1].startswith("-price")
        assert client.bundles_difference(5, "sites/logo").note == "It is not text."
        assert client.bundles_difference(5, "sites").note == "It is not a file in both bundles."
        with pytest.raises(ClientError) as caught:
            client.bundles_difference(5, "sites/none")
        assert caught.value.field == "file"
        with pytest.raises(ClientError):
            client.bundles_difference(4, "sites/index.php")

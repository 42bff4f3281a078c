"""Generated data: a tree of mixed files, and a table."""

from __future__ import annotations

import random
from pathlib import Path

WORDS = (
    "reed",
    "heron",
    "boat",
    "lantern",
    "kiln",
    "orchard",
    "choir",
    "ferry",
    "mist",
    "sedge",
    "quill",
    "willow",
)


def tree(root: Path, files: int, total: int) -> None:
    """About ``total`` bytes in ``files`` files: most are text, a tenth pictures, a few large."""
    rng = random.Random("bench")
    text = " ".join(rng.choices(WORDS, k=200_000)).encode()
    large = 8
    pictures = files // 10
    each_large = total // 4 // large
    each_picture = total * 11 // 20 // pictures
    each_text = total // 5 // (files - pictures - large)
    for number in range(files):
        folder = root / f"{number % 40:02d}" / f"{number // 40 % 25:02d}"
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / f"file-{number:06d}"
        if number < large:
            path.write_bytes(rng.randbytes(each_large))
        elif number < large + pictures:
            path.write_bytes(rng.randbytes(int(each_picture * rng.uniform(0.5, 1.5))))
        else:
            size = int(each_text * rng.uniform(0.2, 1.8))
            start = rng.randrange(len(text) - size)
            path.write_bytes(text[start : start + size])


def many(root: Path, files: int) -> None:
    """Very many small files, a thousand a folder."""
    for number in range(files):
        folder = root / f"{number // 100_000:02d}" / f"{number // 1000 % 100:02d}"
        if number % 1000 == 0:
            folder.mkdir(parents=True)
        with open(folder / f"{number:07d}", "wb") as file:
            file.write(b"%d %s\n" % (number, WORDS[number % len(WORDS)].encode() * (number % 17)))


def table_statements(rows: int) -> list[str]:
    """Return a table of ``rows`` rows of about 460 bytes each."""
    return [
        "CREATE DATABASE IF NOT EXISTS bench",
        "USE bench",
        "CREATE TABLE IF NOT EXISTS t (id INT PRIMARY KEY, name VARCHAR(60), price "
        "DECIMAL(10,2), n DOUBLE, "
        "at DATETIME, body TEXT, raw VARBINARY(80)) ENGINE=InnoDB",
        "INSERT IGNORE INTO t SELECT seq, MD5(seq), seq / 7, SQRT(seq), '2026-01-01' + INTERVAL "
        "seq SECOND, "
        f"REPEAT(CONCAT(MD5(seq + 1), ' '), 9), UNHEX(SHA2(seq, 512)) FROM seq_1_to_{rows}",
    ]


def accounts(folder: Path, count: int, files: int = 20) -> None:
    """Small accounts."""
    for number in range(count):
        home = folder / f"account-{number:03}"
        home.mkdir(parents=True)
        for name in range(files):
            (home / f"page-{name}.html").write_text(f"account {number}, page {name}\n" * 20)

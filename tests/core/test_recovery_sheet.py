"""The text of the recovery sheet."""

from __future__ import annotations

from datetime import UTC, datetime

from cryptography.fernet import Fernet

from fasciculus.core.recovery.key_code import key_code
from fasciculus.core.recovery.sheet import StoreOnSheet, sheet_text

MADE = datetime(2026, 11, 30, 14, 5, tzinfo=UTC)


def test_a_store_is_a_command_that_can_be_typed() -> None:
    settings = {"address": "storage.sedge-quill.example", "folder": "/two pots", "tls_only": True}
    store = StoreOnSheet("boathouse", "sftp", settings, ["private_key"])
    assert store.command == (
        "fasciculus admin recover --kind sftp --address storage.sedge-quill.example "
        "--folder '/two pots' --tls-only yes --private-key-file FILE"
    )


def test_the_sheet_has_the_code_and_each_store() -> None:
    code = key_code(Fernet.generate_key())
    stores = [
        StoreOnSheet(name, "folder", {"folder": f"/srv/{name}"}, []) for name in ("attic", "barn")
    ]
    text = sheet_text(code, stores, "reed-1.example", MADE, "0.2.0")
    assert "for reed-1.example, made 2026-11-30 14:05 UTC by version 0.2.0" in text
    assert "".join(text.split()).count(code.replace("-", "")) == 1
    assert all(store.name in text and f"--folder /srv/{store.name}" in text for store in stores)
    assert max(map(len, text.splitlines())) <= 80
    assert "No store has copies" not in text
    assert "No store has copies" in sheet_text(code, [], "reed-1", MADE, "0.2.0")

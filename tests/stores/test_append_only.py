"""Operations on a store that is declared append-only."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from servers import folder_place

from fasciculus.core.errors import SettingError
from fasciculus.stores import open_store
from fasciculus.stores.base import connected


def test_files_are_added_and_nothing_else(tmp_path: Path) -> None:
    local, other = tmp_path / "local", tmp_path / "other"
    local.write_bytes(b"the first")
    other.write_bytes(b"the other")
    with folder_place(tmp_path) as place:
        spec = replace(place.spec, append_only=True)
        with connected(open_store(spec)) as store:
            store.put(local, "a/one", lambda count: None)
            store.put_bytes(b"two", "a/two")
            # The answer to an earlier try may have been lost.
            local.write_bytes(b"the first")
            store.put(local, "a/one", lambda count: None)
            store.put_bytes(b"two", "a/two")
            assert not store.replaces_at_once()
            store.clear_partial("a")
            refusals: list[Callable[[], object]] = [
                lambda: store.put(other, "a/one", lambda count: None),
                lambda: store.put_bytes(b"tw", "a/two"),
                lambda: store.put_bytes(b"twos", "a/two"),
                lambda: store.put_bytes(b"TWO", "a/two"),
                lambda: store.remove("a/one"),
                lambda: store.remove("a/none"),
                lambda: store.remove_folder("a"),
                lambda: store.rename("a/one", "a/two"),
                lambda: store.rename("a/one", "a/three"),
            ]
            for refused in refusals:
                with pytest.raises(SettingError, match="append-only") as error:
                    refused()
                assert "fasciculus stores retire attic" in error.value.hint
        found = {path.name: path.read_bytes() for path in (place.root / "a").iterdir()}
    assert found == {"one": b"the first", "two": b"two"}

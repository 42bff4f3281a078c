"""The paths of restored entries below the target folder."""

from __future__ import annotations

from collections.abc import Sequence

from ...core.bundle.reader import is_at_or_below
from ...core.errors import SettingError


class Layout:
    """Maps entries of a bundle to paths below the target.

    Chosen paths go directly into the target, by their last names: ``sites/www`` to ``www``. With
    ``full``, and if nothing was chosen, entries keep their kind and whole path, such as
    ``files/sites/www``.
    """

    def __init__(self, paths: Sequence[bytes] = (), full: bool = True) -> None:
        self.is_full = full or not paths
        self._names = {} if self.is_full else {path: path.rpartition(b"/")[2] for path in paths}
        if len(set(self._names.values())) < len(self._names):
            raise SettingError(
                "Two of the chosen paths have the same last name.",
                "Restore them with --full-layout, or one after the other.",
                field="paths",
            )

    def place(self, kind: str, path: bytes) -> bytes:
        """Return the path of an entry below the target."""
        if self.is_full:
            return kind.encode() + b"/" + path if path else kind.encode()
        chosen = next((p for p in self._names if is_at_or_below(path, p)), None)
        if chosen is None:
            # Another name of a file that was not chosen; nothing has this path.
            return kind.encode() + b"/" + path
        return self._names[chosen] + path[len(chosen) :]

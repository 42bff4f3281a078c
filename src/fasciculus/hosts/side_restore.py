"""The side folder of one restore in place, with the folder that it belongs to.

This file uses nothing but the standard library of Python 3.7 and later, so that a host can run it
after the texts of ``local_tree.py``, ``side_folder.py`` and ``switch.py``.
"""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from ..core.bundle.root_path import make_root, open_root
from .local_tree import Owners
from .side_folder import make_side_folder, remove_side_folder, side_folder
from .switch import Switch

Problems = list[tuple[str, str]]


class SideRestore:
    """The steps of a restore in place on the machine where the folder is.

    ``home`` is the folder that links on the way to ``root`` must not leave, ``name`` the side
    folder's name. Failures are ``OSError``.
    """

    def __init__(self, root: bytes, home: bytes, name: bytes) -> None:
        self._root, self._home, self._name = root, home, name
        self._owners = Owners()

    @property
    def sets_owners(self) -> bool:
        """Return whether entries get their owners, which only root can give."""
        return os.geteuid() == 0

    @property
    def path(self) -> str:
        """Return the path of the side folder, whether or not it exists."""
        return os.fsdecode(side_folder(self._root, self._home, self._name))

    @property
    def free(self) -> int:
        """Return the bytes that fit where the folder is, or will be."""
        here = self._root
        while True:
            try:
                found = open_root(here, self._home)
                break
            except FileNotFoundError:
                here = os.path.dirname(here.rstrip(b"/")) or b"/"
        try:
            info = os.fstatvfs(found)
        finally:
            os.close(found)
        return info.f_bavail * info.f_frsize

    def owner_of(self, like: Any) -> tuple[int, int]:
        """Return the numbers of an entry's owner and group here."""
        return self._owners.of(like)

    # Staging ---------------------------------------------------------------------

    def make(self) -> None:
        """Make the side folder, and the folder itself if it is missing."""
        # Its owner and mode are restored with the rest.
        os.close(make_root(self._root, self._home))
        make_side_folder(os.fsencode(self.path))

    def remove(self) -> None:
        """Remove the side folder with everything in it; harmless if it does not exist."""
        try:
            remove_side_folder(os.fsencode(self.path))
        except FileNotFoundError:
            return

    def add_to_journal(self, data: bytes) -> None:
        """Append to the journal."""
        side = open_root(os.fsencode(self.path))
        try:
            flags = os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NOFOLLOW | os.O_CLOEXEC
            with os.fdopen(os.open(b"journal", flags, 0o600, dir_fd=side), "ab") as file:
                file.write(data)
        finally:
            os.close(side)

    # Switching -------------------------------------------------------------------

    @contextmanager
    def _switch(self) -> Iterator[Switch]:
        switch = Switch(self._root, self._home, os.fsencode(self.path))
        try:
            yield switch
        finally:
            switch.close()

    def state(self) -> str | None:
        """Return how far the switch is, None if there is no side folder."""
        try:
            with self._switch() as switch:
                return switch.state
        except FileNotFoundError:
            return None

    def switch(self) -> Problems:
        """Exchange everything; return the paths that failed, with the reasons."""
        with self._switch() as switch:
            switch.run()
            return switch.problems

    def recover(self) -> tuple[str, Problems]:
        """Finish what was interrupted; return the state it is in then, and what failed."""
        with self._switch() as switch:
            return switch.recover(), switch.problems

    def changed(self) -> list[str]:
        """Return the paths that changed since the switch."""
        with self._switch() as switch:
            return switch.changed()

    def undo(self) -> Problems:
        """Put back what was set aside; return the paths that failed, with the reasons."""
        with self._switch() as switch:
            switch.undo()
            return switch.problems

    def drop(self) -> None:
        """Remove what is set aside, once nobody works on it any more."""
        with self._switch() as switch:
            switch.drop()

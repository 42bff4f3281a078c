"""The folder that a restore fills, and what it may not overwrite."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ...core.errors import FolderNotEmptyError, SettingError, StoreFullError
from ...core.formatting import format_size
from ...hosts.base import RestoreTarget
from ...hosts.local_tree import LocalTree
from .plan import RestorePlan


def open_target(folder: str) -> RestoreTarget:
    """Return a folder of this machine to be filled. Raises ``SettingError`` for an unusable one."""
    path = Path(folder)
    if not path.is_absolute() or path == Path("/"):
        raise SettingError(
            "The target is not an absolute folder.",
            "Write it from the first slash on.",
            field="target",
        )
    with _used(folder):
        return LocalTree(os.fsencode(path))


def check_target(target: RestoreTarget, plan: RestorePlan) -> None:
    """Check that nothing is overwritten, and that everything fits.

    Raises ``FolderNotEmptyError`` or ``StoreFullError``.
    """
    folder, resumes = plan.order.target, plan.order.resume
    with _used(folder):
        is_empty, free = target.is_empty, target.free
    if not is_empty and not resumes:
        raise FolderNotEmptyError(
            f"The folder {folder} is not empty.",
            "Name an empty or a new folder, or continue an interrupted restore (--resume).",
            field="target",
        )
    if free < plan.bytes and is_empty:
        raise StoreFullError(
            f"{folder} has {format_size(free)} free, and {format_size(plan.bytes)} are to be "
            "restored.",
            "Name a folder on a larger disk.",
        )


@contextmanager
def _used(folder: str) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        raise SettingError(
            f"The folder {folder} cannot be used: {error.strerror}.",
            "Name another folder, or give the service write permission.",
            field="target",
        ) from error

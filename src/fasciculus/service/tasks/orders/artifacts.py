"""The service's own files and folders, as orders name them."""

from __future__ import annotations

from pathlib import Path

from ....config import Config
from ....contracts.artifacts import Artifact


def kept(config: Config, path: Path) -> Artifact:
    """Return a listing, a manifest or a stat cache that the service keeps."""
    return Artifact.within("home", config.home, path)


def under_way(config: Config, name: str) -> Artifact:
    """Return what a task leaves for the service, by its name."""
    return kept(config, config.under_way / name)


def spool(config: Config, name: str) -> Artifact:
    """Return the folder in which a task keeps what it needs until it ends."""
    return Artifact.within("spool", config.spool, config.spool / name)


def drive_access(config: Config, store_id: str) -> Artifact:
    """Return where the access to a drive is kept. Raises ``ValueError`` for what is no id."""
    return kept(config, config.tokens(store_id))


def own_folders(config: Config) -> list[Artifact]:
    """Return the service's own folders, which never go into a bundle."""
    return [kept(config, config.home), Artifact.within("spool", config.spool, config.spool)]

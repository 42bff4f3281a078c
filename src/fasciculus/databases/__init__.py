"""The database engines of hosts: one protocol, one folder for each engine.

A new engine is a module with an object that has what :class:`~fasciculus.databases.base.Engine`
asks for, and its line in ``ENGINES`` or an entry point of the group ``fasciculus.databases``.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..registry import Registry

if TYPE_CHECKING:
    from .base import Engine

ENGINES: Registry[Engine] = Registry(
    "database engine",
    "fasciculus.databases",
    {
        "mariadb": f"{__name__}.mariadb.engine:ENGINE",
        "postgresql": f"{__name__}.postgresql.engine:ENGINE",
        "sqlite": f"{__name__}.sqlite.engine:ENGINE",
    },
)


def server_engines() -> list[Engine]:
    """Return the engines whose databases are on a server."""
    return [engine for engine in ENGINES.all() if engine.settings is not None]

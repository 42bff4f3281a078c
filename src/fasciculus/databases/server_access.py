"""Secrets of database servers, and access as the user who may change databases."""

from __future__ import annotations

import dataclasses

from pydantic import Field

from ..kinds import Secrets
from .base import DatabaseAccess, ServerSpec


class ServerSecrets(Secrets):
    """The passwords of a server's users, if they need some."""

    password: str | None = Field(default=None, repr=False, title="Password")
    restore_password: str | None = Field(
        default=None, repr=False, title="Password of the user for restoring"
    )


def to_restore(spec: ServerSpec) -> ServerSpec:
    """Return how to reach the server as the user who may change databases."""
    user = getattr(spec.settings, "restore_user", "")
    if not user:
        return spec
    own = spec.settings.model_copy(update={"user": user})
    return ServerSpec(own, {"password": spec.secrets.get("restore_password") or ""})


def for_restoring(access: DatabaseAccess) -> DatabaseAccess:
    """Return the access as the user who may change databases."""
    if access.server is None:
        return access
    return dataclasses.replace(access, server=to_restore(access.server))

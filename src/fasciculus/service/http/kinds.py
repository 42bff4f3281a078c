"""The kinds of stores, hosts and database servers that this service has."""

from __future__ import annotations

from ...core.permissions import Permission
from ...models import Kinds
from .. import kind_settings
from ..operations import operation


@operation(
    "GET",
    "/kinds",
    "Kinds of stores, hosts and database servers",
    Permission.SIGNED_IN,
    response=Kinds,
)
def kinds_list() -> Kinds:
    return kind_settings.kinds()

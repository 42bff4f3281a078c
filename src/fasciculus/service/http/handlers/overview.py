"""Operations of the overview."""

from __future__ import annotations

from ....core.permissions import Permission
from ....models import Overview
from ...usecases import overview as usecase
from ..operations import operation
from ..request import caller


@operation(
    "GET",
    "/overview",
    "Overview: alerts, next starts, recent runs",
    Permission.VIEW,
    response=Overview,
    scoped=True,
)
def overview() -> Overview:
    return usecase.overview(caller())

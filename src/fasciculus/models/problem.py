"""Errors of the API, as RFC 9457 problem details."""

from __future__ import annotations

from pydantic import BaseModel


class Problem(BaseModel):
    """``field`` names the setting at fault, ``way_out`` says what to do next."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str = ""
    field: str | None = None
    way_out: str = ""
    #: One entry a field where several are wrong.
    errors: list[dict[str, str]] = []

"""Errors of the API, as RFC 9457 problem details."""

from __future__ import annotations

from .model import Model


class Health(Model):
    """Whether the service works; ``service`` says that this is Fasciculus. ``status`` is well or
    broken, ``checks`` has each part by name."""

    service: str = "fasciculus"
    version: str = ""
    status: str
    checks: dict[str, bool] = {}


class FieldProblem(Model):
    """What is wrong with one field; dots stand between the parts of its path."""

    field: str
    message: str


class Problem(Model):
    """``field`` names the setting at fault, ``way_out`` says what to do next."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str = ""
    field: str | None = None
    way_out: str = ""
    #: One entry a field where several are wrong.
    errors: list[FieldProblem] = []

"""One page of a list."""

from __future__ import annotations

from typing import Generic, TypeVar

from .model import Model

T = TypeVar("T")


class Page(Model, Generic[T]):
    """``next`` is the cursor of the following page, absent on the last one."""

    items: list[T]
    total: int
    next: str | None = None

"""One page of a list."""

from __future__ import annotations

from typing import Generic, TypeVar

from pydantic import BaseModel

T = TypeVar("T")


class Page(BaseModel, Generic[T]):
    """``next`` is the cursor of the following page, absent on the last one."""

    items: list[T]
    total: int
    next: str | None = None

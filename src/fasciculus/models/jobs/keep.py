"""Keep rules as people write them."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BeforeValidator

from ..texts import checked


def _as_text(value: Any) -> Any:
    """Accept a plain number, which means that many newest copies, as in earlier versions."""
    return str(value) if isinstance(value, int) and not isinstance(value, bool) else value


def _rule(value: str) -> str:
    from ...core import retention

    return retention.parse(value).text


def _rule_or_empty(value: str) -> str:
    return _rule(value) if value.strip() else ""


KeepText = Annotated[str, BeforeValidator(_as_text), checked(_rule)]
OptionalKeepText = Annotated[str, BeforeValidator(_as_text), checked(_rule_or_empty)]

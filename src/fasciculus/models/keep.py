"""Keep rules as people write them."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import AfterValidator, BeforeValidator

from ..core import retention
from ..core.errors import SettingError


def _as_text(value: Any) -> Any:
    """Accept a plain number, which means that many newest copies, as in earlier versions."""
    return str(value) if isinstance(value, int) and not isinstance(value, bool) else value


def _rule(value: str) -> str:
    try:
        return retention.parse(value).text
    except SettingError as error:
        raise ValueError(error.sentence()) from error


def _rule_or_empty(value: str) -> str:
    return _rule(value) if value.strip() else ""


KeepText = Annotated[str, BeforeValidator(_as_text), AfterValidator(_rule)]
OptionalKeepText = Annotated[str, BeforeValidator(_as_text), AfterValidator(_rule_or_empty)]

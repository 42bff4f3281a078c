"""Options that several commands share, written once."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from typing import Any, TypeVar

F = TypeVar("F", bound=Callable[..., Any])


def options_of(*shared: Callable[..., Any]) -> Callable[[F], F]:
    """Give a command, in place of its ``**options``, the parameters of other functions."""

    def give(command: F) -> F:
        own = inspect.signature(command, eval_str=True)
        parameters = [p for p in own.parameters.values() if p.kind != p.VAR_KEYWORD]
        for function in shared:
            parameters += inspect.signature(function, eval_str=True).parameters.values()
        command.__signature__ = own.replace(parameters=parameters)  # type: ignore[attr-defined]
        command.__annotations__ = {p.name: p.annotation for p in parameters} | {"return": None}
        return command

    return give

"""Showing how trying a host, store or mail server went."""

from __future__ import annotations

import typer
from rich.text import Text

from .. import models
from . import output


def show_tried(tried: models.TryResult, as_json: bool = False) -> None:
    """Print the steps, and end with exit code 1 if one failed."""
    if as_json:
        output.show_json(tried)
    else:
        for step in tried.steps:
            mark = Text(*_mark(step))
            output.out.print(
                mark,
                f"{step.name}: {step.text} {step.hint}".rstrip() + _took(step),
                sep="",
                highlight=False,
                soft_wrap=True,
            )
    if not tried.ok:
        raise typer.Exit(output.TROUBLE)


def prove(tried: models.TryResult, as_json: bool = False) -> None:
    """Nothing is saved that does not answer: show the steps when one failed. Missing privileges are
    printed to standard error if all steps succeeded.
    """
    if not tried.ok:
        show_tried(tried, as_json)
    for step in tried.steps:
        if step.hint:
            said = f"▲ {step.name}: {step.text} {step.hint}"
            output.err.print(said, style="yellow", markup=False)


def _mark(step: models.TryStep) -> tuple[str, str]:
    if not step.ok:
        return "■ ", "red"
    return ("▲ ", "yellow") if step.hint else ("● ", "green")


def _took(step: models.TryStep) -> str:
    return f"  [{step.seconds * 1000:.0f} ms]" if step.seconds else ""

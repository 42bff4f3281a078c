"""The vocabulary of outcomes: the word, the mark and the tone of each, for every face."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

#: How serious something is; each face has a colour for each tone.
Tone = Literal["good", "look", "plain", "broken", "live"]


@dataclass(frozen=True, slots=True)
class Outcome:
    """How an outcome is shown: its word, its mark (so that colour is never needed), its tone."""

    word: str
    mark: str
    tone: Tone


#: The outcomes of ended runs and tasks, the more serious ones later.
OUTCOMES: dict[str, Outcome] = {
    "done": Outcome("done", "●", "good"),
    "warned": Outcome("done, with warnings", "▲", "look"),
    "skipped": Outcome("not started", "▷", "look"),
    "cancelled": Outcome("cancelled", "◇", "plain"),
    "interrupted": Outcome("interrupted", "■", "broken"),
    "partial": Outcome("a copy is missing", "◧", "broken"),
    "failed": Outcome("failed", "■", "broken"),
}
#: How runs and tasks are shown that have not ended.
STATES: dict[str, Outcome] = {
    "running": Outcome("running", "○", "live"),
    "queued": Outcome("queued", "○", "plain"),
}


def worst(outcomes: Sequence[str]) -> str:
    """Return the most serious of some outcomes; ``done`` for none."""
    ranks = list(OUTCOMES)
    return max(outcomes, key=ranks.index, default="done")

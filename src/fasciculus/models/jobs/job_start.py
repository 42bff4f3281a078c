"""The options with which a run of a job is started."""

from __future__ import annotations

from pydantic import Field, model_validator

from ..model import Model


class JobStart(Model):
    """Options of one run: full bundles, a comparison of contents, only some of the subjects, or a
    label such as “before the update”, whose bundles are pinned for ``keep_days`` days.

    ``failed_of`` is the number of an earlier run: only its failed subjects are started.
    """

    full: bool = False
    compare: bool = False
    names: list[str] = []
    failed_of: int = Field(default=0, ge=0)
    label: str = Field(default="", max_length=60)
    keep_days: int = Field(default=0, ge=0, le=36_500)

    @model_validator(mode="after")
    def _named(self) -> JobStart:
        self.label = " ".join(self.label.split())
        if self.label and not self.keep_days:
            self.keep_days = 30
        return self

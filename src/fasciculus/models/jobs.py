"""Jobs: the standing instructions."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, Field, model_validator

from ..core import timetable
from ..core.bundling.frames import codec
from ..core.errors import BadSetting
from .inventory import Name

MIB = 1024 * 1024


def _timetable(value: str) -> str:
    try:
        return timetable.parse(value).text
    except BadSetting as error:
        raise ValueError(error.sentence()) from error


def _zone(value: str) -> str:
    try:
        return timetable.zone(value).key
    except BadSetting as error:
        raise ValueError(error.sentence()) from error


def _address(value: str) -> str:
    value = value.strip()
    local, at, domain = value.rpartition("@")
    if not (at and local and domain) or any(c.isspace() or c in ",;<>\"" for c in value):
        raise ValueError(f"“{value}” is not an e-mail address.")
    return value


class Job(BaseModel):
    """What, where, when, keep, tell. ``piece_size`` is in bytes."""

    name: Name
    subjects: Literal["accounts", "sites"] = "accounts"
    choice: Literal["all", "listed", "all_but"] = "all"
    names: list[str] = []
    contents: list[Literal["files", "databases", "mail"]] = ["files", "databases", "mail"]
    messages: bool = False
    stores: list[str]
    timetable: Annotated[str, AfterValidator(_timetable)] = "daily 02:15"
    zone: Annotated[str, AfterValidator(_zone)] = "UTC"
    keep: int = Field(default=7, ge=1, le=10_000)
    report_to: list[Annotated[str, AfterValidator(_address)]] = []
    report_when: Literal["always", "trouble"] = "always"
    compression: Literal["zstd", "gzip", "none"] = "zstd"
    level: int | None = None
    piece_size: int = Field(default=256 * MIB, ge=MIB, le=1024 * 1024 * MIB)
    enabled: bool = True

    @model_validator(mode="after")
    def _fits(self) -> Job:
        if not self.stores:
            raise ValueError("stores: choose at least one store.")
        if not self.contents:
            raise ValueError("contents: choose at least one of files, databases and mail.")
        if self.choice != "all" and not self.names:
            raise ValueError("names: name at least one, or choose all.")
        try:
            codec(self.compression, self.level)
        except BadSetting as error:
            raise ValueError(f"level: {error.sentence()}") from error
        self.contents = [k for k in ("files", "databases", "mail") if k in self.contents]
        self.stores = list(dict.fromkeys(self.stores))
        return self


class JobRow(Job):
    """A job as it is listed, with what the service knows of it."""

    readback: str = ""
    next_start: datetime | None = None
    covers: int = 0
    last_run: int | None = None
    last_outcome: str | None = None
    last_ended: datetime | None = None
    running: bool = False


class Readback(BaseModel):
    """What a job would do, said before it is saved."""

    sentence: str
    starts: list[datetime]
    covers: list[str]
    #: Bytes of the newest bundles of what it covers, and how many have none yet.
    bytes: int
    packed: int
    unmeasured: int
    advice: list[str]

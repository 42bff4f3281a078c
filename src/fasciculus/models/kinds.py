"""Kinds of stores, hosts and database engines, and the settings of one thing of a kind."""

from __future__ import annotations

from typing import Any

from pydantic import ConfigDict

from .model import Model


class KindSettings(Model):
    """Settings of one kind. The fields depend on ``kind``; ``GET /kinds`` describes them. A client
    need not know the kinds that a service has.
    """

    model_config = ConfigDict(extra="allow")

    kind: str


class KindField(Model):
    """A setting or a secret as a form or an option takes it. ``type`` is text, number, switch or
    choice; of the last, ``choices`` are the values."""

    name: str
    title: str
    hint: str = ""
    example: str = ""
    type: str = "text"
    choices: list[str] = []
    default: str | int | bool | None = None
    least: int | None = None
    most: int | None = None
    required: bool = False
    multiline: bool = False


class KindInfo(Model):
    """One kind. ``json_schema`` is the JSON Schema of its settings; ``asks_for_access`` says that
    its owner gives access in a browser, once it is saved."""

    name: str
    title: str
    fields: list[KindField]
    secrets: list[KindField]
    json_schema: dict[str, Any]
    asks_for_access: bool = False


class Kinds(Model):
    """All kinds that this service knows. ``databases`` are the engines that run as a server."""

    stores: list[KindInfo]
    hosts: list[KindInfo]
    databases: list[KindInfo]
    channels: list[KindInfo] = []
    #: Every engine, those of files included.
    engines: list[str]
    #: What people call them.
    engine_titles: dict[str, str] = {}
    #: Kinds of stores that people ask for, and the reasons against them.
    refused: dict[str, str] = {}

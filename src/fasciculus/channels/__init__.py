"""Channels: ways by which reports reach people, one file for each kind.

A new kind is a module with a :class:`~fasciculus.channels.base.ChannelKind`, and its line in
``KINDS`` or an entry point of the group ``fasciculus.channels``; see ``docs/reports.md``.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..registry import Registry

if TYPE_CHECKING:
    from .base import ChannelKind

KINDS: Registry[ChannelKind] = Registry(
    "kind of channel",
    "fasciculus.channels",
    {
        "webhook": f"{__name__}.webhook:KIND",
        "chat": f"{__name__}.chat:KIND",
        "mail": f"{__name__}.mail:KIND",
    },
)

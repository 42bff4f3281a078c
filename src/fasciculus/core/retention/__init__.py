"""Keep rules: which copies stay, which retire, and what that comes to in the coming year."""

from .lock import locked_until
from .rule import KeepRule, parse
from .selection import RetentionCopy, freed, kept, retiring

__all__ = ["KeepRule", "RetentionCopy", "freed", "kept", "locked_until", "parse", "retiring"]

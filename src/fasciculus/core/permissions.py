"""What a signed-in user may do. Every operation of the API declares one permission."""

from __future__ import annotations

from enum import StrEnum


class Permission(StrEnum):
    """A permission that an operation declares, from the least to the most far-reaching."""

    #: Needs no sign-in at all.
    PUBLIC = "public"
    #: Belongs to every user: their own session, password and tokens, and the API's description.
    SIGNED_IN = "signed-in"
    #: Read everything but the settings of the service itself; never a secret.
    VIEW = "view"
    #: Start and cancel work, pause, pin, acknowledge, send what waits.
    OPERATE = "operate"
    #: Take files, databases and mail out of bundles.
    RESTORE = "restore"
    #: Change jobs, hosts, accounts and the words of messages.
    CONFIGURE = "configure"
    #: Change stores, keys, mail server, channels, addresses, alert settings and definitions.
    ADMINISTER = "administer"


#: What an administrator has. There is no other role yet.
EVERYTHING = frozenset(Permission)

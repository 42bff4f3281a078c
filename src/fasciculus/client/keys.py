"""Keys that bundles are sealed to."""

from __future__ import annotations

from .. import models
from .transport import Transport


class KeyCalls(Transport):
    """The client's methods about keys."""

    def keys_list(self) -> models.Page[models.SealKey]:
        """Return the private keys that the service keeps, without what is secret of them."""
        return self._call("GET", "/keys", models.Page[models.SealKey])

    def keys_make(self, note: str = "", keep: bool = False) -> models.KeyMade:
        """Make a pair of keys; the private one is in this answer alone.

        With ``keep`` the service keeps it, to read what is sealed to it.
        """
        return self._call(
            "POST", "/keys/make", models.KeyMade, models.KeyMake(note=note, keep=keep)
        )

    def keys_keep(self, identity: str, note: str = "") -> models.SealKey:
        """Let the service keep a private key.

        Raises ``RefusedError`` for what is none.
        """
        return self._call(
            "POST", "/keys", models.SealKey, models.KeyKeep(identity=identity, note=note)
        )

    def keys_remove(self, recipient: str) -> None:
        """Let the service forget a private key; what is sealed to it stays.

        Raises ``NotFoundError`` when it keeps none of that public key.
        """
        self._request("DELETE", f"/keys/{recipient}")

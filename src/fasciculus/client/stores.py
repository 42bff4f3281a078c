"""Stores, trying them, and access to drives."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from .. import models
from .transport import Transport


class StoreCalls(Transport):
    """The client's methods about stores."""

    def uploads_start(self, name: str) -> models.Upload:
        """Begin an upload of bundles into a new store of this name, or continue it.

        Raises ``RefusedError`` if a store has the name.
        """
        return self._call(
            "POST", "/uploads", models.Upload, self._made(models.UploadStart, name=name)
        )

    def uploads_show(self, name: str) -> models.Upload:
        """Return how much of an upload has arrived.

        Raises ``NotFoundError`` if it was not begun.
        """
        return self._call("GET", f"/uploads/{quote(name)}", models.Upload)

    def uploads_add(
        self, name: str, file: str, offset: int, size: int, data: bytes
    ) -> models.UploadReceived:
        """Add a part of a file of ``size`` bytes, beginning at byte ``offset``; ``file`` is its
        path on the store.

        Raises ``RefusedError`` if a part before it is missing.
        """
        at = f"/uploads/{quote(name)}/parts"
        return self._call(
            "PUT", at, models.UploadReceived, data, file=file, offset=offset, size=size
        )

    def uploads_finish(self, name: str) -> models.MaintenanceStarted:
        """Make a store of an upload, and import its bundles.

        Raises ``RefusedError`` if a file is not complete.
        """
        return self._call("POST", f"/uploads/{quote(name)}/finish", models.MaintenanceStarted)

    def uploads_remove(self, name: str) -> None:
        """Remove an upload that is not a store yet."""
        self._request("DELETE", f"/uploads/{quote(name)}")

    def stores_list(self, **query: Any) -> models.Page[models.Store]:
        """Return stores.

        ``query`` may filter by ``q``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/stores", models.Page[models.Store], **query)

    def stores_show(self, name: str) -> models.Store:
        """Return one store.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("GET", f"/stores/{quote(name)}", models.Store)

    def stores_add(self, store: models.StoreInput, untried: bool = False) -> models.Store:
        """Add a store; it is tried first, unless it is to be saved ``untried``.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("POST", "/stores", models.Store, store, untried=untried)

    def stores_change(
        self, name: str, store: models.StoreInput, untried: bool = False
    ) -> models.Store:
        """Change a store; it is tried first, unless it is to be saved ``untried``.

        Raises ``NotFoundError`` if the name is unknown, and ``RefusedError`` naming the
        field that cannot be used.
        """
        return self._call("PUT", f"/stores/{quote(name)}", models.Store, store, untried=untried)

    def stores_remove(self, name: str) -> None:
        """Remove a store from the records; what is on it is not touched.

        Raises ``NotFoundError`` if the name is unknown.
        """
        self._request("DELETE", f"/stores/{quote(name)}")

    def stores_try(self, name: str) -> models.TryResult:
        """Try a saved store.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("POST", f"/stores/{quote(name)}/try", models.TryResult)

    def stores_try_draft(self, store: models.StoreInput, saved: str = "") -> models.TryResult:
        """Try a store that is not saved; ``saved`` lends the secrets of a saved one."""
        return self._call("POST", "/stores/try", models.TryResult, store, saved=saved)

    def stores_usage(self, name: str) -> models.StoreUsage:
        """Return what a store holds, how it grows, when it is full, what it costs and what it
        lacks.

        Raises ``NotFoundError`` when there is no such store.
        """
        return self._call("GET", f"/stores/{quote(name)}/usage", models.StoreUsage)

    def stores_simulate(self, name: str) -> models.StoreSimulation:
        """Return what a store will hold on each day of the coming year, by the keep rules of its
        jobs.

        Raises ``NotFoundError`` when there is no such store.
        """
        return self._call("GET", f"/stores/{quote(name)}/simulate", models.StoreSimulation)

    def stores_claim(self, name: str) -> models.Store:
        """Make a store ours that another service wrote to.

        Raises ``NotFoundError`` when there is no such store.
        """
        return self._call("POST", f"/stores/{quote(name)}/claim", models.Store)

    def stores_proposals(self, name: str) -> models.Page[models.StoreProposal]:
        """List the hosts, accounts and jobs that a store proposes, until they are accepted.

        Raises ``NotFoundError`` when there is no such store.
        """
        return self._call(
            "GET", f"/stores/{quote(name)}/proposals", models.Page[models.StoreProposal]
        )

    def stores_accept(self, name: str, choice: models.ProposalChoice) -> models.AcceptedProposals:
        """Add hosts, accounts and jobs that a store proposes.

        Raises ``NotFoundError`` when there is no such store, and ``RefusedError`` for a name that
        it does not propose.
        """
        return self._call(
            "POST", f"/stores/{quote(name)}/proposals", models.AcceptedProposals, choice
        )

    def stores_dismiss(self, name: str, choice: models.ProposalChoice) -> None:
        """Dismiss hosts, accounts and jobs that a store proposes; its bundles stay in the records.

        Raises ``NotFoundError`` when there is no such store.
        """
        self._request("POST", f"/stores/{quote(name)}/proposals/dismiss", choice)

    def stores_connect(self, name: str) -> models.StoreAccess:
        """Ask the owner of a drive for access; the answer says where to confirm which code.

        Raises ``NotFoundError`` when there is no such store.
        """
        return self._call("POST", f"/stores/{quote(name)}/access", models.StoreAccess)

    def stores_access(self, name: str) -> models.StoreAccess:
        """Return whether a drive's owner has given access; asks the drive while that is open.

        Raises ``NotFoundError`` when there is no such store.
        """
        return self._call("GET", f"/stores/{quote(name)}/access", models.StoreAccess)

    def stores_disconnect(self, name: str) -> None:
        """Forget the access to a drive.

        Raises ``NotFoundError`` when there is no such store.
        """
        self._request("DELETE", f"/stores/{quote(name)}/access")

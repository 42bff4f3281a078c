"""Workers on other machines."""

from __future__ import annotations

from urllib.parse import quote

from .. import models
from .transport import Transport


class WorkerCalls(Transport):
    """The client's methods about workers."""

    def workers_list(self) -> models.Page[models.FleetWorker]:
        """Return all workers, with the tasks of each."""
        return self._call("GET", "/workers", models.Page[models.FleetWorker])

    def workers_code(self, queue: str) -> models.WorkerCode:
        """Return a code that enrols one worker of a queue, within a day.

        Raises ``RefusedError`` if the service has no broker.
        """
        return self._call(
            "POST",
            "/workers/codes",
            models.WorkerCode,
            self._made(models.WorkerCodeStart, queue=queue),
        )

    def workers_drain(self, name: str, drains: bool = True) -> models.FleetWorker:
        """Let a worker drain, or give it orders again.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call(
            "POST",
            f"/workers/{quote(name)}/drain",
            models.FleetWorker,
            models.WorkerDrain(drains=drains),
        )

    def workers_remove(self, name: str) -> None:
        """Remove a worker; its tasks end.

        Raises ``NotFoundError`` if the name is unknown.
        """
        self._request("DELETE", f"/workers/{quote(name)}")

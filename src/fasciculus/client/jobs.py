"""Calls about jobs: their settings, pauses, addresses, and what they will do."""

from __future__ import annotations

import uuid
from datetime import date
from typing import Any
from urllib.parse import quote

from .. import models
from .transport import Transport


class JobCalls(Transport):
    """Calls on jobs."""

    def jobs_list(self, **query: Any) -> models.Page[models.Job]:
        """Jobs.

        ``query`` may filter by ``q``.
        Returns one page (``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/jobs", models.Page[models.Job], **query)

    def jobs_show(self, name: str) -> models.Job:
        """Return one job.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("GET", f"/jobs/{quote(name)}", models.Job)

    def job_defaults(self) -> models.JobDefaults:
        """Return what a new job starts from."""
        return self._call("GET", "/defaults/job", models.JobDefaults)

    def jobs_add(self, job: models.JobInput) -> models.Job:
        """Add a job.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("POST", "/jobs", models.Job, job)

    def jobs_change(self, name: str, job: models.JobInput) -> models.Job:
        """Change a job.

        Raises ``NotFoundError`` if the name is unknown, and ``RefusedError`` naming the
        field that cannot be used.
        """
        return self._call("PUT", f"/jobs/{quote(name)}", models.Job, job)

    def jobs_remove(self, name: str) -> None:
        """Remove a job; the bundles it made stay.

        Raises ``NotFoundError`` if the name is unknown.
        """
        self._request("DELETE", f"/jobs/{quote(name)}")

    def jobs_summary(self, job: models.JobInput) -> models.JobSummary:
        """Return what a job would do, before it is saved.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("POST", "/jobs/summary", models.JobSummary, job)

    def jobs_retiring(self, name: str, keep: str = "") -> models.Page[models.Retiring]:
        """Return what would retire now, as if ``keep`` were the keep rule; nothing is removed."""
        return self._call(
            "GET", f"/jobs/{quote(name)}/retiring", models.Page[models.Retiring], keep=keep
        )

    def jobs_simulate(
        self, job: models.JobInput, store: str = "", subject: str = "", day: date | None = None
    ) -> models.JobSimulation:
        """Return which copies a job will have on each day of the coming year on a store; ``day``
        lists those of that day.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call(
            "POST",
            "/jobs/simulate",
            models.JobSimulation,
            job,
            store=store,
            subject=subject,
            day=day.isoformat() if day else "",
        )

    def jobs_start(
        self, name: str, key: str | None = None, order: models.JobStart | None = None
    ) -> models.Started:
        """Start a job; a call that is made again with the same key starts nothing new.

        ``order`` says what it is to do otherwise this once.
        """
        headers = {"Idempotency-Key": key or uuid.uuid4().hex}
        return self._call(
            "POST",
            f"/jobs/{quote(name)}/start",
            models.Started,
            order or models.JobStart(),
            headers=headers,
        )

    def jobs_copy(self, name: str, copy: models.JobCopy) -> models.Job:
        """Return a new job from another one's settings.

        Raises ``NotFoundError`` if the name is unknown, and ``RefusedError`` naming the
        field that cannot be used.
        """
        return self._call("POST", f"/jobs/{quote(name)}/copy", models.Job, copy)

    def changes_list(self, **query: Any) -> models.Page[models.SettingChange]:
        """Return changes of settings, newest first.

        ``query`` may filter by ``kind``, ``name``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/changes", models.Page[models.SettingChange], **query)

    def jobs_revert(self, name: str, change: int) -> models.Job:
        """Make a job again what it was before a change.

        Raises ``NotFoundError`` when there is no such change.
        """
        return self._call("POST", f"/jobs/{quote(name)}/revert/{change}", models.Job)

    # Pauses -----------------------------------------------------------------------------

    def pauses_list(self) -> models.Page[models.Pause]:
        """Return what is paused, and until when; a pause without a job is of everything."""
        return self._call("GET", "/pauses", models.Page[models.Pause])

    def pauses_set(self, pause: models.PauseInput) -> models.Page[models.Pause]:
        """Pause everything: no run begins; restores stay possible.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("PUT", "/pauses", models.Page[models.Pause], pause)

    def pauses_lift(self) -> None:
        """Lift the pause of everything.

        Raises ``NotFoundError`` if it does not exist.
        """
        self._request("DELETE", "/pauses")

    def jobs_pause(self, name: str, pause: models.PauseInput) -> models.Page[models.Pause]:
        """Pause a job: no run of it begins.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("PUT", f"/jobs/{quote(name)}/pause", models.Page[models.Pause], pause)

    def jobs_resume(self, name: str) -> None:
        """Lift the pause of a job.

        Raises ``NotFoundError`` if it does not exist.
        """
        self._request("DELETE", f"/jobs/{quote(name)}/pause")

    # Addresses ---------------------------------------------------------------------------

    def jobs_address(self, name: str) -> models.StartAddress:
        """Return the address that starts a job from outside, without its secret.

        Raises ``NotFoundError`` when it has none.
        """
        return self._call("GET", f"/jobs/{quote(name)}/address", models.StartAddress)

    def jobs_address_make(
        self, name: str, settings: models.StartAddressInput
    ) -> models.StartAddressMade:
        """Make a secret address that starts a job, in place of the one that it had; it is shown
        this once.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("POST", f"/jobs/{quote(name)}/address", models.StartAddressMade, settings)

    def jobs_address_change(
        self, name: str, settings: models.StartAddressInput
    ) -> models.StartAddress:
        """Change who may use the address of a job.

        Raises ``NotFoundError`` when it has none.
        """
        return self._call("PUT", f"/jobs/{quote(name)}/address", models.StartAddress, settings)

    def jobs_address_remove(self, name: str) -> None:
        """Remove the address of a job.

        Raises ``NotFoundError`` when it has none.
        """
        self._request("DELETE", f"/jobs/{quote(name)}/address")

    # The days to come -----------------------------------------------------------------------

    def calendar_show(self, days: int = 14) -> models.Calendar:
        """Return the starts of the coming days, how long they will take, and how they collide."""
        return self._call("GET", "/calendar", models.Calendar, days=days)

    def calendar_feed(self) -> models.CalendarFeed:
        """Return whether there is a calendar feed."""
        return self._call("GET", "/calendar/feed", models.CalendarFeed)

    def calendar_feed_make(self) -> models.CalendarFeed:
        """Make a new secret address for the calendar feed; it is shown this once."""
        return self._call("POST", "/calendar/feed", models.CalendarFeed)

    def calendar_feed_remove(self) -> None:
        """Switch the calendar feed off."""
        self._request("DELETE", "/calendar/feed")

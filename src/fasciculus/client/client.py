"""The client: one method an operation of the API, named as its ``operationId``."""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from urllib.parse import quote

import httpx

from .. import models
from .download_check import whole_check
from .errors import DownloadError
from .events import LiveEvent, parse
from .inventory import InventoryCalls
from .jobs import JobCalls
from .keys import KeyCalls
from .maintenance import MaintenanceCalls
from .reports import ReportCalls
from .stores import StoreCalls
from .transport import PREFIX, Transport
from .watch import WatchCalls
from .workers import WorkerCalls

_RESUMES = 5


class Client(
    InventoryCalls,
    JobCalls,
    StoreCalls,
    KeyCalls,
    MaintenanceCalls,
    ReportCalls,
    WatchCalls,
    WorkerCalls,
    Transport,
):
    """A connection to a service.

    Without arguments it takes ``FASCICULUS_URL`` and ``FASCICULUS_TOKEN`` from the
    environment. Raises :class:`~fasciculus.client.errors.ClientError` and its kin.
    """

    # Signing in ---------------------------------------------------------------------

    def session_open(self, name: str, password: str) -> models.Identity:
        """Sign in with a name and a password; later calls use the session."""
        found = self._call(
            "POST", "/session", models.Identity, models.SignIn(name=name, password=password)
        )
        self._http.headers["X-CSRF-Token"] = found.csrf
        return found

    def session_show(self) -> models.Identity:
        """Return who is signed in."""
        return self._call("GET", "/session", models.Identity)

    def session_close(self) -> None:
        """Sign out."""
        self._request("DELETE", "/session")

    def password_change(self, old: str, new: str, end_tokens: bool = False) -> None:
        """Choose another password; ends all sessions, and removes all tokens if so asked.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        self._request(
            "POST",
            "/session/password",
            self._made(models.Password, old=old, new=new, end_tokens=end_tokens),
        )

    def tokens_list(self) -> models.Page[models.Token]:
        """Your tokens."""
        return self._call("GET", "/tokens", models.Page[models.Token])

    def tokens_add(self, name: str) -> models.TokenMade:
        """Make a token; it is shown this once.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call(
            "POST", "/tokens", models.TokenMade, self._made(models.TokenNew, name=name)
        )

    def tokens_remove(self, name: str) -> None:
        """Remove a token.

        Raises ``NotFoundError`` if the name is unknown.
        """
        self._request("DELETE", f"/tokens/{quote(name, safe='')}")

    # Kinds and starting ------------------------------------------------------------------

    def kinds_list(self) -> models.Kinds:
        """Return the kinds of stores, hosts and database servers, with their settings."""
        return self._call("GET", "/kinds", models.Kinds)

    def start(self, name: str, full: bool = False, compare: bool = False, **more: Any) -> RunHandle:
        """Start a job and hold its run; ``more`` are further fields of what is asked of it."""
        order = models.JobStart(full=full, compare=compare, **more)
        return RunHandle(self, self.jobs_start(name, order=order).id)

    # Runs --------------------------------------------------------------------------------

    def runs_list(self, **query: Any) -> models.Page[models.Run]:
        """Return runs, newest first.

        ``query`` may filter by ``job``, ``outcome``, ``state``, ``subject``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/runs", models.Page[models.Run], **query)

    def runs_show(self, run_id: int) -> models.RunDetail:
        """Return one run with its tasks.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/runs/{run_id}", models.RunDetail)

    def runs_cancel(self, run_id: int) -> models.RunDetail:
        """Cancel a run.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("POST", f"/runs/{run_id}/cancel", models.RunDetail)

    def runs_log(self, run_id: int, **query: Any) -> models.Page[models.LogLine]:
        """Return the log of a run.

        ``query`` may filter by ``level``, ``q``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/runs/{run_id}/log", models.Page[models.LogLine], **query)

    def runs_events(self, run_id: int) -> Iterator[LiveEvent]:
        """Yield what happens in a run, until it ends. A connection that is lost is taken
        up again.
        """
        yield from self._events(f"/runs/{run_id}/events")

    def live(self) -> Iterator[LiveEvent]:
        """Everything that happens, without end."""
        yield from self._events("/live")

    def _events(self, path: str) -> Iterator[LiveEvent]:
        last, losses = "", 0
        while True:
            headers = {"Last-Event-ID": last} if last else {}
            try:
                with self._http.stream(
                    "GET", PREFIX + path, headers=headers, timeout=httpx.Timeout(60.0, read=60.0)
                ) as answer:
                    self._check(answer)
                    for event in parse(answer.iter_lines()):
                        last, losses = event.id or last, 0
                        if event.kind == "end":
                            return
                        yield event
            except httpx.HTTPError as error:
                losses += 1
                if losses > _RESUMES:
                    raise self._unanswered(error) from error

    # Bundles ------------------------------------------------------------------------------

    def bundles_list(self, **query: Any) -> models.Page[models.Bundle]:
        """Bundles, newest first.

        ``query`` may filter by ``q``, ``subject``, ``kind``, ``job``, ``store``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/bundles", models.Page[models.Bundle], **query)

    def bundles_versions(self, words: str, **query: Any) -> models.VersionsFound:
        """Return the versions of files whose path holds the words, over many bundles.

        ``query`` may filter by ``subject``, ``kind``, ``contents``.
        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("GET", "/versions", models.VersionsFound, q=words, **query)

    def bundles_instructions(self, bundle_id: int) -> models.Instructions:
        """Return how to bring a bundle back, with Fasciculus and by hand.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/bundles/{bundle_id}/instructions", models.Instructions)

    def bundles_show(self, bundle_id: int) -> models.BundleDetail:
        """Return one bundle.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/bundles/{bundle_id}", models.BundleDetail)

    def bundles_pin(self, bundle_id: int, pin: models.Pin) -> models.BundleDetail:
        """Pin a bundle, with a reason, until a time or until it is unpinned.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("PUT", f"/bundles/{bundle_id}/pin", models.BundleDetail, pin)

    def bundles_unpin(self, bundle_id: int) -> models.BundleDetail:
        """Let a bundle retire again as the keep rule says.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("DELETE", f"/bundles/{bundle_id}/pin", models.BundleDetail)

    def bundles_files(
        self, bundle_id: int, contents: str = "", folder: str = ""
    ) -> models.BundleFiles:
        """Return what is in a folder of a bundle.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call(
            "GET",
            f"/bundles/{bundle_id}/files",
            models.BundleFiles,
            contents=contents,
            folder=folder,
        )

    def bundles_tables(self, bundle_id: int) -> models.Page[models.DatabaseTables]:
        """Return the databases of a bundle, each with its tables.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/bundles/{bundle_id}/tables", models.Page[models.DatabaseTables])

    def bundles_search(self, bundle_id: int, words: str, contents: str = "") -> models.EntrySearch:
        """Entries whose path holds the words.

        ``query`` may filter by ``q``, ``contents``.
        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call(
            "GET", f"/bundles/{bundle_id}/search", models.EntrySearch, q=words, contents=contents
        )

    def bundles_download(
        self,
        bundle_id: int,
        target: Path,
        contents: str = "",
        paths: list[str] | None = None,
        store: str = "",
        form: str = "tar.gz",
        database: str = "",
        tables: list[str] | None = None,
        on_bytes: Callable[[int], None] = lambda count: None,
    ) -> tuple[int, models.DownloadReport]:
        """Download a bundle, or part of it, as tar.gz, tar.zst or zip, or one ``database`` as sql;
        returns the bytes, and what the archive lacks.

        The service checks every entry against its digest on the way and leaves out what is
        damaged; here the archive's own checksum, or its end, is checked. A lost connection is
        resumed. ``target`` appears only when it is whole."""
        params: list[tuple[str, str | int | float | bool | None]] = [
            *(("path", path) for path in paths or []),
            *(("table", table) for table in tables or []),
        ]
        params += [
            (k, v)
            for k, v in (
                *(("contents", contents), ("store", store), ("form", form)),
                ("database", database),
            )
            if v
        ]
        partial = target.with_name(target.name + ".part")
        check, have, tag, number = whole_check(form), 0, "", ""
        digest = hashlib.sha256()
        try:
            with partial.open("wb") as sink:
                for attempt in range(_RESUMES + 1):
                    headers = {"Range": f"bytes={have}-", "If-Range": tag} if have else {}
                    try:
                        with self._http.stream(
                            "GET",
                            f"{PREFIX}/bundles/{bundle_id}/download",
                            params=params,
                            headers=headers,
                        ) as answer:
                            self._check(answer)
                            if have and answer.status_code != 206:
                                raise DownloadError(
                                    "The bundle changed during the download.", "Start it again."
                                )
                            tag = answer.headers.get("ETag", "")
                            number = answer.headers.get("X-Download", "")
                            for chunk in answer.iter_raw():
                                check.take(chunk)
                                digest.update(chunk)
                                sink.write(chunk)
                                have += len(chunk)
                                on_bytes(len(chunk))
                        break
                    except httpx.HTTPError as error:
                        if attempt == _RESUMES or not tag:
                            raise DownloadError(
                                f"The download was interrupted after {have:,} bytes.",
                                "Look into the service's log, or take another copy (--store).",
                            ) from error
            if not check.whole:
                raise DownloadError("The download ended before its end.", "Start it again.")
            report = self.downloads_show(number)
            if report.sha256 and report.sha256 != digest.hexdigest():
                raise DownloadError(
                    "The download is damaged: its SHA-256 is another one.", "Start it again."
                )
            partial.rename(target)
        finally:
            partial.unlink(missing_ok=True)
        return have, report

    def bundles_table_changes(
        self, bundle_id: int, against: int | None = None
    ) -> models.Page[models.TableChange]:
        """Return the tables that were added, removed, or have another number of rows.

        ``query`` may filter by ``against``.
        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call(
            "GET",
            f"/bundles/{bundle_id}/table-changes",
            models.Page[models.TableChange],
            against=against or "",
        )

    def bundles_difference(
        self, bundle_id: int, path: str, against: int | None = None, contents: str = ""
    ) -> models.FileDifference:
        """Return the differing lines of a small text file in two bundles.

        ``query`` may filter by ``file``, ``against``, ``contents``.
        Raises ``RefusedError`` naming the field, ``NotFoundError`` if the number is unknown.
        """
        return self._call(
            "GET",
            f"/bundles/{bundle_id}/difference",
            models.FileDifference,
            file=path,
            against=against or "",
            contents=contents,
        )

    def links_list(self) -> models.Page[models.DownloadLink]:
        """Return the links to downloads that have not expired."""
        return self._call("GET", "/links", models.Page[models.DownloadLink])

    def links_make(self, bundle_id: int, link: models.DownloadLinkStart) -> models.DownloadLinkMade:
        """Make a link to one download, for someone without a sign-in.

        Raises ``RefusedError`` naming the field that cannot be used, ``NotFoundError`` if the
        bundle is unknown.
        """
        return self._call("POST", f"/bundles/{bundle_id}/links", models.DownloadLinkMade, link)

    def links_remove(self, link_id: int) -> None:
        """Revoke a link to a download.

        Raises ``NotFoundError`` if the number is unknown.
        """
        self._request("DELETE", f"/links/{link_id}")

    def downloads_show(self, download_id: str) -> models.DownloadReport:
        """Return what a download lacks.

        Raises ``NotFoundError`` where it is not known any more.
        """
        return self._call("GET", f"/downloads/{download_id}", models.DownloadReport)

    # Restores -------------------------------------------------------------------------------

    def restores_list(self, **query: Any) -> models.Page[models.Restore]:
        """Restores, newest first.

        ``query`` may filter by ``subject``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/restores", models.Page[models.Restore], **query)

    def restores_start(self, order: models.RestoreStart, key: str | None = None) -> models.Started:
        """Bring a bundle, or part of it, back into an empty folder and named databases.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        headers = {"Idempotency-Key": key or uuid.uuid4().hex}
        return self._call("POST", "/restores", models.Started, order, headers=headers)

    def restores_show(self, restore_id: int) -> models.Restore:
        """Return one restore.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/restores/{restore_id}", models.Restore)

    def restores_cancel(self, restore_id: int) -> models.Restore:
        """Cancel a restore.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("POST", f"/restores/{restore_id}/cancel", models.Restore)

    def restores_plan(self, restore_id: int, **query: Any) -> models.Page[models.RestorePlanLine]:
        """Return the plan of a restore in place, path by path.

        ``query`` may filter by ``action``.
        Returns one page (``limit``, ``cursor``); :meth:`every` asks for all.
        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call(
            "GET", f"/restores/{restore_id}/plan", models.Page[models.RestorePlanLine], **query
        )

    def restores_undo(self, restore_id: int, undo: models.RestoreUndo) -> models.Started:
        """Put back what a restore in place has set aside.

        Raises ``RefusedError`` if it keeps nothing, ``NotFoundError`` if the number is unknown.
        """
        return self._call("POST", f"/restores/{restore_id}/undo", models.Started, undo)

    def restores_drop(self, restore_id: int) -> models.Started:
        """Remove what a restore in place has set aside.

        Raises ``RefusedError`` if it keeps nothing, ``NotFoundError`` if the number is unknown.
        """
        return self._call("POST", f"/restores/{restore_id}/drop", models.Started)

    def drills_list(self, **query: Any) -> models.Page[models.Restore]:
        """Return drills, newest first.

        ``query`` may filter by ``subject``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/drills", models.Page[models.Restore], **query)

    def drills_start(self, drill: models.DrillStart) -> models.Started:
        """Restore a bundle into a scratch place, compare it, and remove it again.

        Raises ``RefusedError`` or ``NotFoundError`` if there is no such bundle or copy.
        """
        return self._call("POST", "/drills", models.Started, drill)

    def drills_settings_show(self) -> models.DrillSettings:
        """Return the timetable of drills."""
        return self._call("GET", "/settings/drills", models.DrillSettings)

    def drills_settings_change(self, settings: models.DrillSettings) -> models.DrillSettings:
        """Set the timetable of drills.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("PUT", "/settings/drills", models.DrillSettings, settings)

    def restores_relocation(self, ask: models.RelocationAsk) -> models.RelocationProposal:
        """Propose another place for a restore: a copy next to the original, or another account.

        Raises ``RefusedError`` if there is no such place, ``NotFoundError`` for an unknown bundle
        or account.
        """
        return self._call("POST", "/restores/relocation", models.RelocationProposal, ask)

    def recoveries_list(self) -> models.Page[models.Recovery]:
        """Return recoveries of lost hosts, newest first, without their subjects."""
        return self._call("GET", "/recoveries", models.Page[models.Recovery])

    def recoveries_start(self, start: models.RecoveryStart) -> models.Recovery:
        """Begin a recovery of a lost host: no run begins on it until the recovery ends.

        Raises ``RefusedError`` if one is open already, ``NotFoundError`` for an unknown host.
        """
        return self._call("POST", "/recoveries", models.Recovery, start)

    def recoveries_show(self, number: int) -> models.Recovery:
        """Return one recovery, with the state of each subject.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/recoveries/{number}", models.Recovery)

    def recoveries_end(self, number: int) -> models.Recovery:
        """End a recovery.

        Raises ``RefusedError`` if it has ended already, ``NotFoundError`` if the number is unknown.
        """
        return self._call("POST", f"/recoveries/{number}/end", models.Recovery)

    def restores_log(self, restore_id: int, **query: Any) -> models.Page[models.LogLine]:
        """Return the log of a restore.

        ``query`` may filter by ``level``, ``q``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call(
            "GET", f"/restores/{restore_id}/log", models.Page[models.LogLine], **query
        )

    # Everything ---------------------------------------------------------------------------------

    def overview(self) -> models.Overview:
        """Return what needs attention, what comes next, what was."""
        return self._call("GET", "/overview", models.Overview)

    def search(self, words: str) -> models.Page[models.SearchHit]:
        """Accounts, sites, jobs, stores and bundles by name.

        ``query`` may filter by ``q``.
        """
        return self._call("GET", "/search", models.Page[models.SearchHit], q=words)

    def openapi_document(self) -> dict[str, Any]:
        """Return this description (OpenAPI 3.1)."""
        return self._call("GET", "/openapi.json", dict)


class RunHandle:
    """A run that was started."""

    def __init__(self, client: Client, run_id: int) -> None:
        self._client, self.id = client, run_id

    def follow(self) -> Iterator[LiveEvent]:
        """Its events, until it ends."""
        yield from self._client.runs_events(self.id)

    def result(self) -> models.RunDetail:
        """Return the run's present state; after :meth:`follow` it has ended."""
        return self._client.runs_show(self.id)

    def wait(self) -> models.RunDetail:
        """Return the ended run."""
        for _ in self.follow():
            pass
        return self.result()

    def cancel(self) -> None:
        """Cancel the run."""
        self._client.runs_cancel(self.id)

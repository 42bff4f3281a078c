"""Calls about reports, and where they go."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from .. import models
from .transport import Transport


class ReportCalls(Transport):
    """Calls on reports, channels and the mail server."""

    def reports_list(self, **query: Any) -> models.Page[models.Report]:
        """Return reports, newest first.

        ``query`` may filter by ``q``, ``job``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/reports", models.Page[models.Report], **query)

    def reports_show(self, report_id: int) -> models.ReportDetail:
        """Return one report.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/reports/{report_id}", models.ReportDetail)

    def outbox_list(self) -> models.Page[models.OutboxItem]:
        """Return the reports that are waiting to be sent."""
        return self._call("GET", "/outbox", models.Page[models.OutboxItem])

    def outbox_send(self) -> models.Page[models.OutboxItem]:
        """Try all that waits again, now, and what could not be delivered in the last week."""
        return self._call("POST", "/outbox/send", models.Page[models.OutboxItem])

    def outbox_remove(self, report_id: int) -> None:
        """Remove a report that waits to be sent; it stays among the reports.

        Raises ``NotFoundError`` when none of that number waits.
        """
        self._request("DELETE", f"/outbox/{report_id}")

    def mail_show(self) -> models.MailServer:
        """Return the mail server for reports."""
        return self._call("GET", "/settings/mail", models.MailServer)

    def mail_change(self, server: models.MailServer) -> models.MailServer:
        """Set the mail server for reports.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("PUT", "/settings/mail", models.MailServer, server)

    def mail_try(self, to: str) -> models.TryResult:
        """Send a test message to an address."""
        return self._call("POST", "/settings/mail/try", models.TryResult, to=to)

    def jobs_report(self, name: str) -> models.ReportPreview:
        """Return the report of the last run of a job, as it would be written now.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("GET", f"/jobs/{quote(name)}/report", models.ReportPreview)

    def jobs_report_try(self, name: str, to: str) -> models.TryResult:
        """Send the report of the last run of a job to one address, now.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("POST", f"/jobs/{quote(name)}/report/try", models.TryResult, to=to)

    def channels_list(self) -> models.Page[models.Channel]:
        """Webhooks that reports go to."""
        return self._call("GET", "/channels", models.Page[models.Channel])

    def channels_save(self, channel: models.ChannelInput) -> models.Page[models.Channel]:
        """Add a channel, or change the one of its name.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("PUT", "/channels", models.Page[models.Channel], channel)

    def channels_remove(self, name: str) -> None:
        """Remove a channel that nothing uses.

        Raises ``NotFoundError`` if the name is unknown.
        """
        self._request("DELETE", f"/channels/{quote(name)}")

    def channels_try(self, name: str) -> models.ChannelAnswer:
        """Send a test message to a channel; gives its answer.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("POST", f"/channels/{quote(name)}/try", models.ChannelAnswer)

    def templates_list(self) -> models.Page[models.Template]:
        """Return the words of messages."""
        return self._call("GET", "/templates", models.Page[models.Template])

    def templates_show(self, name: str) -> models.Template:
        """Return the words of one message.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("GET", f"/templates/{quote(name)}", models.Template)

    def templates_change(self, name: str, text: str | None) -> models.Template:
        """Put a text in place of a template; None for the one that came along.

        Raises ``RefusedError`` when it cannot be filled.
        """
        body = self._made(models.TemplateText, text=text)
        return self._call("PUT", f"/templates/{quote(name)}", models.Template, body)

    def templates_preview(self, name: str) -> models.ReportPreview:
        """Return a rendered template, with the last real run if there is one.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("GET", f"/templates/{quote(name)}/preview", models.ReportPreview)

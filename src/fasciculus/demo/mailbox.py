"""A mailbox on loopback that accepts all mail and shows it on a page."""

from __future__ import annotations

import threading
from datetime import UTC, datetime
from email import message_from_bytes
from email.message import EmailMessage, Message
from email.policy import default
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult, LoginPassword
from flask import Flask, Response, abort, render_template, request
from waitress.server import create_server


class _Keeper:
    def __init__(self, folder: Path) -> None:
        self._folder = folder

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        moment = datetime.now(UTC)
        name = f"{moment:%Y%m%dT%H%M%S%f}.eml"
        arriving = self._folder / f"{name}.part"
        arriving.write_bytes(envelope.original_content or envelope.content)
        arriving.rename(self._folder / name)
        return "250 Kept"


class MailboxStandIn:
    """Takes mail over SMTP into a folder. With a user, it asks for a sign-in."""

    def __init__(
        self, folder: Path, port: int = 0, user: str = "", password: str = "", tls: Any = None
    ) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.folder = folder
        options: dict[str, Any] = {}
        if user:

            def check(
                server: Any, session: Any, envelope: Any, mechanism: str, data: Any
            ) -> AuthResult:
                good = (
                    isinstance(data, LoginPassword)
                    and data.login == user.encode()
                    and data.password == password.encode()
                )
                return AuthResult(success=good, handled=good)

            options = {
                "authenticator": check,
                "auth_required": True,
                "auth_require_tls": tls is not None,
            }
        if tls is not None:
            options.update(tls_context=tls, require_starttls=True)
        self._controller = _Controller(_Keeper(folder), hostname="127.0.0.1", port=port, **options)
        self._controller.start()
        listening: Any = self._controller.server
        self.port: int = listening.sockets[0].getsockname()[1]

    def messages(self) -> list[EmailMessage]:
        """Return what has arrived, oldest first."""
        return [_read(path) for path in sorted(self.folder.glob("*.eml"))]

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._controller.stop()


class _Controller(Controller):
    def _trigger_server(self) -> None:
        # The base class connects to the port it was given, which is 0 here.
        self.port = self.server.sockets[0].getsockname()[1]  # type: ignore[union-attr]
        super()._trigger_server()  # type: ignore[no-untyped-call]


def _read(path: Path) -> EmailMessage:
    message: Message = message_from_bytes(path.read_bytes(), policy=default)
    assert isinstance(message, EmailMessage)
    return message


class MailboxPage:
    """The mailbox's own small page. It takes webhooks too, at ``/bell``, and shows them."""

    def __init__(self, folder: Path, port: int = 0) -> None:
        app = Flask(__name__)

        @app.get("/")
        def index() -> str:
            rows = []
            for path in sorted(folder.glob("*.eml"), reverse=True)[:200]:
                message = _read(path)
                rows.append(
                    {
                        "name": path.name,
                        "date": message["date"],
                        "to": message["to"],
                        "subject": message["subject"],
                    }
                )
            bells = [path.name for path in sorted(folder.glob("*.json"), reverse=True)[:50]]
            return render_template("mailbox.html", rows=rows, bells=bells)

        @app.post("/bell")
        def bell() -> str:
            moment = datetime.now(UTC)
            (folder / f"{moment:%Y%m%dT%H%M%S%f}.json").write_bytes(request.get_data())
            return "The bell has rung.\n"

        @app.get("/bells/<name>")
        def bell_show(name: str) -> Response:
            path = folder / name
            if path.suffix != ".json" or not path.is_file():
                abort(404)
            return Response(path.read_bytes(), mimetype="application/json")

        @app.get("/<name>")
        def show(name: str) -> str:
            path = folder / name
            if path.suffix != ".eml" or not path.is_file():
                abort(404)
            message = _read(path)
            body = message.get_body(("html", "plain"))
            attached = [part.get_filename() for part in message.iter_attachments()]
            return render_template(
                "message.html",
                subject=message["subject"],
                sender=message["from"],
                to=message["to"],
                html=body.get_content() if body else "",
                attached=attached,
            )

        self._server = create_server(app, host="127.0.0.1", port=port, threads=2)
        self.port: int = int(self._server.effective_port)
        threading.Thread(target=self._server.run, daemon=True, name="mailbox-page").start()

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._server.close()

"""A mailbox on loopback that takes all mail and shows it on a page of its own."""

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
from flask import Flask, abort, render_template_string
from waitress.server import create_server

_PAGE = """<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><title>Mailbox stand-in</title>
<meta http-equiv="refresh" content="5"><style>
body{font:15px/1.5 system-ui,sans-serif;background:#f6f1e7;color:#2a2520;
margin:2rem auto;max-width:60rem;
padding:0 1rem}td{padding:.4rem .8rem .4rem 0;border-top:1px solid #ddd3c0}a{color:#1f4e6b}</style></head><body>
<h1>Mailbox stand-in</h1><p>All mail that the demo sends ends here. {{ rows|length }} messages.</p>
<table>{% for row in rows %}<tr><td>{{ row.date }}</td><td>{{ row.to }}</td>
<td><a href="/{{ row.name }}">{{ row.subject }}</a></td></tr>{% endfor %}</table></body></html>"""
_MESSAGE = """<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><title>{{ subject }}</title><style>
body{font:15px/1.5 system-ui,sans-serif;background:#fffdf8;color:#2a2520;margin:1rem}
iframe{border:1px solid #ddd3c0;width:100%;height:34rem}a{color:#1f4e6b}</style></head><body>
<p><a href="/">All messages</a></p><h1 style="font-size:1.2rem">{{ subject }}</h1>
<p>From {{ sender }} to {{ to }}. {% if attached %}Attached: {{ attached|join(", ") }}.{% endif %}</p>
<iframe sandbox="" srcdoc="{{ html }}" title="Message"></iframe></body></html>"""


class _Keeper:
    def __init__(self, folder: Path) -> None:
        self._folder = folder

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        moment = datetime.now(UTC)
        name = f"{moment:%Y%m%dT%H%M%S%f}.eml"
        (self._folder / name).write_bytes(envelope.original_content or envelope.content)
        return "250 Kept"


class MailboxStandIn:
    """Takes mail over SMTP into a folder. With a user, it asks for a sign-in."""

    def __init__(self, folder: Path, port: int = 0, user: str = "", password: str = "",
                 tls: Any = None) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.folder = folder
        options: dict[str, Any] = {}
        if user:
            def check(server: Any, session: Any, envelope: Any, mechanism: str, data: Any) -> AuthResult:
                good = isinstance(data, LoginPassword) and data.login == user.encode() \
                    and data.password == password.encode()
                return AuthResult(success=good, handled=good)
            options = {"authenticator": check, "auth_required": True,
                       "auth_require_tls": tls is not None}
        if tls is not None:
            options.update(tls_context=tls, require_starttls=True)
        self._controller = _Controller(_Keeper(folder), hostname="127.0.0.1", port=port, **options)
        self._controller.start()
        self.port: int = self._controller.server.sockets[0].getsockname()[1]  # type: ignore[union-attr]

    def messages(self) -> list[EmailMessage]:
        """What has arrived, oldest first."""
        return [_read(path) for path in sorted(self.folder.glob("*.eml"))]

    def close(self) -> None:
        self._controller.stop()


class _Controller(Controller):
    def _trigger_server(self) -> None:
        # The base class connects to the port it was given, which is 0 here.
        self.port = self.server.sockets[0].getsockname()[1]  # type: ignore[union-attr]
        super()._trigger_server()


def _read(path: Path) -> EmailMessage:
    message: Message = message_from_bytes(path.read_bytes(), policy=default)
    assert isinstance(message, EmailMessage)
    return message


class MailboxPage:
    """The mailbox's own small page."""

    def __init__(self, folder: Path, port: int = 0) -> None:
        app = Flask("mailbox")

        @app.get("/")
        def index() -> str:
            rows = []
            for path in sorted(folder.glob("*.eml"), reverse=True)[:200]:
                message = _read(path)
                rows.append({"name": path.name, "date": message["date"], "to": message["to"],
                             "subject": message["subject"]})
            return render_template_string(_PAGE, rows=rows)

        @app.get("/<name>")
        def show(name: str) -> str:
            path = folder / name
            if path.suffix != ".eml" or not path.is_file():
                abort(404)
            message = _read(path)
            body = message.get_body(("html", "plain"))
            attached = [part.get_filename() for part in message.iter_attachments()]
            return render_template_string(
                _MESSAGE, subject=message["subject"], sender=message["from"], to=message["to"],
                html=body.get_content() if body else "", attached=attached)

        self._server = create_server(app, host="127.0.0.1", port=port, threads=2)
        self.port: int = int(self._server.effective_port)  # type: ignore[union-attr]
        threading.Thread(target=self._server.run, daemon=True, name="mailbox-page").start()

    def close(self) -> None:
        self._server.close()

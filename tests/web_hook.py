"""A server on loopback that takes webhooks."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from fasciculus.models import ChannelInput, KindSettings
from fasciculus.records.messages import channels
from fasciculus.records.secret_cipher import SecretCipher
from fasciculus.service.settings.kind_settings import channel_spec


class Hook:
    """Takes what is posted. ``status`` is what it answers, ``words`` what it says, and with
    ``endless`` it never stops saying it."""

    def __init__(self) -> None:
        self.taken: list[tuple[dict[str, str], bytes]] = []
        self.status, self.words, self.endless = 200, b"taken, thank you", False
        self.said = 0
        hook = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                body = self.rfile.read(int(self.headers["Content-Length"]))
                hook.taken.append((dict(self.headers), body))
                self.send_response(hook.status)
                if hook.status == 302:
                    self.send_header("Location", f"{hook.url}-elsewhere")
                self.end_headers()
                hook.answer(self)

            def log_message(self, *args: object) -> None:
                pass

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self._server.daemon_threads = True
        threading.Thread(target=self._server.serve_forever, args=(0.01,), daemon=True).start()
        self.url = f"http://127.0.0.1:{self._server.server_port}/hooks/secret-part"

    def answer(self, handler: BaseHTTPRequestHandler) -> None:
        """Send the words, once or as long as the client reads; at most a GiB."""
        try:
            while self.said < 1 << 30:
                handler.wfile.write(self.words)
                self.said += len(self.words)
                if not self.endless:
                    return
        except OSError:
            return

    def close(self) -> None:
        self._server.shutdown()
        self._server.server_close()


@contextmanager
def web_hook() -> Iterator[Hook]:
    found = Hook()
    yield found
    found.close()


def webhook(name: str, url: str, secret: str | None = None, **settings: Any) -> ChannelInput:
    """Return a channel that posts to an address; ``settings`` may name another kind."""
    given = {"url": url, **({"secret": secret} if secret else {})}
    return ChannelInput(
        name=name, settings=KindSettings(**{"kind": "webhook", **settings}), secrets=given
    )


def saved(db: Any, cipher: SecretCipher, channel: ChannelInput) -> None:
    """Save a channel as the service would."""
    channels.save(db, cipher, channel_spec(channel, channel.secrets))

"""A small cloud drive on loopback: WebDAV, a quota, and access that its owner gives in a browser.

The device authorisation is that of RFC 8628; the page to confirm it is at ``/device``.
"""

from __future__ import annotations

import re
import secrets
import threading
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from flask import Flask, Response, jsonify, render_template, request
from wsgidav.dav_error import HTTP_INSUFFICIENT_STORAGE, DAVError
from wsgidav.fs_dav_provider import FileResource, FilesystemProvider, FolderResource
from wsgidav.wsgidav_app import WsgiDAVApp

from .http_server import HttpServer
from .misbehaviour import Misbehaviour, free_bytes, wsgi

_CODE_SECONDS = 600
_OFFSET = "drive.offset"
_ALPHABET = "BCDFGHJKLMNPQRSTVWXZ"


class _Folder(FolderResource):  # type: ignore[misc]
    def _drive(self) -> DriveStandIn:
        drive: DriveStandIn = self.provider.drive
        return drive

    def create_empty_resource(self, name: str) -> Any:
        super().create_empty_resource(name)
        return self.provider.get_resource_inst(f"{self.path.rstrip('/')}/{name}", self.environ)

    def get_available_bytes(self) -> int:
        return self._drive().free()


class _File(FileResource):  # type: ignore[misc]
    def begin_write(self, **values: Any) -> Any:
        drive = self.provider.drive
        if int(self.environ.get("CONTENT_LENGTH") or 0) > drive.free():
            raise DAVError(HTTP_INSUFFICIENT_STORAGE)
        if offset := self.environ.get(_OFFSET):
            file = open(self._file_path, "r+b")  # noqa: SIM115  the library closes it
            file.seek(offset)
            return file
        return super().begin_write(**values)

    def move_recursive(self, dest_path: str) -> None:
        super().move_recursive(dest_path)
        self.provider.drive.misbehaviour.stored(
            Path(self.provider._loc_to_file_path(dest_path, self.environ))
        )


class _Provider(FilesystemProvider):  # type: ignore[misc]
    def __init__(self, root: Path, drive: DriveStandIn) -> None:
        super().__init__(str(root))
        self.drive = drive

    def get_resource_inst(self, path: str, environ: dict[str, Any]) -> Any:
        found = super().get_resource_inst(path, environ)
        if isinstance(found, FolderResource):
            return _Folder(path, environ, found._file_path)
        if isinstance(found, FileResource):
            return _File(path, environ, found._file_path)
        return found


@dataclass
class _Asked:
    """A program that asked for access, and what its owner said."""

    user_code: str
    scope: str
    ends: float
    agreed: bool | None = None


class DriveStandIn:
    """Serves a folder as a drive below ``/dav``. Its tokens are for that folder alone.

    ``token_seconds`` is how long an access token is good for. With ``user`` and ``password``, Basic
    authentication works too.
    """

    def __init__(
        self,
        root: Path,
        port: int = 0,
        quota: int | None = None,
        token_seconds: int = 3600,
        user: str = "",
        password: str = "",
    ) -> None:
        root.mkdir(parents=True, exist_ok=True)
        self.root, self.quota, self.token_seconds = root, quota, token_seconds
        self.misbehaviour = Misbehaviour()
        self._basic = (user, password)
        self._lock = threading.Lock()
        self._asked: dict[str, _Asked] = {}
        self._access: dict[str, float] = {}
        self._refresh: set[str] = set()
        self._app = self._pages()
        self._dav = WsgiDAVApp(
            {
                "provider_mapping": {"/dav": _Provider(root, self)},
                "simple_dc": {"user_mapping": {"*": True}},
                "http_authenticator": {"accept_basic": True, "accept_digest": False},
                "dir_browser": {"enable": False},
                "lock_storage": None,
                "logging": {"enable": False},
                "verbose": 0,
            }
        )
        self._server = HttpServer(self._application, port)
        self.port, self.url = self._server.port, self._server.url

    def free(self) -> int:
        """Free bytes: of the quota, or of the disk."""
        return free_bytes(self.root, self.quota, self.misbehaviour)

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._server.close()

    def forget_access(self) -> None:
        """End every access, as its owner can."""
        with self._lock:
            self._access.clear()
            self._refresh.clear()

    def confirm(self, user_code: str, agreed: bool = True) -> bool:
        """Return what the page does when its owner presses a button; False for a code
        that is none.
        """
        with self._lock:
            for asked in self._asked.values():
                if secrets.compare_digest(asked.user_code, user_code.strip().upper()):
                    asked.agreed = agreed
                    return True
        return False

    # Files ---------------------------------------------------------------------

    def _application(self, environ: dict[str, Any], start_response: Any) -> Any:
        if not environ["PATH_INFO"].startswith("/dav"):
            return self._app(environ, start_response)
        if not self._may(environ):
            start_response(
                "401 Unauthorized",
                [("WWW-Authenticate", 'Bearer realm="drive"'), ("Connection", "close")],
            )
            return [b""]
        writes = environ["REQUEST_METHOD"] in ("PUT", "MOVE", "MKCOL")
        if writes and self.misbehaviour.refuse:
            start_response("403 Forbidden", [("Connection", "close")])
            return [b""]
        # The library refuses a part of a file (RFC 9110, section 14.5), as many drives take it.
        if part := re.match(r"bytes (\d+)-", environ.pop("HTTP_CONTENT_RANGE", "")):
            environ[_OFFSET] = int(part[1])
        # Who it is was seen above; the library is to ask for nothing more.
        environ.pop("HTTP_AUTHORIZATION", None)
        return wsgi(self._dav, self.misbehaviour)(environ, start_response)

    def _may(self, environ: dict[str, Any]) -> bool:
        import base64

        scheme, _, value = environ.get("HTTP_AUTHORIZATION", "").partition(" ")
        if scheme == "Bearer":
            with self._lock:
                return self._access.get(value, 0) > time.time()
        if scheme == "Basic" and self._basic[0]:
            given = base64.b64decode(value).decode("utf-8", "replace")
            return secrets.compare_digest(given, ":".join(self._basic))
        return False

    # Access --------------------------------------------------------------------

    def _pages(self) -> Flask:
        app = Flask("drive", template_folder=str(Path(__file__).parent / "templates"))
        app.add_url_rule("/oauth/device", "ask", self._ask, methods=["POST"])
        app.add_url_rule("/oauth/token", "token", self._token, methods=["POST"])
        app.add_url_rule("/device", "page", self._page, methods=["GET", "POST"])
        return app

    def _ask(self) -> Any:
        code = secrets.token_urlsafe(24)
        letters = "".join(secrets.choice(_ALPHABET) for _ in range(8))
        asked = _Asked(
            f"{letters[:4]}-{letters[4:]}",
            request.form.get("scope", ""),
            time.time() + _CODE_SECONDS,
        )
        with self._lock:
            self._asked[code] = asked
        return jsonify(
            device_code=code,
            user_code=asked.user_code,
            verification_uri=f"{self.url}/device",
            interval=1,
            expires_in=_CODE_SECONDS,
        )

    def _token(self) -> Any:
        with self._lock:
            if request.form.get("grant_type") == "refresh_token":
                given = request.form.get("refresh_token", "")
                if given not in self._refresh:
                    return jsonify(error="invalid_grant"), 400
                # Each is good once, as many drives have it.
                self._refresh.discard(given)
                return self._issue()
            code = request.form.get("device_code", "")
            asked = self._asked.get(code)
            if asked is None or asked.ends < time.time():
                return jsonify(error="expired_token"), 400
            if asked.agreed is None:
                return jsonify(error="authorization_pending"), 400
            del self._asked[code]
            return self._issue() if asked.agreed else (jsonify(error="access_denied"), 400)

    def _issue(self) -> Response:
        access, refresh = secrets.token_urlsafe(24), secrets.token_urlsafe(24)
        self._access[access] = time.time() + self.token_seconds
        self._refresh.add(refresh)
        return jsonify(
            access_token=access,
            refresh_token=refresh,
            token_type="Bearer",
            expires_in=self.token_seconds,
        )

    def _page(self) -> str:
        code, said = request.values.get("code", ""), ""
        if request.method == "POST":
            agreed = request.form.get("answer") == "allow"
            known = self.confirm(code, agreed)
            said = (
                "That code is not known."
                if not known
                else "Access is given. You may close this page."
                if agreed
                else "Access was refused."
            )
        return render_template("device.html", code=code, said=said)

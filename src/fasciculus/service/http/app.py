"""The Flask application: API, health, OpenAPI, and the built console."""

from __future__ import annotations

import logging
from datetime import UTC, datetime, timedelta
from pathlib import Path

from flask import Flask, Response, request, send_from_directory
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from ... import __version__
from ...core.errors import FasciculusError
from ...core.scope import EVERYTHING
from ...models import FieldProblem, Health, ProblemType
from ...models.validation import field_errors
from ...records import search
from ...records.messages import reports
from ..context import Context
from ..usecases.bundles import copy_links, download_links
from ..usecases.jobs.start_addresses import PATH
from . import authentication, copy_endpoint, guesses, handlers, link_endpoint
from .calendar_feed import feed
from .metrics import metrics
from .operations import PREFIX, blueprint
from .problems import problem, problem_of_error, problem_of_status
from .start_endpoint import StartEndpoint
from .web_server import BODY

log = logging.getLogger(__name__)

CONSOLE = Path(__file__).parent.parent / "console"
_POLICY = (
    "default-src 'self'; style-src 'self'; img-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'"
)
#: For how long a report may wait before the outbox counts as failing.
_STUCK = timedelta(hours=1)
_YEAR = 31_536_000
assert handlers  # imported for the operations it registers


def create_app(parts: Context) -> Flask:
    """Return the application around the parts of a service."""
    app = Flask(__name__, static_folder=None)
    app.extensions["fasciculus"] = parts
    app.config["MAX_CONTENT_LENGTH"] = BODY
    authentication.install(app)
    guesses.install(app)
    app.register_blueprint(blueprint())
    _errors(app)
    _other_pages(app, parts)

    @app.after_request
    def headers(answer: Response) -> Response:
        answer.headers.setdefault("Content-Security-Policy", _POLICY)
        answer.headers["X-Content-Type-Options"] = "nosniff"
        answer.headers.setdefault("X-Frame-Options", "DENY")
        answer.headers["Referrer-Policy"] = "no-referrer"
        if parts.config.secure_cookies:
            answer.headers["Strict-Transport-Security"] = f"max-age={_YEAR}"
        if request.path.startswith(PREFIX):
            answer.headers.setdefault("Cache-Control", "no-store")
        return answer

    return app


def _errors(app: Flask) -> None:
    @app.errorhandler(FasciculusError)
    def trouble(error: FasciculusError) -> Response:
        return problem_of_error(error)

    @app.errorhandler(ValidationError)
    def invalid(error: ValidationError) -> Response:
        errors = [FieldProblem(field=r.field, message=r.message) for r in field_errors(error)]
        first = errors[0]
        return problem(
            ProblemType.INVALID_VALUE,
            f"{first.field}: {first.message}" if first.field else first.message,
            hint="Correct it and send it again.",
            field=first.field or None,
            errors=errors,
        )

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Response:
        hint = {404: f"{PREFIX}/openapi.json lists what there is."}.get(error.code or 500, "")
        return problem_of_status(error.code or 500, error.name, hint)

    @app.errorhandler(Exception)
    def unexpected(error: Exception) -> Response:
        log.exception("while answering %s %s", request.method, _without_secret(request.path))
        return problem(
            ProblemType.INTERNAL_ERROR,
            "Something unexpected happened.",
            type(error).__name__,
            "The service's log has the details.",
        )


def _without_secret(path: str) -> str:
    """Return a path without what opens something by being known."""
    secret = (PATH, "/calendar/", download_links.PATH, copy_links.PATH)
    return f"{PATH}…" if path.startswith(secret) else path


def _other_pages(app: Flask, parts: Context) -> None:
    StartEndpoint().install(app)
    link_endpoint.install(app)
    copy_endpoint.install(app)
    app.add_url_rule("/calendar/<secret>.ics", "calendar", feed)
    app.add_url_rule("/metrics", "metrics", metrics)

    @app.get("/health")
    def health() -> Response:
        checks = {
            "records": True,
            "records_writable": not parts.records.trouble,
            "tasks": parts.tasks.alive,
            **{loop.name: loop.works for loop in parts.loops},
        }
        try:
            search.totals(parts.records.reader, EVERYTHING)
            if reports.is_stuck(parts.records.reader, datetime.now(UTC) - _STUCK):
                checks["outbox"] = False
        except Exception:
            checks["records"] = False
        good = all(checks.values())
        found = Health(version=__version__, status="well" if good else "broken", checks=checks)
        return Response(found.model_dump_json(), 200 if good else 503, mimetype="application/json")

    @app.get("/")
    @app.get("/<path:path>")
    def console(path: str = "index.html") -> Response:
        if not CONSOLE.is_dir():
            return Response(
                "The console is not built. Run “make console”.\n", 503, mimetype="text/plain"
            )
        answer = send_from_directory(CONSOLE, path)
        answer.cache_control.max_age = _YEAR if path.startswith("assets/") else 0
        return answer

"""``/metrics``: numbers for a collector, in the text format of Prometheus and OpenMetrics."""

from __future__ import annotations

import hmac

from flask import Response, request
from prometheus_client import CollectorRegistry
from prometheus_client.exposition import choose_encoder

from ...core.scope import EVERYTHING
from ...models import ProblemType
from ...records import users
from ..usecases.metrics import ServiceMetrics
from . import guesses
from .problems import problem
from .request import context


def metrics() -> Response:
    """Return the present numbers to callers with the metrics token, or with a user's token those
    of the user's scope.

    Not to loopback as such: behind a proxy everybody seems to be on this machine.
    """
    token = context().config.metrics_token
    sent = request.headers.get("Authorization", "").removeprefix("Bearer ").strip()
    scope = EVERYTHING
    if not token or not hmac.compare_digest(sent.encode(), token.encode()):
        found = users.by_token(context().records.reader, sent) if sent else None
        if found is None:
            return _refused(bool(sent))
        scope = found[0].scope
    registry = CollectorRegistry(auto_describe=False)
    registry.register(ServiceMetrics(context(), scope))
    encode, kind = choose_encoder(request.headers.get("Accept", ""))
    return Response(encode(registry), content_type=kind, headers={"Cache-Control": "no-store"})


def _refused(is_guess: bool) -> Response:
    answer = problem(
        ProblemType.NOT_SIGNED_IN,
        "Send a token to read the metrics.",
        hint="Authorization: Bearer …, with metrics_token of the settings or a token of yours.",
    )
    return guesses.refused(answer) if is_guess else answer

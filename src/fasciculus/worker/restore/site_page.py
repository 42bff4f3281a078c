"""Requesting a site's first page, as a browser would that finds it at a given place."""

from __future__ import annotations

from ...core.errors import UnreachableError

_SECONDS = 20.0


def page_status(web_address: str, site: str) -> int:
    """Return the HTTP status of a site's first page (RFC 9110); redirects are not followed.

    ``web_address`` is an address with a port. Raises ``UnreachableError`` if nothing answers.
    """
    import httpx

    where = f"http://{web_address}/"
    try:
        with httpx.stream(
            "GET", where, headers={"Host": site}, timeout=_SECONDS, trust_env=False
        ) as answer:
            return answer.status_code
    except httpx.HTTPError as error:
        raise UnreachableError(
            f"Site {site} does not answer at {where}: {error}.", "Look at the web server."
        ) from error

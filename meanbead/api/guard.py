"""Who may ask, and what a page may load: the application is for this machine only."""

from __future__ import annotations

from urllib.parse import urlsplit

from apiflask import APIFlask
from flask import Response, abort, request

from meanbead.core.runtime import limits

_LOOPBACK = {"127.0.0.1", "localhost", "[::1]"}
_SAFE = {"GET", "HEAD", "OPTIONS"}
_POLICY = "; ".join(
    [
        "default-src 'self'",
        "img-src 'self' data: blob:",
        "style-src 'self' 'unsafe-inline'",  # the chart library positions with style attributes
        "object-src 'none'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    ]
)


def register(app: APIFlask) -> None:
    """Refuse foreign hosts and origins; set the security headers."""

    @app.before_request
    def only_this_machine() -> None:
        # A page elsewhere may point its own name at 127.0.0.1; the Host header gives it away.
        if _name(f"//{request.host}") not in _LOOPBACK:
            abort(403, "Mean Bead answers on this machine only: open it as 127.0.0.1 or localhost.")
        if request.method not in _SAFE:
            origin = request.headers.get("Origin")
            if origin is not None and urlsplit(origin).netloc != request.host:
                abort(403, "Changes are taken from Mean Bead's own pages only.")

    @app.before_request
    def numbers_that_rows_have() -> None:
        # A larger one is no row's, and the database cannot even be asked for it.
        if any(isinstance(value, int) and value > limits.ROW_ID for value in (request.view_args or {}).values()):
            abort(404, "There is nothing of that number.")

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", _POLICY)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault("Cross-Origin-Opener-Policy", "same-origin")
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response


def _name(address: str) -> str:
    host = urlsplit(address).netloc
    return host.rsplit(":", 1)[0] if not host.endswith("]") else host

"""By which names we are asked, and what a page may load."""

from __future__ import annotations

from urllib.parse import urlsplit

from apiflask import APIFlask
from flask import Response, abort, request

from meanbead.api import access
from meanbead.core.runtime import limits
from meanbead.network.addresses import LOOPBACK

_OF_PROXIES = ("X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "Forwarded", "Via", "X-Real-IP")
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
    """Refuse foreign hosts and origins."""

    @app.before_request
    def by_our_names() -> None:
        # A page elsewhere may point its own name at our address; the Host header gives it away.
        host = _name(f"//{request.host}")
        if access.over_network():
            if host.strip("[]").lower() not in access.access().hosts:
                abort(
                    403,
                    "Mean Bead is not known by this name. Open it by an address that it shows, or start it with --name.",
                )
            if not request.is_secure:
                abort(403, "Off this machine Mean Bead is served over TLS only.")
        elif host not in LOOPBACK:
            abort(403, "Mean Bead answers on this machine only: open it as 127.0.0.1 or localhost.")
        elif any(name in request.headers for name in _OF_PROXIES):
            # A proxy that is pointed at this door would make everybody out there somebody at this machine.
            abort(
                403, "This came through a proxy. Start Mean Bead with --behind-proxy, and point the proxy at that port."
            )

    @app.before_request
    def from_our_pages() -> None:
        if request.method in _SAFE:
            return
        origin = request.headers.get("Origin")
        if origin is None and not access.over_network():
            return  # a program at this machine; every browser says where a change comes from
        if origin is None or urlsplit(origin).netloc != request.host:
            abort(403, "Changes are taken from Mean Bead's own pages only.")

    @app.before_request
    def numbers_that_rows_have() -> None:
        # A larger one is no row's, and the database cannot even be asked for it.
        if any(isinstance(value, int) and value > limits.ROW_ID for value in (request.view_args or {}).values()):
            abort(404, "There is nothing of that number.")


def headers(app: APIFlask) -> None:
    """Set the security headers."""

    @app.after_request
    def with_headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", _POLICY)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault("Cross-Origin-Opener-Policy", "same-origin")
        response.headers.setdefault("Permissions-Policy", "camera=(), geolocation=(), microphone=()")
        response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        if access.over_network() and request.is_secure:
            response.headers.setdefault("Strict-Transport-Security", "max-age=31536000")
        if request.path.startswith("/api/"):
            response.headers.setdefault("Cache-Control", "no-store")
        return response


def _name(address: str) -> str:
    host = urlsplit(address).netloc
    return host.rsplit(":", 1)[0] if not host.endswith("]") else host

"""Listen on a port: Uvicorn, in a thread of its own, with TLS where the network can reach it."""

from __future__ import annotations

import socket
import ssl
import threading
import time
from typing import Any

import uvicorn

from meanbead.network.certificates import Certificate

PATIENCE_S = 20.0


def bound(host: str, wanted_port: int) -> socket.socket:
    """A socket on a port, or on a free one where that is taken."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    for port in (wanted_port, 0):
        # The protocol has to be named: asyncio sends small answers at once (TCP_NODELAY) on such sockets only, and an
        # answer in two pieces would otherwise wait 40 ms for the other side's acknowledgement.
        made = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        if family == socket.AF_INET6:
            made.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)
        try:
            made.bind((host, port))
            made.listen(256)
        except OSError:
            made.close()
            continue
        return made
    raise OSError(f"no port is free on {host}")


def bound_everywhere(wanted_port: int) -> list[socket.socket]:
    """Sockets of one port on every address of this machine, IPv4 and, where there is one, IPv6."""
    first = bound("0.0.0.0", wanted_port)
    try:
        second = bound("::", port_of(first))
    except OSError:
        return [first]
    if port_of(second) == port_of(first):
        return [first, second]
    second.close()
    return [first]


def port_of(bound_socket: socket.socket) -> int:
    """The port of a socket."""
    return int(bound_socket.getsockname()[1])


class Server:
    """A server on sockets that are bound already. ``proxies`` are addresses of reverse proxies whose word is taken for where
    a request comes from, and whether it came over TLS."""

    def __init__(
        self,
        application: Any,
        sockets: list[socket.socket],
        *,
        certificate: Certificate | None = None,
        proxies: tuple[str, ...] = (),
    ) -> None:
        tls = {} if certificate is None else {"ssl_certfile": certificate.certificate, "ssl_keyfile": certificate.key}
        self._config = uvicorn.Config(
            application,
            log_config=None,
            access_log=False,
            server_header=False,
            lifespan="off",
            ws="none",
            proxy_headers=bool(proxies),
            forwarded_allow_ips=list(proxies) or None,
            timeout_keep_alive=20,
            timeout_graceful_shutdown=3,
            limit_concurrency=1000,
            **tls,  # type: ignore[arg-type]
        )
        self._config.load()
        if self._config.ssl is not None:
            self._config.ssl.minimum_version = ssl.TLSVersion.TLSv1_2
        self._server = uvicorn.Server(self._config)
        self._sockets = sockets
        self._thread = threading.Thread(target=self._server.run, kwargs={"sockets": sockets}, daemon=True)

    def start(self) -> None:
        """Serve from now on; returns when it does."""
        self._thread.start()
        until = time.monotonic() + PATIENCE_S
        while not self._server.started:
            if not self._thread.is_alive() or time.monotonic() > until:
                raise OSError("the server did not start")
            time.sleep(0.01)

    def renew(self, certificate: Certificate) -> None:
        """Use another certificate for connections from now on."""
        if self._config.ssl is not None:
            self._config.ssl.load_cert_chain(certificate.certificate, certificate.key)

    def stop(self) -> None:
        """End, letting requests that are under way finish for a moment."""
        self._server.should_exit = True
        if self._thread.ident is not None:
            self._thread.join(timeout=PATIENCE_S)
        for one in self._sockets:
            one.close()

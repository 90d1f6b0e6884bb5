"""How the network reaches the workshop: names, certificate, and the listener that is opened once there is an owner."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from apiflask import APIFlask

from meanbead import store
from meanbead.api.access import Access, serve_as
from meanbead.api.asgi import Application
from meanbead.api.changes import ChangeFeed
from meanbead.listen import Server, bound, bound_everywhere, port_of
from meanbead.network.addresses import LOOPBACK, host_names, in_url, machine_addresses
from meanbead.network.certificates import Certificate, CertificateError, given_certificate, own_certificate
from meanbead.network.secrets import cookie_key
from meanbead.network.wish import Wish
from meanbead.store.database import Database

_LOG = logging.getLogger(__name__)

_LOOK_S = 60.0


class Network:
    """The workshop on its network: waits for an owner, listens, and keeps certificate and names up to date."""

    def __init__(self, data: Path, wish: Wish, flask: APIFlask, database: Database, feed: ChangeFeed) -> None:
        wish.check()
        self._data, self._wish, self._flask, self._database, self._feed = data, wish, flask, database, feed
        self._stopping = threading.Event()
        self._server: Server | None = None
        self._held: Certificate | None = None
        self._port = 0
        if wish.certificate is not None:
            self._certificate([], [])  # one that cannot be used is told now, and not when the first owner is made

    def has_owner(self) -> bool:
        """Whether somebody looks after people; without an owner nothing is served to the network."""
        with self._database.session.begin() as session:
            return store.people.any_owner(session)

    def start(self, say: Callable[[list[str]], None]) -> None:
        """Serve as soon as there is an owner; ``say`` is told the addresses then."""
        threading.Thread(target=self._run, args=(say,), name="network", daemon=True).start()

    def stop(self) -> None:
        """Serve no more."""
        self._stopping.set()
        if self._server is not None:
            self._server.stop()

    def _run(self, say: Callable[[list[str]], None]) -> None:
        try:
            while not self.has_owner():
                if self._stopping.wait(1.0):
                    return
            say(self.open())
        except (OSError, CertificateError) as problem:
            print(f"start: the network is not served: {problem}", flush=True)
            return
        while not self._stopping.wait(_LOOK_S):
            try:
                self.look_again()
            except (OSError, CertificateError):
                _LOG.warning("the certificate could not be renewed", exc_info=True)

    def open(self) -> list[str]:
        """Listen; returns the addresses that phones open."""
        here = self._wish.proxy_is_here
        sockets = [bound("127.0.0.1", self._wish.port)] if here else bound_everywhere(self._wish.port)
        self._port = port_of(sockets[0])
        access = self._access()
        serve_as(self._flask, access)
        application = Application(self._flask, self._database, self._feed, over_network=True)
        certificate = None if here else self._held
        self._server = Server(application, sockets, certificate=certificate, proxies=self._wish.proxies)
        self._server.start()
        return list(access.urls)

    def look_again(self, at: datetime | None = None) -> None:
        """Follow new addresses of this machine, and renew the certificate before it ends."""
        before = self._held
        serve_as(self._flask, self._access(at))
        if self._held is not None and self._held != before and self._server is not None:
            self._server.renew(self._held)

    def _access(self, at: datetime | None = None) -> Access:
        addresses = machine_addresses()
        names = [*self._wish.names, *host_names()]
        hosts = {*LOOPBACK, *names, *addresses}
        key = cookie_key(self._data)
        if self._wish.proxies:
            urls = tuple(f"https://{name}" for name in self._wish.names)
            self._held = None if self._wish.proxy_is_here else self._certificate(names, addresses, at)
            return Access(frozenset(hosts), urls, key)
        self._held = self._certificate(names, addresses, at)
        shown = [*self._wish.names, *addresses, *host_names()]
        urls = tuple(f"https://{in_url(host)}:{self._port}" for host in shown)
        return Access(frozenset(hosts), urls, key, self._held)

    def _certificate(self, names: list[str], addresses: list[str], at: datetime | None = None) -> Certificate:
        at = at or datetime.now(UTC)
        if self._wish.certificate is not None and self._wish.key is not None:
            return given_certificate(self._wish.certificate, self._wish.key, at)
        return own_certificate(self._data / "tls", [*names, "localhost"], [*addresses, "127.0.0.1"], at)

"""A store of files over HTTP, simulated: plain ``PUT`` or WebDAV, over TLS, with a token.

It can be slow, refuse, break off in the middle, and be full. Its certificate is made when it starts and signed by itself; who is to
trust it is given :attr:`WebStore.certificate`.
"""

from __future__ import annotations

import datetime
import hmac
import ipaddress
import ssl
import tempfile
import threading
import time
from dataclasses import dataclass
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import unquote, urlsplit

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

__all__ = ["StoreFaults", "WebStore"]


@dataclass
class StoreFaults:
    """What goes wrong: seconds before each answer; bytes after which the connection breaks; how much fits; where a request is
    sent instead."""

    slow_s: float = 0.0
    breaks_after_bytes: int | None = None
    room_bytes: int = 1_000_000_000
    redirect: str = ""


class WebStore(ThreadingHTTPServer):
    """A store on a loopback port; 0 takes a free one. ``files`` is what lies on it."""

    daemon_threads = True

    def __init__(self, token: str = "", *, tls: bool = True, port: int = 0) -> None:
        super().__init__(("127.0.0.1", port), _Handler)
        self.token, self.files, self.faults = token, dict[str, bytes](), StoreFaults()
        self.asked: list[str] = []
        self.certificate = ""
        self.scheme = "https" if tls else "http"
        if tls:
            context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
            self.certificate, key = _certificate()
            with tempfile.TemporaryDirectory() as folder:
                chain = Path(folder) / "store.pem"
                chain.write_text(self.certificate + key)
                context.load_cert_chain(chain)
            self.socket = context.wrap_socket(self.socket, server_side=True, do_handshake_on_connect=False)

    @property
    def url(self) -> str:
        """Where files are put."""
        return f"{self.scheme}://127.0.0.1:{self.server_address[1]}/files/"

    def run(self) -> None:
        """Serve in a thread of its own."""
        threading.Thread(target=self.serve_forever, daemon=True).start()

    def handle_error(self, request: object, client_address: object) -> None:
        """A client that goes away is nobody's concern."""


class _Handler(BaseHTTPRequestHandler):
    server: WebStore
    protocol_version = "HTTP/1.1"

    def do_HEAD(self) -> None:
        self._answered(self._status(200))

    def do_PROPFIND(self) -> None:
        self._answered(self._status(207))

    def do_PUT(self) -> None:
        status = self._status(201)
        size, held = int(self.headers.get("Content-Length", 0)), b""
        breaks = self.server.faults.breaks_after_bytes
        while len(held) < size:
            block = self.rfile.read(min(65536, size - len(held)))
            if not block:
                break
            held += block
            if breaks is not None and len(held) > breaks:
                if status == 201:
                    self.server.files[self._name()] = held  # half of it stays, as on a careless store
                self.connection.close()
                self.close_connection = True
                return
        if status == 201 and size > self.server.faults.room_bytes:
            status = 507
        if status == 201 and len(held) == size:
            self.server.files[self._name()] = held
        self._answered(status)

    def do_DELETE(self) -> None:
        status = self._status(204)
        if status == 204:
            status = 204 if self.server.files.pop(self._name(), None) is not None else 404
        self._answered(status)

    def do_MOVE(self) -> None:
        status = self._status(201)
        target = unquote(urlsplit(self.headers.get("Destination", "")).path).rsplit("/", 1)[-1]
        if status == 201:
            content = self.server.files.pop(self._name(), None)
            if content is None:
                status = 404
            else:
                self.server.files[target] = content
        self._answered(status)

    def _name(self) -> str:
        return unquote(urlsplit(self.path).path).rsplit("/", 1)[-1]

    def _status(self, fine: int) -> int:
        self.server.asked.append(f"{self.command} {self.path}")
        time.sleep(self.server.faults.slow_s)
        if self.server.faults.redirect:
            return 302
        given = self.headers.get("Authorization", "")
        if self.server.token and not hmac.compare_digest(given, f"Bearer {self.server.token}"):
            return 401
        return fine

    def _answered(self, status: int) -> None:
        self.send_response(status)
        if status == 302:
            self.send_header("Location", self.server.faults.redirect)
        self.send_header("Content-Length", "0")
        self.end_headers()

    def log_message(self, format: str, *args: object) -> None:
        """Nothing is logged: a token might stand in it."""


def _certificate() -> tuple[str, str]:
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "A simulated store")])
    today = datetime.datetime.now(datetime.UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(today - datetime.timedelta(days=1))
        .not_valid_after(today + datetime.timedelta(days=30))
        .add_extension(
            x509.SubjectAlternativeName([x509.DNSName("localhost"), x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]),
            critical=False,
        )
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .sign(key, hashes.SHA256())
    )
    private = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    return made.public_bytes(serialization.Encoding.PEM).decode(), private.decode()

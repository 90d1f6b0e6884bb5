"""Files put on a machine's own store over HTTP: by plain ``PUT``, or as WebDAV.

The connection goes to the address that was looked at, follows nobody elsewhere, and takes no longer and no more than is set.
A token is sent over TLS only.
"""

from __future__ import annotations

import ssl
from collections.abc import Iterable, Iterator
from urllib.parse import quote, urlsplit

import httpx

from meanbead.core.errors import MeanBeadError
from meanbead.devices.reachable import own_addresses
from meanbead.devices.ways import SendProgress, Unreachable, WayDescription

__all__ = ["WebWay"]

_ANSWER_BYTES = 64 * 1024
_TIMES = httpx.Timeout(30.0, connect=5.0, pool=5.0)


class WebWay:
    """A store over HTTP, with a token where it wants one."""

    def __init__(self, described: WayDescription, token: str = "") -> None:
        self._described, self._token = described, token
        parts = urlsplit(described.url.strip())
        if (
            parts.scheme not in ("http", "https")
            or not parts.hostname
            or parts.username
            or parts.query
            or parts.fragment
        ):
            raise MeanBeadError(
                "This is no address of a store.", field="url", remedy="Such as https://printer.home.arpa/files/."
            )
        if token and parts.scheme != "https":
            raise MeanBeadError(
                "A token over plain HTTP can be read by anybody on the way.",
                field="url",
                remedy="Use https, or a store that wants none.",
            )
        self._host = parts.hostname
        self._netloc = parts.netloc
        self._scheme, self._port, self._path = parts.scheme, parts.port, parts.path.rstrip("/") + "/"

    def test(self) -> str:
        """Ask the store what it is."""
        with self._client() as client:
            if self._described.webdav:
                status = self._ask(client, "PROPFIND", "", {"Depth": "0"})
                self._refused(status, also=(207,))
                return "The store answers, takes the token, and speaks WebDAV."
            status = self._ask(client, "HEAD", "")
            # A store that only takes files may have nothing to show.
            self._refused(status, also=(403, 404, 405) if not self._token else (404, 405))
        return "The store answers." + (
            " The token is shown with the first file." if self._token and status != 200 else ""
        )

    def send(self, name: str, content: Iterable[bytes], size_bytes: int, progress: SendProgress) -> None:
        """Put a file there, whole or not at all."""
        with self._client() as client:
            under = f"{name}.part" if self._described.webdav else name
            try:
                status = self._ask(client, "PUT", under, {"Content-Length": str(size_bytes)}, _told(content, progress))
                self._refused(status)
                if self._described.webdav:
                    target = f"{self._scheme}://{self._netloc}{self._path}{quote(name)}"
                    status = self._ask(client, "MOVE", under, {"Destination": target, "Overwrite": "T"})
                    self._refused(status)
            except BaseException:
                self._take_back(client, under)
                raise

    def _take_back(self, client: httpx.Client, name: str) -> None:
        """What may lie there half written is deleted."""
        try:
            self._ask(client, "DELETE", name)
        except MeanBeadError:
            return  # nothing answers: the next try writes over it

    def _client(self) -> httpx.Client:
        verify: ssl.SSLContext | bool = True
        if self._scheme == "https":
            verify = ssl.create_default_context()
            if self._described.certificate.strip():
                try:
                    verify.load_verify_locations(cadata=self._described.certificate)
                except (ssl.SSLError, ValueError):
                    raise MeanBeadError(
                        "The certificate cannot be read.", field="certificate", remedy="Paste it whole, as PEM."
                    ) from None
        return httpx.Client(timeout=_TIMES, verify=verify, trust_env=False, follow_redirects=False)

    def _ask(
        self,
        client: httpx.Client,
        method: str,
        name: str,
        headers: dict[str, str] | None = None,
        content: Iterator[bytes] | None = None,
    ) -> int:
        """One request to the very address that was looked at; the answer's status."""
        number = own_addresses(self._host, allowed=self._described.allowed, field="url")[0]
        url = httpx.URL(f"{self._scheme}://placeholder{self._path}{quote(name)}").copy_with(
            host=number, port=self._port
        )
        told = {"Host": self._netloc, **(headers or {})}
        if self._token:
            bearer = self._described.token_header.lower() == "authorization"
            told[self._described.token_header] = f"Bearer {self._token}" if bearer else self._token
        request = client.build_request(
            method, url, headers=told, content=content, extensions={"sni_hostname": self._host}
        )
        try:
            answer = client.send(request, stream=True)
            try:
                held = 0
                for block in answer.iter_raw():
                    held += len(block)
                    if held > _ANSWER_BYTES:
                        break
            finally:
                answer.close()
        except httpx.ConnectError as problem:
            if "CERTIFICATE" in str(problem).upper():
                raise MeanBeadError(
                    f"The certificate of {self._host} is signed by nobody who is known here.",
                    field="certificate",
                    remedy="Paste the certificate of the authority that signed it.",
                ) from None
            raise Unreachable(
                f"Nothing answers at {self._netloc}.", field="url", remedy="Is it on, and on this network?"
            ) from None
        except httpx.TimeoutException:
            raise Unreachable(f"{self._netloc} takes too long.", field="url", remedy="Try again.") from None
        except (httpx.TransportError, ssl.SSLError):
            raise Unreachable(
                f"The connection to {self._netloc} broke.", field="url", remedy="Try again; nothing half sent stays."
            ) from None
        return answer.status_code

    def _refused(self, status: int, also: tuple[int, ...] = ()) -> None:
        if 200 <= status < 300 or status in also:
            return
        if status in (401, 403):
            raise MeanBeadError("The store refuses the token.", field="token", remedy="Give it the right one.")
        if status == 404:
            raise MeanBeadError("There is no such place on the store.", field="url", remedy="Check the path.")
        if status in (413, 507):
            raise MeanBeadError("The store is full.", field="url", remedy="Delete something on it.", code="full")
        if 300 <= status < 400:
            raise MeanBeadError("The store sends us elsewhere.", field="url", remedy="Give the address itself.")
        raise MeanBeadError(f"The store answers {status}.", field="url", remedy="See what its own page says.")


def _told(content: Iterable[bytes], progress: SendProgress) -> Iterator[bytes]:
    sent = 0
    for block in content:
        yield block
        sent += len(block)
        progress(sent)

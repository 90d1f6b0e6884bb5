"""Ways in which a file gets to a machine: one small interface, an adapter for each.

A way is made of its description for as long as it is needed, tells in a sentence whether it works, and sends a file whole or not at
all. A console can do more: see :mod:`meanbead.devices.machine_console`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Annotated, Literal, Protocol, assert_never
from urllib.parse import urlsplit

from pydantic import Field

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.base import Model

__all__ = ["SendProgress", "Unreachable", "Way", "WayDescription", "WayKind", "way_to"]

WayKind = Literal["none", "folder", "web", "console"]

SendProgress = Callable[[int], None]
"""Told how many bytes have gone; may raise to end it."""


class Unreachable(MeanBeadError):
    """Nothing answers just now: the same may work in a moment."""


class WayDescription(Model):
    """How files get to a machine, without the secret that belongs to it.

    ``folder`` is a place in this computer's files: a card, a share. ``url`` is where files are put over HTTP, by plain ``PUT`` or
    as WebDAV; ``certificate`` the authority's own certificate where no public one signed it. ``address`` is a console's,
    ``host:port`` or a serial device, at ``baud``. ``allowed`` says that the owner has allowed an address that is not in the
    workshop's own network.
    """

    kind: WayKind = "none"
    folder: Annotated[str, Field(max_length=500)] = ""
    url: Annotated[str, Field(max_length=500)] = ""
    webdav: bool = False
    token_header: Annotated[str, Field(max_length=60, pattern=r"^[A-Za-z][A-Za-z0-9-]*$")] = "Authorization"
    certificate: Annotated[str, Field(max_length=20_000)] = ""
    address: Annotated[str, Field(max_length=200)] = ""
    baud: Annotated[int, Field(ge=1200, le=4_000_000)] = 115_200
    allowed: bool = False

    @property
    def starts(self) -> bool:
        """Whether a print can be started and watched over it."""
        return self.kind == "console"

    @property
    def place(self) -> str:
        """Where it leads, as a secret is bound to it: another host, folder or line is another place."""
        match self.kind:
            case "none":
                return ""
            case "folder":
                return self.folder.strip()
            case "web":
                parts = urlsplit(self.url.strip())
                return f"{parts.scheme} {parts.netloc.lower()}"
            case "console":
                return self.address.strip().lower()
        assert_never(self.kind)


class Way(Protocol):
    """A way to a machine."""

    def test(self) -> str:
        """Whether it works, in a sentence. Raises :class:`MeanBeadError` that names the field and the remedy."""

    def send(self, name: str, content: Iterable[bytes], size_bytes: int, progress: SendProgress) -> None:
        """Send a file, whole or not at all. Raises :class:`MeanBeadError`."""


def way_to(described: WayDescription, token: str = "") -> Way:
    """The adapter for a description. Raises :class:`MeanBeadError` where there is none."""
    match described.kind:
        case "none":
            raise MeanBeadError(
                "No way to this machine is set.",
                field="kind",
                remedy="Choose one at the machine, or take the file by hand.",
            )
        case "folder":
            from meanbead.devices.folder import FolderWay

            return FolderWay(described.folder)
        case "web":
            from meanbead.devices.web_store import WebWay

            return WebWay(described, token)
        case "console":
            from meanbead.devices.machine_console import ConsoleWay

            return ConsoleWay(described)
    assert_never(described.kind)

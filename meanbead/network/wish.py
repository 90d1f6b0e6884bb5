"""What is asked of the network when the workshop is started."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from meanbead.network.addresses import LOOPBACK

__all__ = ["USUAL_PORT", "ReachError", "Wish"]

USUAL_PORT = 8443


class ReachError(RuntimeError):
    """The network cannot be served as asked; the text says what to do."""


@dataclass(frozen=True)
class Wish:
    """What was asked for: other ``names``, a ``certificate`` with its ``key`` of one's own, reverse ``proxies``."""

    port: int = USUAL_PORT
    names: tuple[str, ...] = ()
    certificate: Path | None = None
    key: Path | None = None
    proxies: tuple[str, ...] = ()

    def check(self) -> None:
        """Raise :class:`ReachError` for wishes that contradict each other."""
        if (self.certificate is None) != (self.key is None):
            raise ReachError("--certificate and --key belong together: give both, or neither.")
        if self.proxies and not self.names:
            raise ReachError("--behind-proxy needs --name: the name by which people open the workshop.")

    @property
    def proxy_is_here(self) -> bool:
        """Whether all proxies run on this machine, so that nobody else needs to reach us."""
        return bool(self.proxies) and set(self.proxies) <= LOOPBACK

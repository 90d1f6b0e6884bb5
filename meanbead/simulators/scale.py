"""A scale, simulated: it sends its reading line by line over TCP, as scales on a serial cable do.

A line is ``ST`` (stable) or ``US`` (still moving), a sign, the weight and its unit: ``ST,+   1.02 g``. A few lines are moving
ones after the load has changed, and now and then a line arrives damaged.
"""

from __future__ import annotations

import random
import socketserver
import time
from collections.abc import Callable

__all__ = ["ScaleServer"]


class ScaleServer(socketserver.ThreadingTCPServer):
    """A scale on a loopback port; ``load_g`` is asked for the weight that lies on it each time somebody connects."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(
        self, load_g: Callable[[], float], step_g: float = 0.01, port: int = 0, interval_s: float = 0.05
    ) -> None:
        self.load_g, self.step_g, self.interval_s = load_g, step_g, interval_s
        self.random = random.Random(5)
        super().__init__(("127.0.0.1", port), _Handler)

    @property
    def address(self) -> str:
        """Where it listens, as ``host:port``."""
        host, port = self.server_address[:2]
        return f"{host!s}:{port}"


class _Handler(socketserver.BaseRequestHandler):
    server: ScaleServer

    def handle(self) -> None:
        scale = self.server
        load, digits = scale.load_g(), max(0, len(f"{scale.step_g:.6f}".rstrip("0").split(".")[1]))
        try:
            for count in range(1000):
                moving = count < 3
                shown = load + (scale.random.gauss(0, 5 * scale.step_g) if moving else 0.0)
                shown = round(round(shown / scale.step_g) * scale.step_g, digits)
                line = f"{'US' if moving else 'ST'},{'-' if shown < 0 else '+'}{abs(shown):7.{digits}f} g"
                if scale.random.random() < 0.1:
                    line = line[: scale.random.randrange(3, len(line) - 1)] + "\x00"
                self.request.sendall(line.encode() + b"\r\n")
                time.sleep(scale.interval_s)
        except OSError:
            return

"""A machine's console, simulated: asked for its settings it prints them as firmware does.

Over TCP, or on a pseudo-terminal such as a USB cable makes. Bytes come at a cable's pace, lines of chatter come in
between, and now and then a line arrives damaged. It moves nothing and heats nothing.
"""

from __future__ import annotations

import os
import random
import socketserver
import threading
import time
import tty
from collections.abc import Callable

GREETING = ("start", "echo: simulated console, not a machine", "echo: stored settings retrieved")

SETTINGS = (
    "echo:  G21 ; units in mm",
    "echo: steps per unit:",
    "echo:  M92 X80.00 Y80.00 Z400.00 E412.50",
    "echo: largest feedrates (units/s):",
    "echo:  M203 X280.00 Y280.00 Z12.00 E55.00",
    "echo: largest acceleration (units/s2):",
    "echo:  M201 X2600.00 Y2400.00 Z180.00 E6000.00",
    "echo: acceleration: print, retract, travel",
    "echo:  M204 P1250.00 R1800.00 T1900.00",
    "echo: corners:",
    "echo:  M205 X9.00 Y9.00 Z0.40 E5.00",
    "echo: home offset:",
    "echo:  M206 X0.00 Y0.00 Z0.00",
)

CHATTER = (
    "T:23.4 /0.0 B:22.9 /0.0 @:0 B@:0",
    "echo:busy: processing",
    "\x00\xff\x1b[m",
    "ech M201 X26#0.\x80",
)


class Console:
    """Answers commands on a line. ``write`` sends bytes; ``pace_s`` is the time that a byte takes."""

    def __init__(self, write: Callable[[bytes], object], pace_s: float = 0.0004, seed: int = 1) -> None:
        self._write, self._pace_s = write, pace_s
        self._random = random.Random(seed)
        self._typed = b""

    def greet(self) -> None:
        """What a machine prints when somebody connects."""
        for line in GREETING:
            self._line(line)

    def feed(self, data: bytes) -> None:
        """Take what was typed, and answer every whole line."""
        self._typed += data
        while b"\n" in self._typed:
            line, self._typed = self._typed.split(b"\n", 1)
            self._answer(line.decode(errors="replace").split(";")[0].strip().upper())
        self._typed = self._typed[-1000:]

    def _answer(self, command: str) -> None:
        if command.startswith("M503"):
            for line in SETTINGS:
                if self._random.random() < 0.3:
                    self._line(self._random.choice(CHATTER))
                self._line(line)
        elif command:
            self._line(f'echo:Unknown command: "{command[:40]}"')
        self._line("ok")

    def _line(self, text: str) -> None:
        # In short runs, as a cable's buffer hands them over.
        data = text.encode("latin-1") + b"\n"
        for start in range(0, len(data), 16):
            self._write(data[start : start + 16])
            time.sleep(self._pace_s * 16)


class _Handler(socketserver.BaseRequestHandler):
    def handle(self) -> None:
        console = Console(self.request.sendall)
        try:
            console.greet()
            while data := self.request.recv(1024):
                console.feed(data)
        except OSError:
            return  # whoever asked has gone


class ConsoleServer(socketserver.ThreadingTCPServer):
    """A console on a loopback port; 0 takes a free one."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int = 0) -> None:
        super().__init__(("127.0.0.1", port), _Handler)

    @property
    def address(self) -> str:
        """Where it listens, as ``host:port``."""
        host, port = self.server_address[:2]
        return f"{host!s}:{port}"


def on_terminal() -> str:
    """A console on a pseudo-terminal, in a thread of its own; returns the terminal's path."""
    ours, theirs = os.openpty()
    tty.setraw(ours)
    path = os.ttyname(theirs)

    def serve() -> None:
        console = Console(lambda data: os.write(ours, data))
        console.greet()
        while data := os.read(ours, 1024):
            console.feed(data)

    threading.Thread(target=serve, daemon=True).start()
    return path

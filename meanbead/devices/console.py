"""Ask a machine's console for its settings report, over the network or a serial device."""

from __future__ import annotations

import os
import re
import select
import socket
import termios
import time
import tty
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass

from meanbead.core.errors import MeanBeadError

MAX_BYTES = 200_000
_DEVICE = re.compile(r"/dev/(tty(USB|ACM|S|AMA)\d+|pts/\d+|serial/[\w./:-]+)$")
_DONE = re.compile(rb"(^|\n)ok\b")


def fetch_report(
    address: str, timeout_s: float = 15.0, settle_s: float = 1.0, *, command: str = "M503", baud: int = 115_200
) -> str:
    """What a console answers to a command that asks for its settings.

    ``baud`` is a serial line's speed. ``address`` is ``host:port`` or a serial device. The line is listened to first until it rests, for a machine greets
    whoever connects; then the answer ends with ``ok``. Raises :class:`MeanBeadError` where nothing answers in time.
    """
    with open_console(address, baud=baud, timeout_s=timeout_s) as console:
        return _ask(console.line, console.send, command, timeout_s, settle_s)


@dataclass(frozen=True)
class OpenConsole:
    """A console's line, and how bytes are sent on it."""

    line: int
    send: Callable[[bytes], object]

    def listen(self, timeout_s: float, settle_s: float) -> None:
        """Let a machine that greets whoever connects have its say."""
        _listen(self.line, time.monotonic() + timeout_s, settle_s, requested=None)

    def hear(self, timeout_s: float, settle_s: float) -> str:
        """What is said without being asked, until the line rests."""
        heard = _listen(self.line, time.monotonic() + timeout_s, settle_s, requested=None)
        return heard.decode("utf-8", errors="replace")

    def answer(self, timeout_s: float) -> str:
        """What is answered up to the next ``ok``, or nothing more within the time. Raises OSError where the line has ended."""
        heard = _listen(self.line, time.monotonic() + timeout_s, timeout_s, requested=_DONE)
        if not heard and select.select([self.line], [], [], 0)[0]:
            raise ConnectionResetError("the line has ended")
        return heard.decode("utf-8", errors="replace")

    def command(self, text: str, timeout_s: float) -> str:
        """Send one command and return what is answered up to its ``ok``. Raises :class:`MeanBeadError` without one."""
        self.send(text.encode("ascii", errors="replace") + b"\n")
        heard = _listen(self.line, time.monotonic() + timeout_s, timeout_s, requested=_DONE)
        if not _DONE.search(heard):
            raise _unusable(
                f"The machine did not finish “{text}” in time.", "Look at the machine before anything else."
            )
        return heard.decode("utf-8", errors="replace")


@contextmanager
def open_console(address: str, *, baud: int = 115_200, timeout_s: float = 15.0) -> Iterator[OpenConsole]:
    """A console for a while, over the network or a serial device. Raises :class:`MeanBeadError` where nothing answers."""
    address = address.strip()
    if address.startswith("/"):
        with _device(address, baud) as console:
            yield console
        return
    host, port = split_address(address, "address")
    try:
        line = socket.create_connection((host, port), timeout=min(5.0, timeout_s))
    except OSError as problem:
        raise _unusable(
            f"Nothing answers at {address} ({problem.strerror or problem}).",
            "Check that the machine is on and that no other program holds its console.",
        ) from None
    try:
        with line:
            yield OpenConsole(line.fileno(), line.sendall)
    except OSError as problem:
        raise _unusable(
            f"The line to {address} broke ({problem.strerror or problem}).", "Look at the machine before anything else."
        ) from None


def split_address(address: str, field: str) -> tuple[str, int]:
    """Host and port of ``host:port``. Raises :class:`MeanBeadError`, naming ``field``, for anything else."""
    host, _, port = address.strip().rpartition(":")
    if not host or not port.isdigit() or not 0 < int(port) < 65536:
        raise MeanBeadError(
            f"“{address.strip()}” is no address.",
            field=field,
            remedy="Give host and port, such as 192.168.1.20:23, or a device.",
        )
    return host.strip("[]"), int(port)


@contextmanager
def _device(path: str, baud: int) -> Iterator[OpenConsole]:
    if not _DEVICE.match(path):
        raise _unusable(f"“{path}” is no serial device.", "Give one such as /dev/ttyUSB0.")
    speed = getattr(termios, f"B{baud}", None)
    if speed is None:
        raise _unusable(f"A serial line at {baud:,} baud is not offered here.", "Use 115200, or 230400, or 500000.")
    try:
        line = os.open(path, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
    except OSError as problem:
        raise _unusable(
            f"{path} cannot be opened ({problem.strerror}).", "Check the cable, and who may use the device."
        ) from None
    try:
        tty.setraw(line)
        with suppress(termios.error):
            settings = termios.tcgetattr(line)
            settings[4] = settings[5] = speed
            termios.tcsetattr(line, termios.TCSANOW, settings)
        yield OpenConsole(line, lambda data: os.write(line, data))
    finally:
        os.close(line)


def _ask(line: int, send: Callable[[bytes], object], command: str, timeout_s: float, settle_s: float) -> str:
    until = time.monotonic() + timeout_s
    _listen(line, until, settle_s, requested=None)
    send(command.encode() + b"\n")
    heard = _listen(line, until, timeout_s, requested=_DONE)
    if not _DONE.search(heard):
        raise _unusable(
            "The console did not finish its answer in time.", "Try again, or paste what its own console program shows."
        )
    return heard.decode("utf-8", errors="replace")


def _listen(line: int, until: float, rest_s: float, requested: re.Pattern[bytes] | None) -> bytes:
    """Bytes until the line rests, the time is over, or what is wanted has come."""
    heard = b""
    while len(heard) < MAX_BYTES:
        wait = min(rest_s, until - time.monotonic())
        if wait <= 0 or not select.select([line], [], [], wait)[0]:
            break
        data = os.read(line, 4096)
        if not data:
            break
        heard += data
        if requested is not None and requested.search(heard):
            break
    return heard


def _unusable(what: str, remedy: str) -> MeanBeadError:
    return MeanBeadError(what, field="address", remedy=remedy)

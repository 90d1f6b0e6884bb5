"""A whole machine, simulated, on a console of its own: a card that files are written to, a print that takes its time, heat, a
clock. It prints by replaying the file, in seconds that hidden factors stretch, so that a plan can be held against it.

It can be made to fail as real ones do: answer slowly, garble lines and ask for them again, have a full card, refuse, die in the
middle and come back, start anew.
"""

from __future__ import annotations

import io
import random
import re
import socket
import socketserver
import threading
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field

import numpy as np

from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.gcode.inspect import Inspection, inspect_file
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.simulators.console import SETTINGS

__all__ = ["Faults", "MachineServer", "SimulatedMachine"]

ROOM_C = 22.0
HEATING_S = 60.0
_CHECKED = re.compile(rb"^N(\d+) (.*)\*(\d+)$")


@dataclass
class Faults:
    """What goes wrong: seconds before each answer; the share of arriving lines that are damaged on the way; bytes that the card
    takes; whether connections are refused; after how many written lines the line dies."""

    slow_s: float = 0.0
    garbled: float = 0.0
    card_bytes: int = 1_000_000_000
    refusing: bool = False
    dies_after_lines: int | None = None


@dataclass
class _Job:
    name: str
    seen: Inspection
    times_s: np.ndarray[tuple[int], np.dtype[np.float64]]
    bytes_: np.ndarray[tuple[int], np.dtype[np.float64]]
    began_s: float
    paused_s: float = 0.0
    paused_at_s: float | None = None

    @property
    def whole_s(self) -> float:
        return HEATING_S + self.seen.start_s + float(self.times_s[-1]) + self.seen.end_s


@dataclass
class SimulatedMachine:
    """What the console drives. ``hurry`` is how much faster than real time it goes; ``slower`` are factors on the seconds of
    causes, by name."""

    printer: Printer = field(default_factory=Printer)
    hurry: float = 1.0
    slower: Mapping[str, float] = field(default_factory=dict)
    faults: Faults = field(default_factory=Faults)
    seed: int = 1

    def __post_init__(self) -> None:
        self.card: dict[str, bytes] = {}
        self.starts = 0
        self.stopped = False
        self._job: _Job | None = None
        self._selected = ""
        self._last_clock_s = 0.0
        self._heat = {"nozzle": 0.0, "bed": 0.0}
        self._zero = time.monotonic()
        self._jumped_s = 0.0
        self._lock = threading.RLock()
        self.said: Callable[[str], None] = lambda _: None

    def now_s(self) -> float:
        """This machine's own time, s."""
        return (time.monotonic() - self._zero) * self.hurry + self._jumped_s

    def pass_s(self, seconds: float) -> None:
        """Have time pass at once, for whoever does not want to wait."""
        with self._lock:
            self._jumped_s += seconds
            self._settle()

    @property
    def printing(self) -> bool:
        """Whether a print is under way."""
        with self._lock:
            self._settle()
            return self._job is not None

    def begin(self, name: str) -> None:
        """Begin, or go on with, the print of a file. Raises KeyError for one that is not there."""
        with self._lock:
            if self._job is not None:
                if self._job.paused_at_s is not None:
                    self._job.paused_s += self.now_s() - self._job.paused_at_s
                    self._job.paused_at_s = None
                return
            content = self.card[name]
            seen = inspect_file(lambda: io.BytesIO(content), self.printer, Nozzle(), Material())
            factors = np.array([self.slower.get(cause, 1.0) for cause in CAUSES])
            causes = np.array([point.by_cause_s for point in seen.track]) @ factors
            self._job = _Job(name, seen, causes, np.array([float(point.byte) for point in seen.track]), self.now_s())
            self._heat = {"nozzle": seen.nozzle_temp_c or 0.0, "bed": seen.bed_temp_c or 0.0}
            self.starts += 1

    def pause(self) -> None:
        """Stand still."""
        with self._lock:
            if self._job is not None and self._job.paused_at_s is None:
                self._job.paused_at_s = self.now_s()

    def restart(self) -> None:
        """As if somebody had pulled the plug for a moment."""
        with self._lock:
            self._job, self._selected, self._last_clock_s = None, "", 0.0
            self._heat = {"nozzle": 0.0, "bed": 0.0}
        self.said("start")

    def stop(self) -> None:
        """Emergency stop: nothing goes on until it is restarted."""
        with self._lock:
            self._job, self.stopped = None, True
            self._heat = {"nozzle": 0.0, "bed": 0.0}

    def progress(self) -> tuple[int, int] | None:
        """Bytes read of how many; None where nothing is printed."""
        with self._lock:
            self._settle()
            if self._job is None:
                return None
            job, passed = self._job, self._passed_s(self._job)
            printing = passed - HEATING_S - job.seen.start_s
            at = int(np.interp(printing, job.times_s, job.bytes_)) if printing > 0 else min(120, int(job.bytes_[0]))
            return at, job.seen.size_bytes

    def clock_s(self) -> float:
        """What the panel shows: time since the print was started, pauses left out, heating counted."""
        with self._lock:
            self._settle()
            return self._passed_s(self._job) if self._job is not None else self._last_clock_s

    def heat(self) -> tuple[float, float, float, float]:
        """Nozzle and bed, each with its target, degrees C."""
        with self._lock:
            self._settle()
            nozzle, bed = self._heat["nozzle"], self._heat["bed"]
            warm = 1.0
            if self._job is not None:
                warm = min(1.0, self._passed_s(self._job) / HEATING_S)
            return (ROOM_C + warm * max(0.0, nozzle - ROOM_C), nozzle, ROOM_C + warm * max(0.0, bed - ROOM_C), bed)

    def _passed_s(self, job: _Job) -> float:
        until = job.paused_at_s if job.paused_at_s is not None else self.now_s()
        return until - job.began_s - job.paused_s

    def _settle(self) -> None:
        job = self._job
        if job is not None and self._passed_s(job) >= job.whole_s:
            self._last_clock_s = job.whole_s
            self._job = None
            self._heat = {"nozzle": 0.0, "bed": 0.0}
            self.said("Done printing file")


class _Talk:
    """One connection's conversation."""

    def __init__(self, machine: SimulatedMachine, write: Callable[[bytes], object], random_: random.Random) -> None:
        self._machine, self._write, self._random = machine, write, random_
        self._typed = b""
        self._number = 0
        self._writing: tuple[str, list[bytes]] | None = None
        self._lines = self._written = 0
        self._handlers: dict[str, Callable[[str], None]] = {
            "M20": self._list,
            "M23": self._select,
            "M24": self._begin,
            "M27": self._progress,
            "M28": self._open,
            "M29": self._close,
            "M30": self._delete,
            "M31": self._clock,
        }

    def feed(self, data: bytes) -> None:
        self._typed += data
        while b"\n" in self._typed:
            line, self._typed = self._typed.split(b"\n", 1)
            self._take(line.strip())

    def _take(self, line: bytes) -> None:
        if not line:
            return
        if self._machine.faults.slow_s:
            time.sleep(self._machine.faults.slow_s)
        found = _CHECKED.match(line)
        if found is None:
            self._answer(line.decode(errors="replace"))
            return
        if self._random.random() < self._machine.faults.garbled:
            line = line[: len(line) // 2] + b"#" + line[len(line) // 2 + 1 :]
        number, body, given = int(found[1]), found[2], int(found[3])
        total = 0
        for letter in line[: line.rfind(b"*")]:
            total ^= letter
        if body.startswith(b"M110"):
            self._number = number
            self._say("ok")
            return
        if total != given or number != self._number + 1:
            self._say(f"Error:checksum mismatch, Last Line: {self._number}", f"Resend: {self._number + 1}", "ok")
            return
        self._number = number
        self._answer(body.decode(errors="replace"))

    def _answer(self, command: str) -> None:
        code, _, rest = command.partition(" ")
        if self._writing is not None and code != "M29":
            self._keep(command)
            return
        machine = self._machine
        if code == "M112":
            machine.stop()
            self._say("Error:Printer halted. kill() called!")
            return
        if machine.stopped:
            return  # says nothing more until it is restarted
        rest = rest.strip()
        if code == "M105":
            self._heat()
            return
        if code == "M25":
            machine.pause()
        elif code == "M503":
            self._say(*SETTINGS)
        elif code in self._handlers:
            self._handlers[code](rest)
        self._say("ok")

    def _keep(self, command: str) -> None:
        assert self._writing is not None
        self._lines += 1
        faults = self._machine.faults
        if faults.dies_after_lines is not None and self._lines > faults.dies_after_lines:
            raise ConnectionAbortedError
        lines = self._writing[1]
        lines.append(command.encode() + b"\n")
        self._written += len(lines[-1])
        if self._written > faults.card_bytes - sum(map(len, self._machine.card.values())):
            self._say("error writing to file, card full")
        self._say("ok")

    def _list(self, _: str) -> None:
        files = [f"{name} {len(content)}" for name, content in sorted(self._machine.card.items())]
        self._say("Begin file list", *files, "End file list")

    def _select(self, name: str) -> None:
        name = name.upper()
        if name not in self._machine.card:
            self._say(f"open failed, File: {name}.")
            return
        self._machine._selected = name
        self._say(f"File opened: {name} Size: {len(self._machine.card[name])}", "File selected")

    def _begin(self, _: str) -> None:
        try:
            self._machine.begin(self._machine._selected)
        except (KeyError, MeanBeadError):
            self._say("echo:no file selected")

    def _progress(self, _: str) -> None:
        at = self._machine.progress()
        self._say("Not SD printing" if at is None else f"SD printing byte {at[0]}/{at[1]}")

    def _open(self, name: str) -> None:
        if self._machine.faults.card_bytes <= sum(map(len, self._machine.card.values())):
            self._say(f"open failed, File: {name}.")
            return
        self._writing, self._lines, self._written = (name.upper(), []), 0, 0
        self._say(f"Writing to file: {name}")

    def _close(self, _: str) -> None:
        if self._writing is not None:
            name, lines = self._writing
            self._machine.card[name] = b"".join(lines)
            self._writing = None
        self._say("Done saving file.")

    def _delete(self, name: str) -> None:
        there = self._machine.card.pop(name.upper(), None) is not None
        self._say(f"File deleted:{name}" if there else f"Deletion failed, File: {name}.")

    def _clock(self, _: str) -> None:
        seconds = int(self._machine.clock_s())
        self._say(f"echo:Print time: {seconds // 3600}h {seconds // 60 % 60}m {seconds % 60}s")

    def _heat(self) -> None:
        nozzle, nozzle_target, bed, bed_target = self._machine.heat()
        self._say(f"ok T:{nozzle:.1f} /{nozzle_target:.1f} B:{bed:.1f} /{bed_target:.1f} @:64 B@:32")

    def _say(self, *lines: str) -> None:
        self._write("".join(f"{line}\n" for line in lines).encode())

    def lost(self) -> None:
        """The line has died while a file was being written: what there is of it stays, as on a real card."""
        if self._writing is not None:
            name, lines = self._writing
            self._machine.card[name] = b"".join(lines)


class MachineServer(socketserver.ThreadingTCPServer):
    """A simulated machine on a loopback port; 0 takes a free one. It can be made to vanish, and come back."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, machine: SimulatedMachine | None = None, port: int = 0) -> None:
        self.machine = machine or SimulatedMachine()
        self.random = random.Random(self.machine.seed)
        self.lines: list[socket.socket] = []
        super().__init__(("127.0.0.1", port), _Handler)
        self.machine.said = self._say

    @property
    def address(self) -> str:
        """Where it listens, as ``host:port``."""
        host, port = self.server_address[:2]
        return f"{host!s}:{port}"

    def drop(self) -> None:
        """Cut every line. With ``machine.faults.refusing`` nobody gets a new one."""
        for line in self.lines:
            with suppress(OSError):
                line.shutdown(socket.SHUT_RDWR)
        self.lines.clear()

    def _say(self, text: str) -> None:
        for line in self.lines:
            with suppress(OSError):
                line.sendall(text.encode() + b"\n")


class _Handler(socketserver.BaseRequestHandler):
    server: MachineServer

    def handle(self) -> None:
        server = self.server
        if server.machine.faults.refusing:
            return
        server.lines.append(self.request)
        talk = _Talk(server.machine, self.request.sendall, server.random)
        try:
            while data := self.request.recv(4096):
                talk.feed(data)
        except OSError:
            pass
        finally:
            talk.lost()
            if self.request in server.lines:
                server.lines.remove(self.request)

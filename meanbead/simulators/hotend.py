"""A hot end with hidden properties, simulated, on a console of its own: it heats, is fed, melts what it can, and what came
out can be laid on the simulated scale.

It knows what a flow test is to find out: knee, how steeply the output falls beyond it, from where strands curl and the drive
skips, and by how much the drive is off. Nothing in the application reads these; tests compare them with what was found.
"""

from __future__ import annotations

import math
import random
import re
import socketserver
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from meanbead.core.model.flow_test import STRANDS, Strand
from meanbead.simulators.console import Console

__all__ = ["FlowBench", "HiddenHotend", "HotendServer", "SimulatedHotend"]

ROOM_C = 22.0
_WORD = re.compile(r"([A-Z])(-?\d*\.?\d+)")


@dataclass(frozen=True)
class HiddenHotend:
    """What nobody knows at first. The knee, mm3/s, is that at 215 degrees C and grows by ``per_degree`` of itself a degree;
    curl and skip are multiples of the knee; ``drive`` is output over input at low flows; ``cut_mm`` is how far cuts are off."""

    knee_mm3_s: float = 13.4
    per_degree: float = 0.011
    fall: float = 0.55
    curl: float = 0.93
    skip: float = 1.55
    drive: float = 0.962
    cut_mm: float = 1.2
    density_g_cm3: float = 1.24
    diameter_mm: float = 1.75

    def knee_at(self, temp_c: float) -> float:
        """The knee at a temperature, mm3/s."""
        return self.knee_mm3_s * math.exp(self.per_degree * (temp_c - 215))

    def share(self, flow_mm3_s: float, temp_c: float) -> float:
        """Output over input at a flow."""
        beyond = max(0.0, flow_mm3_s / self.knee_at(temp_c) - 1)
        return self.drive * max(0.0, 1 - self.fall * beyond)

    def strand(self, flow_mm3_s: float, temp_c: float) -> Strand:
        """How the strand looks at a flow."""
        at = flow_mm3_s / self.knee_at(temp_c)
        signs = (self.curl, (self.curl + 1.1) / 2, 1.2, self.skip, 1.25 * self.skip)
        return STRANDS[sum(at >= sign for sign in signs)]


class SimulatedHotend:
    """What the console drives. ``hurry`` is how much faster than real time it goes."""

    def __init__(self, hidden: HiddenHotend | None = None, hurry: float = 1.0, seed: int = 1) -> None:
        self.hidden = hidden or HiddenHotend()
        self.temp_c, self.target_c, self.hurry = ROOM_C, 0.0, hurry
        self.collected_g, self.fed_mm = 0.0, 0.0
        self.last_flow_mm3_s = 0.0
        self._random = random.Random(seed)
        self._since = time.monotonic()

    def settle(self) -> None:
        """Let the block follow its target: about 2 degrees a second up, 1 down."""
        passed = (time.monotonic() - self._since) * self.hurry
        self._since = time.monotonic()
        target = self.target_c or ROOM_C
        step = passed * (2.0 if target > self.temp_c else 1.0)
        self.temp_c += max(-step, min(step, target - self.temp_c))

    def heat(self, temp_c: float, *, wait: bool) -> None:
        """Set a target; with ``wait`` it returns when that is reached."""
        self.settle()
        self.target_c = temp_c
        while wait and abs(self.temp_c - (temp_c or ROOM_C)) > 0.5:
            time.sleep(0.02)
            self.settle()

    def feed(self, length_mm: float, speed_mm_s: float) -> bool:
        """Push filament; False where the block is too cold for it."""
        self.settle()
        if self.temp_c < 170:
            return False
        area = math.pi * self.hidden.diameter_mm**2 / 4
        flow = speed_mm_s * area
        share = self.hidden.share(flow, self.temp_c) * (1 + self._random.gauss(0, 0.002))
        self.collected_g += length_mm * area * self.hidden.density_g_cm3 / 1000 * share
        self.fed_mm += length_mm
        self.last_flow_mm3_s = flow
        time.sleep(length_mm / speed_mm_s / self.hurry)
        return True

    def cut(self) -> None:
        """The strand so far falls away."""
        self.collected_g = 0.0

    def collect_g(self) -> float:
        """What hangs from the nozzle is cut off, not quite exactly, and laid on the scale, g."""
        area = math.pi * self.hidden.diameter_mm**2 / 4
        off = self._random.gauss(0, self.hidden.cut_mm) * area * self.hidden.density_g_cm3 / 1000
        return max(0.0, self.collected_g + off)


class FlowBench(Console):
    """The console of a simulated hot end. After each strand it says how that looks: a simulated eye."""

    def __init__(self, write: Callable[[bytes], object], hotend: SimulatedHotend, pace_s: float = 0.0) -> None:
        super().__init__(write, pace_s)
        self.hotend = hotend

    def _answer(self, command: str) -> None:
        code, _, rest = command.partition(" ")
        words = {letter: float(value) for letter, value in _WORD.findall(rest)}
        hotend = self.hotend
        if code in ("M104", "M109") and "S" in words:
            hotend.heat(words["S"], wait=code == "M109")
        elif code == "M105":
            hotend.settle()
            self._line(f"ok T:{hotend.temp_c:.1f} /{hotend.target_c:.1f} B:22.0 /0.0")
            return
        elif code == "G1" and "E" in words:
            if not hotend.feed(words["E"], words.get("F", 60.0) / 60):
                self._line("echo: cold extrusion prevented")
        elif code == "G4":
            hotend.cut()
        elif code == "M400":
            if hotend.last_flow_mm3_s:
                self._line(f"echo: strand {hotend.hidden.strand(hotend.last_flow_mm3_s, hotend.temp_c)}")
        elif code in ("G1", "G21", "G28", "G90", "M0", "M83", "M106", "M107", "M117"):
            pass
        else:
            super()._answer(command)
            return
        self._line("ok")


class HotendServer(socketserver.ThreadingTCPServer):
    """A flow bench on a loopback port; 0 takes a free one."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, hotend: SimulatedHotend, port: int = 0) -> None:
        self.hotend, self.line = hotend, threading.Lock()
        super().__init__(("127.0.0.1", port), _Handler)

    @property
    def address(self) -> str:
        """Where it listens, as ``host:port``."""
        host, port = self.server_address[:2]
        return f"{host!s}:{port}"


class _Handler(socketserver.BaseRequestHandler):
    server: HotendServer

    def handle(self) -> None:
        with self.server.line:  # a console has one cable
            bench = FlowBench(self.request.sendall, self.server.hotend)
            try:
                bench.greet()
                while data := self.request.recv(1024):
                    bench.feed(data)
            except OSError:
                return

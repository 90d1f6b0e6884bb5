"""Run a flow test over a machine's console, one strand at a time. Somebody stands beside it; nothing here goes on by itself."""

from __future__ import annotations

import re
import threading
from dataclasses import dataclass

from meanbead.core.errors import MeanBeadError
from meanbead.core.gcode.flow_program import heat_commands, step_commands, stop_commands
from meanbead.core.model.flow_test import STRANDS, FlowStep, Strand
from meanbead.devices.console import OpenConsole, open_console

__all__ = ["Ran", "heat", "read_temp_c", "run_step", "stop"]

SETTLE_S = 0.6
COLDER_C, HOTTER_C = 8.0, 15.0
"""A strand is not begun that far off its temperature."""

LONGEST_STRAND_S = 600.0
"""Switching off waits so long for a strand to end."""

_TEMP = re.compile(r"\bT:(-?\d+(?:\.\d+)?)")
_STRAND = re.compile(rf"\bstrand ({'|'.join(sorted(STRANDS, key=len, reverse=True))})\b")
_busy = threading.Lock()


@dataclass(frozen=True)
class Ran:
    """What a machine said of a strand: the temperature at its end, and how it looked where the machine has an eye."""

    temp_c: float | None
    strand: Strand | None


def heat(address: str, temp_c: float, fan: float, baud: int = 115_200) -> float | None:
    """Set a temperature without waiting for it, with the fan as one prints; returns the temperature now, degrees C."""
    return _told(address, heat_commands(temp_c, fan), baud).temp_c


def stop(address: str, baud: int = 115_200) -> float | None:
    """Heater and fan off; returns the temperature now, degrees C. A strand that is being fed is waited for."""
    return _told(address, stop_commands(), baud, patience_s=LONGEST_STRAND_S).temp_c


def read_temp_c(address: str, baud: int = 115_200) -> float | None:
    """The hot end's temperature, degrees C."""
    return _told(address, [], baud).temp_c


def run_step(address: str, step: FlowStep, baud: int = 115_200) -> Ran:
    """Feed one strand. Raises :class:`MeanBeadError` where the block is not near the step's temperature, or nothing answers."""
    return _told(address, step_commands(step), baud, longest_s=step.time_s + 30, at_c=step.temp_c)


def _check_temp(now_c: float | None, wanted_c: float) -> None:
    if now_c is not None and not wanted_c - COLDER_C <= now_c <= wanted_c + HOTTER_C:
        raise MeanBeadError(
            f"The hot end is at {now_c:.0f} °C, not at {wanted_c:g} °C.",
            field="temp_c",
            remedy="Heat it first, and wait until it holds.",
        )


def _told(
    address: str,
    commands: list[str],
    baud: int,
    longest_s: float = 20.0,
    at_c: float | None = None,
    patience_s: float = 1.0,
) -> Ran:
    if not _busy.acquire(timeout=patience_s):
        raise MeanBeadError(
            "The machine is at another strand.", field="address", remedy="Wait until that is out, then ask again."
        )
    try:
        with open_console(address, baud=baud) as console:
            console.listen(3.0, SETTLE_S)
            if at_c is not None:
                _check_temp(_temp(console), at_c)
            heard = "".join(console.command(command, longest_s) for command in commands)
            return Ran(_temp(console), _strand(heard))
    finally:
        _busy.release()


def _temp(console: OpenConsole) -> float | None:
    found = _TEMP.search(console.command("M105", 5.0))
    return None if found is None else float(found[1])


def _strand(heard: str) -> Strand | None:
    found = _STRAND.findall(heard)
    return found[-1] if found else None

"""What a machine's own start and end text takes, from replaying it: its moves and waits, and how it heats."""

from __future__ import annotations

import io
import re
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from meanbead.core.gcode.replay import replay
from meanbead.core.model.material import Material
from meanbead.core.model.nozzle import Nozzle
from meanbead.core.model.printer import Printer

__all__ = ["HOMING_S", "PROBING_S", "Routine", "read_routine", "with_routines"]

HOMING_S = 15.0
"""A homing of all axes. Typical: switches are approached twice, from wherever the head was left."""

PROBING_S = 60.0
"""Probing the bed's height at a grid of points. Typical."""

_PLACEHOLDER = re.compile(r"\{[a-z_]+\}")
_HEATING = re.compile(r"^\s*(M104|M109|M140|M190)\b", re.IGNORECASE)


@dataclass(frozen=True)
class Routine:
    """``time_s`` without heating; ``heating`` is in which order it heats, None where it heats nothing."""

    time_s: float
    heating: Literal["together", "bed_first"] | None
    filament_mm: float


def read_routine(text: str, printer: Printer, nozzle: Nozzle, material: Material) -> Routine:
    """Replay a start or end text. Words in braces stand for figures that a print fills in; for its time they do not matter.

    Homing and probing are not moves in the text: each counts with a typical time.
    """
    lines = [line.split(";", 1)[0] for line in text.splitlines()]
    # A text that moves nothing is no file to replay: a micrometre at its end makes it one, and takes two milliseconds.
    plain = "\n".join(_PLACEHOLDER.sub("200", line) for line in lines) + "\nG91\nG1 X0.001 F60000\n"
    told = replay(io.BytesIO(plain.encode("utf-8", "replace")), printer, nozzle=nozzle, material=material)
    homings = sum(1 for line in lines if re.match(r"\s*G28\b", line, re.IGNORECASE))
    probings = sum(1 for line in lines if re.match(r"\s*G29\b", line, re.IGNORECASE))
    time_s = told.print_time_s + HOMING_S * homings + PROBING_S * probings
    return Routine(time_s, _habit(lines), told.filament_mm)


def _habit(lines: list[str]) -> Literal["together", "bed_first"] | None:
    """Bed first where it waits for the bed before the nozzle is told to heat."""
    order = [found[1].upper() for line in lines if (found := _HEATING.match(line))]
    if not order:
        return None
    nozzle = next((at for at, code in enumerate(order) if code in ("M104", "M109")), len(order))
    waits = next((at for at, code in enumerate(order) if code == "M190"), len(order))
    return "bed_first" if waits < nozzle else "together"


@lru_cache(maxsize=256)
def with_routines(printer: Printer) -> Printer:
    """The printer with start and end times, and its habit of heating, as its own texts have them; as it is without texts."""
    if not printer.start_gcode.strip() and not printer.end_gcode.strip():
        return printer
    update: dict[str, object] = {}
    if printer.start_gcode.strip():
        start = read_routine(printer.start_gcode, printer, Nozzle(), Material())
        update["start_time_s"] = round(start.time_s, 3)
        if start.heating is not None:
            update["heating"] = start.heating
    if printer.end_gcode.strip():
        update["end_time_s"] = round(read_routine(printer.end_gcode, printer, Nozzle(), Material()).time_s, 3)
    return printer.model_copy(update=update)

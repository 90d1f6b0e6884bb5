"""A printer from the settings report that firmware prints on its console.

The report is a list of commands that would restore the settings: steps (M92), largest accelerations (M201) and speeds
(M203), accelerations by kind of move (M204), corners (M205). Lines may carry a prefix, a comment or line noise; what
is not one of these commands, whole to its end, is passed over.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from meanbead.core.errors import MeanBeadError
from meanbead.core.model.printer import Printer, ZScrew
from meanbead.core.text.explain import explain

__all__ = ["SettingsReport", "apply_settings", "printer_from_report"]

_COMMAND = re.compile(r"\b(M92|M201|M203|M204|M205)\b((?:\s+[A-Z]-?\d*\.?\d+)+)\s*$")
"""A command to the end of its line: what is damaged on the way must not be read as a smaller number."""
_WORD = re.compile(r"([A-Z])(-?\d*\.?\d+)")


@dataclass(frozen=True)
class SettingsReport:
    """What a report said: the printer, and the steps per mm by axis letter; of these the Z axis gives the full step
    and E the drive's."""

    printer: Printer
    steps_per_mm: dict[str, float]
    commands: int


def printer_from_report(text: str, base: Printer | None = None) -> SettingsReport:
    """Read a whole report into a copy of ``base``. Later lines win, as they do in the firmware.

    Raises :class:`MeanBeadError` when the text holds none of the commands.
    """
    printer = base or Printer()
    steps: dict[str, float] = {}
    commands = 0
    for line in text.splitlines():
        found = _COMMAND.search(line.split(";", 1)[0].upper())
        if found is None:
            continue
        words = {letter: float(value) for letter, value in _WORD.findall(found[2])}
        if found[1] == "M92":
            steps.update({letter: value for letter, value in words.items() if letter in "XYZE"})
        else:
            try:
                printer = apply_settings(printer, found[1], words)
            except MeanBeadError:
                continue  # a damaged number; the others stand
        commands += 1
    if not commands:
        raise MeanBeadError(
            "No settings were found in this text.",
            field="report",
            remedy="Send M503 to the machine's console and paste everything that it answers.",
        )
    printer = _with_z_steps(printer, steps.get("Z", 0.0))
    if 0 < steps.get("E", 0.0) <= 100_000:
        printer = printer.model_copy(update={"drive_steps_per_mm": steps["E"]})
    return SettingsReport(printer.model_copy(update={"limits_source": "set"}), steps, commands)


def _with_z_steps(printer: Printer, steps_per_mm: float) -> Printer:
    """A printer with the full step's height that its steps per mm mean, at the screw's microsteps, or 16, which is common.

    A screw that was described stays: its lead and gearing say more than a firmware's count, unless that tells otherwise.
    """
    if steps_per_mm <= 0:
        return printer
    microsteps = ZScrew().microsteps if printer.z_screw is None else printer.z_screw.microsteps
    step_mm = round(microsteps / steps_per_mm, 6)
    if not 0 < step_mm <= 1 or (printer.z_screw is not None and abs(printer.z_screw.full_step_mm - step_mm) < 1e-6):
        return printer
    return printer.model_copy(update={"z_screw": None, "z_step_mm": step_mm})


def apply_settings(printer: Printer, command: str, words: dict[str, float]) -> Printer:
    """A printer after one settings command.

    M203 gives mm/s. M204 knows P (print), R (retract), T (travel), and S for print and travel at once. M205 with J
    switches to junction deviation, with X, Y, Z or E to jerk. Values that are not positive are passed over. Raises
    :class:`MeanBeadError` for values that no machine has.
    """
    given = {letter.lower(): value for letter, value in words.items() if value > 0}
    axes = {letter: value for letter, value in given.items() if letter in "xyze"}
    update: dict[str, Any] = {}
    if command == "M201":
        update["max_acceleration_mm_s2"] = printer.max_acceleration_mm_s2.model_dump() | axes
    elif command == "M203":
        update["max_speed_mm_s"] = printer.max_speed_mm_s.model_dump() | axes
    elif command == "M204":
        both = {"print": given["s"], "travel": given["s"]} if "s" in given else {}
        named = {name: given[letter] for letter, name in _ACCELERATIONS.items() if letter in given}
        update["acceleration_mm_s2"] = printer.acceleration_mm_s2.model_dump() | both | named
    elif command == "M205":
        corner = printer.corner.model_dump()
        if "j" in given:
            corner |= {"law": "junction_deviation", "deviation_mm": given["j"]}
        elif axes:
            corner |= {"law": "jerk", "jerk_mm_s": printer.corner.jerk.model_dump() | axes}
        update["corner"] = corner
    try:
        return Printer.model_validate(printer.model_dump() | update)
    except ValidationError as problem:
        first = explain(problem, Printer)[0]
        raise MeanBeadError(f"{command} gives {first.field}: {first.message}", field="report") from None


_ACCELERATIONS = {"p": "print", "r": "retract", "t": "travel"}

"""A flow test as G-code, and as the commands of one step for a machine's console.

The file heats, lifts, purges, and then for each strand says what is to come, lets the melt settle at the new flow, waits for the
strand to be cut, feeds the measured length and stops until the person goes on. Nothing moves but Z, once, and the filament.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from meanbead.core.model.flow_test import FlowStep, FlowTestPlan
from meanbead.core.model.printer import Printer

__all__ = ["LIFT_MM", "Pause", "flow_program", "heat_commands", "step_commands", "stop_commands"]

Pause = Literal["button", "dwell"]
"""How the machine waits for the person: until a button is pressed (M0), or for a while (G4)."""

LIFT_MM = 80.0
LONGEST_FEED_MM = 50.0
"""Firmware refuses single feeds above some length."""

PURGE_MM, PURGE_MM_S = 40.0, 2.5
CUT_S = 4.0
DWELL_S = 40


def flow_program(plan: FlowTestPlan, printer: Printer, name: str, pause: Pause = "button") -> str:
    """The whole test as a file. Whoever runs it stays at the machine; it was tried on a simulated one only."""
    return "\n".join(_lines(plan, printer, name, pause)) + "\n"


def _lines(plan: FlowTestPlan, printer: Printer, name: str, pause: Pause) -> Iterator[str]:
    yield f"; flow test: {_plain(name)}"
    for caution in plan.cautions:
        yield f"; caution: {_plain(caution)}"
    yield f"; {plan.filament_mm / 1000:.2f} m, {plan.filament_g:.1f} g of filament"
    yield "G21"
    yield "G90"
    yield "G28"
    yield f"G1 Z{min(LIFT_MM, printer.bed_mm.z):.1f} F{min(600.0, printer.max_speed_mm_s.z * 60):.0f}"
    yield "M83"
    yield f"M106 S{round(255 * plan.fan)}" if plan.fan > 0 else "M107"
    temp: float | None = None
    for number, step in enumerate(plan.steps, start=1):
        if step.temp_c != temp:
            temp = step.temp_c
            yield f"M117 Heating to {temp:g} C"
            yield f"M109 S{temp:g}"
            yield "M117 Purging"
            yield from _feed(PURGE_MM, PURGE_MM_S)
            yield "M400"
        yield f"; step {number}: {step.flow_mm3_s:g} mm3/s at {step.temp_c:g} C"
        yield f"M117 {number}/{len(plan.steps)}: {step.flow_mm3_s:g} mm3/s settling"
        yield from step_commands(step, f"M117 Cut now, then {step.flow_mm3_s:g} mm3/s")
        yield f"M117 {number}/{len(plan.steps)}: cut, collect"
        yield f"M0 Cut and collect {step.flow_mm3_s:g} mm3/s" if pause == "button" else f"G4 S{DWELL_S}"
    yield from stop_commands()
    yield "M117 Flow test done"


def heat_commands(temp_c: float, fan: float) -> list[str]:
    """What a console is told before steps at a temperature: to heat without waiting, with the fan as one prints."""
    return [f"M106 S{round(255 * fan)}" if fan > 0 else "M107", f"M104 S{temp_c:g}"]


def step_commands(step: FlowStep, say: str = "") -> list[str]:
    """One strand: settle, a moment to cut, the measured length."""
    cut = ["M400", *([say] if say else []), f"G4 S{CUT_S:g}"]
    return ["M83", *_feed(step.settle_mm, step.speed_mm_s), *cut, *_feed(step.length_mm, step.speed_mm_s), "M400"]


def stop_commands() -> list[str]:
    """Heater and fan off."""
    return ["M104 S0", "M107"]


def _feed(length_mm: float, speed_mm_s: float) -> Iterator[str]:
    count = max(1, -(-length_mm // LONGEST_FEED_MM))
    for _ in range(int(count)):
        yield f"G1 E{length_mm / count:.5f} F{speed_mm_s * 60:.3f}"


def _plain(text: str) -> str:
    """A text as it may stand in a comment."""
    return " ".join("".join(letter if letter.isprintable() else " " for letter in text).split())

"""``meanbead flow plan`` and ``fit``: the flow test."""

from __future__ import annotations

import argparse
from pathlib import Path

from meanbead.cli.inputs import Commands, read
from meanbead.core.errors import MeanBeadError
from meanbead.core.model import Material, Nozzle, Printer
from meanbead.core.text.durations import duration

__all__ = ["add"]


def add(commands: Commands) -> None:
    """Add the command and its arguments."""
    flow = commands.add_parser("flow", help="the flow test: what to run, and what it says")
    kinds = flow.add_subparsers(required=True, metavar="plan|fit")
    planned = kinds.add_parser("plan", help="flows, lengths, time and grams of a test, or the file that runs it")
    for name, help_text in (("printer", "machine"), ("nozzle", "nozzle"), ("material", "plastic")):
        planned.add_argument(
            f"--{name}", metavar=f"{name[0].upper()}.json", type=Path, help=f"{help_text}; left out, a typical one"
        )
    planned.add_argument("--temp", metavar="C[,C]", type=_temps, required=True, help="temperatures, such as 205,220")
    planned.add_argument(
        "--fan", type=float, default=0.0, metavar="SHARE", help="share of the part fan, 0 to 1: as you print"
    )
    planned.add_argument("--scale", type=float, default=0.01, metavar="G", help="step in which the scale reads, g")
    planned.add_argument("--pause", choices=["button", "dwell"], default="button", help="how the machine waits for you")
    shown = planned.add_mutually_exclusive_group()
    shown.add_argument("--json", action="store_true", help="print one JSON object")
    shown.add_argument("--gcode", action="store_true", help="print the file that runs the test")
    planned.set_defaults(run=_flow_plan)
    fitted = kinds.add_parser("fit", help="knee, limits and drive from what came out")
    fitted.add_argument("test", metavar="TEST.json", type=Path)
    fitted.add_argument("--json", action="store_true", help="print one JSON object")
    fitted.set_defaults(run=_flow_fit)


def _flow_plan(arguments: argparse.Namespace) -> None:
    from meanbead.core.gcode.flow_program import flow_program
    from meanbead.core.learn.flow import plan_flow_test

    if not 0 <= arguments.fan <= 1:
        raise MeanBeadError("--fan: give a share from 0 to 1.", field="fan")
    if not 0 < arguments.scale <= 100:
        raise MeanBeadError("--scale: give the step in which the scale reads, in g, such as 0.01.", field="scale")
    printer, nozzle = read(arguments.printer, Printer), read(arguments.nozzle, Nozzle)
    material = read(arguments.material, Material)
    plan = plan_flow_test(printer, nozzle, material, arguments.temp, fan=arguments.fan, scale_g=arguments.scale)
    if arguments.gcode:
        print(flow_program(plan, printer, f"{material.name}, {nozzle.bore_mm:g} mm", arguments.pause), end="")
        return
    if arguments.json:
        print(plan.model_dump_json())
        return
    print(f"expected   knee at about {plan.expected_mm3_s:.1f} mm3/s ({plan.expected_source})")
    print(f"takes      {duration(plan.time_s)}, {plan.filament_mm / 1000:.1f} m, {plan.filament_g:.0f} g")
    for step in plan.steps:
        print(
            f"  {step.temp_c:g} C  {step.flow_mm3_s:6.1f} mm3/s   {step.speed_mm_s:6.2f} mm/s for {step.length_mm:g} mm, "
            f"{step.expected_g:.2f} g"
        )
    for sentence in (*plan.notes, *plan.cautions):
        print(f"mind       {sentence}")


def _flow_fit(arguments: argparse.Namespace) -> None:
    from meanbead.core.learn.flow import fit_flow_test
    from meanbead.core.model.flow_test import FlowTest

    test = read(arguments.test, FlowTest)
    if not test.points:
        raise MeanBeadError(f"{arguments.test.name}: points: there are none.", remedy="Give at least one strand.")
    fit = fit_flow_test(test)
    if arguments.json:
        print(fit.model_dump_json())
        return
    for entry in fit.by_temp:
        knee = entry.knee_mm3_s
        where = f"{entry.temp_c:g} C{' fan' if entry.fan else ''}"
        if knee is not None:
            print(f"{where:<10} knee {knee.value:.1f} mm3/s ({knee.low:.1f} to {knee.high:.1f})")
        elif entry.above_mm3_s is not None:
            print(f"{where:<10} no knee up to {entry.above_mm3_s:.1f} mm3/s")
        for word, value in (("straight to", entry.curl_mm3_s), ("skips from", entry.skip_seen_mm3_s)):
            if value is not None:
                print(f"{'':<10} {word} {value:.1f} mm3/s")
        if entry.plan_mm3_s is not None:
            print(f"{'':<10} plan up to {entry.plan_mm3_s:.1f} mm3/s")
    if fit.drive_ratio is not None:
        print(f"drive      {fit.drive_ratio.value:.3f} ({fit.drive_ratio.low:.3f} to {fit.drive_ratio.high:.3f})")
    print("enough is known" if fit.enough else f"next       {fit.next_flow_mm3_s:g} mm3/s at {fit.next_temp_c:g} C")
    for note in fit.notes:
        print(f"note       {note}")


def _temps(text: str) -> list[float]:
    try:
        return [float(entry) for entry in text.split(",") if entry]
    except ValueError:
        raise argparse.ArgumentTypeError(f"give degrees C, such as 205,220, not {text!r}") from None

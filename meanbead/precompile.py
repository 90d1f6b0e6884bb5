"""Compile the engine's hot loops once, so that the first estimate does not wait for it."""

from __future__ import annotations

import io

import numpy as np

from meanbead.core.advise.prospects import promises
from meanbead.core.estimate import Engine
from meanbead.core.estimate.detail import resting_share
from meanbead.core.estimate.job import PrintJob
from meanbead.core.gcode import replay
from meanbead.core.gcode.drawn import drawn_file
from meanbead.core.gcode.inspect import inspect_file
from meanbead.core.gcode.placeholders import SIMPLE_END, SIMPLE_START
from meanbead.core.gcode.program import write_program
from meanbead.core.learn.flow import fit_flow_test
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.day import Day
from meanbead.core.model.flow_test import FlowPoint, FlowTest
from meanbead.core.model.machine_file import FileOptions
from meanbead.core.part.picture import draw_solid
from meanbead.core.part.read import read_mesh
from meanbead.core.part.solid import make_solid
from meanbead.core.schedule.day import plan_day
from meanbead.demo.parts import as_stl, bin_tag


def main() -> None:
    """Run a small part through every compiled function; the machine code stays on disk."""
    solid = make_solid(read_mesh(as_stl(bin_tag()), "warm.stl"))
    engine = Engine()
    engine.estimate(PrintJob(solid, Recipe()))
    engine.estimate(PrintJob(solid, Recipe.model_validate({"infill": {"pattern": "gyroid"}})))
    corner = {"law": "junction_deviation", "deviation_mm": 0.02}
    engine.estimate(PrintJob(solid, Recipe(), Printer.model_validate({"corner": corner})))
    detail = engine.detail(PrintJob(solid, Recipe()))
    resting_share(detail.strokes, (0, 2))
    draw_solid(solid)
    lines = b"G1 X5 F600\nG1 X9 E1\n"
    replay(io.BytesIO(lines))
    drawn_file(io.BytesIO(lines), Printer(), Nozzle(), Material())
    filed = PrintJob(solid, Recipe(), Printer(start_gcode=SIMPLE_START, end_gcode=SIMPLE_END))
    text = b"".join(write_program(engine.run(filed), FileOptions(curves="arcs"), "warm"))
    inspect_file(lambda: io.BytesIO(text), filed.printer, filed.nozzle, filed.material)
    strands = [FlowPoint(flow_mm3_s=flow, temp_c=210, length_mm=300, mass_g=0.9) for flow in (5.0, 8.0, 11.0)]
    fit_flow_test(FlowTest(points=tuple(strands)))
    promises(np.ones((1, 2)), np.ones((1, 2)), np.zeros((1, 2)))
    jobs = [{"id": name, "time_s": 3600} for name in "ab"]
    plan_day(Day.model_validate({"machines": [{"id": "m"}], "jobs": jobs}), 0.5)


if __name__ == "__main__":
    main()

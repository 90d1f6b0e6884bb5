"""Writing files for machines and looking them over: against a Python loop that writes the same, and how memory grows with size.

``python -m benchmarks.files`` takes about a minute and a half. Ratios are of the same run; seconds are of the machine it ran on.
"""

from __future__ import annotations

import io
import math
import os
import resource
import tempfile
import time
from pathlib import Path
from typing import BinaryIO

import trimesh

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.gcode.inspect import inspect_file
from meanbead.core.gcode.placeholders import SIMPLE_END, SIMPLE_START
from meanbead.core.gcode.program import promise_of, write_program
from meanbead.core.gcode.write import write_gcode
from meanbead.core.model import Printer, Recipe
from meanbead.core.model.machine_file import FileOptions
from meanbead.core.part.read import RawMesh
from meanbead.core.part.solid import make_solid

LOOPED_BYTES = 20_000_000
"""Larger files are not written by the loop as well: it would take minutes."""

PRINTER = Printer(start_gcode=SIMPLE_START, end_gcode=SIMPLE_END)


def peak_mb() -> float:
    """The most memory that this process has held so far, MB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def main() -> None:
    """Print the figures."""
    engine = Engine(64 * 1024 * 1024)
    print(
        f"{'file':>10} {'write':>8} {'loop':>8} {'ratio':>6} {'look over':>10} {'strokes held':>13} {'more memory':>12}"
    )
    for copies, radius in ((1, 10.0), (1, 25.0), (4, 25.0), (12, 25.0)):
        mesh = trimesh.creation.icosphere(5, radius)
        solid = make_solid(RawMesh(mesh.vertices, mesh.faces), "mm")
        keys = {"layer_height_mm": 0.1, "infill": {"density": 0.3, "pattern": "gyroid"}, "copies": {"count": copies}}
        job = PrintJob(solid, Recipe.model_validate(keys), PRINTER)
        run = engine.run(job)
        before = peak_mb()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.gcode"
            started = time.perf_counter()
            with path.open("wb") as file:
                for piece in write_program(run, FileOptions(), "a ball"):
                    file.write(piece)
            wrote_s = time.perf_counter() - started
            size = os.path.getsize(path)
            loop_s = math.nan
            if size < LOOPED_BYTES:
                started = time.perf_counter()
                for _ in write_gcode(run.strokes, run.plan, PRINTER, run.ceiling.plan_mm3_s):
                    pass
                loop_s = time.perf_counter() - started
            started = time.perf_counter()

            def opened(path: Path = path) -> BinaryIO:
                return io.BufferedReader(path.open("rb", buffering=0), 1 << 20)

            seen = inspect_file(opened, PRINTER, job.nozzle, job.material, promise=promise_of(run))
            looked_s = time.perf_counter() - started
        assert not seen.wrong, seen.wrong
        held = (run.strokes.nbytes + run.timing.moves.nbytes) / 1e6
        print(
            f"{size / 1e6:8.1f}MB {wrote_s:7.2f}s {loop_s:7.2f}s {loop_s / wrote_s:6.1f} {looked_s:9.2f}s "
            f"{held:10.0f} MB {peak_mb() - before:9.0f} MB"
        )


if __name__ == "__main__":
    main()

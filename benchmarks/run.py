"""What is fast, as ratios against a named baseline in the same run: ``.venv/bin/python -m benchmarks.run``."""

from __future__ import annotations

import resource
import statistics
import time
from collections.abc import Callable

import numpy as np
import trimesh

from meanbead.core.estimate.engine import Engine, Job
from meanbead.core.part.read import RawMesh, read_mesh
from meanbead.core.part.slices import layer_stack, slice_solid
from meanbead.core.part.sound import Solid, make_sound
from meanbead.core.vocabulary import Material, Nozzle, Printer, Recipe
from tests.core.reference_motion import dense_time, jerk_corner


def waved_ball(subdivisions: int = 6) -> trimesh.Trimesh:
    """A ball with waves: 81,920 triangles at 6 subdivisions, about 65 mm high, curved everywhere."""
    ball = trimesh.creation.icosphere(subdivisions=subdivisions, radius=30)
    ball.vertices *= 1 + 0.1 * np.sin(ball.vertices[:, [0]] * 0.9) * np.sin(ball.vertices[:, [2]] * 0.8)
    return ball


def seconds(work: Callable[[], object], runs: int) -> float:
    """Median time of some runs, s."""
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return statistics.median(times)


def report(name: str, value: float, baseline_name: str, baseline: float) -> None:
    """One line: both times and their ratio."""
    print(f"{name:<34} {value:8.3f} s   {baseline_name:<34} {baseline:8.3f} s   ratio {baseline / value:7.1f}")


def edits(solid: Solid) -> None:
    """An edit against the cold estimate of the same part."""
    cold = seconds(lambda: Engine().estimate(Job(solid, Recipe())), 3)
    engine = Engine()
    engine.estimate(Job(solid, Recipe()))
    speeds, densities = iter(range(50, 200)), iter(range(16, 90))

    def change_speed() -> None:
        engine.estimate(Job(solid, Recipe.model_validate({"speed_mm_s": {"infill": next(speeds)}})))

    def change_infill() -> None:
        engine.estimate(Job(solid, Recipe.model_validate({"infill": {"density": next(densities) / 100}})))

    report("edit of a speed", seconds(change_speed, 5), "cold estimate", cold)
    report("edit of the infill", seconds(change_infill, 5), "cold estimate", cold)


def sections(solid: Solid) -> None:
    """Our sections against trimesh's own."""
    layers = layer_stack(float(solid.vertices[:, 2].max()), 0.2, 0.2)
    mesh = trimesh.Trimesh(solid.vertices, solid.faces, process=False)
    every = layers.middle_mm[::10]

    def baseline() -> None:
        for height in every:
            mesh.section([0, 0, 1], [0, 0, height])

    report(
        "sections of all layers",
        seconds(lambda: slice_solid(solid, layers), 3),
        "trimesh, all layers",
        10 * seconds(baseline, 1),
    )


def motion() -> None:
    """The compiled look-ahead against the plain-Python reference."""
    from meanbead.core.motion.lookahead import Moves, corner_speeds_jerk, limit_by_axis, plan_speeds

    rng = np.random.default_rng(1)
    count = 2000
    heading = np.cumsum(rng.uniform(-1.5, 1.5, count))
    unit = np.stack([np.cos(heading), np.sin(heading), np.zeros(count), np.full(count, 0.03)], axis=1)
    halt = np.zeros(count, dtype=bool)
    halt[0] = True
    moves = Moves(rng.uniform(0.1, 10, count), unit, np.full(count, 100.0), np.full(count, 1000.0), halt)
    jerk = np.array([8.0, 8.0, 0.4, 5.0])

    def ours() -> None:
        plan_speeds(moves, corner_speeds_jerk(unit, jerk, halt), limit_by_axis(unit, jerk))

    def reference() -> None:
        rest = (0.0, 0.0, 0.0, 0.0)
        rows = [tuple(row) for row in unit]
        corners = [jerk_corner(rest if k == 0 else rows[k - 1], rows[k], tuple(jerk)) for k in range(count)]
        dense_time(moves.length_mm, moves.speed_mm_s, moves.acceleration_mm_s2, corners, [0.0] * count, halt)

    ours()
    report("look-ahead, 2,000 moves", seconds(ours, 5), "reference in plain Python", seconds(reference, 1))


def main() -> None:
    """Run all."""
    mesh = waved_ball()
    data = mesh.export(file_type="stl")
    start = time.perf_counter()
    solid = make_sound(read_mesh(data, "ball.stl"))
    print(f"part: {len(solid.faces):,} triangles, read and checked in {time.perf_counter() - start:.2f} s")
    Engine().estimate(
        Job(make_sound(RawMesh(*_small())), Recipe(), Printer(), Nozzle(), Material())
    )  # load compiled code
    edits(solid)
    sections(solid)
    motion()
    print(f"peak memory of this run: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


def _small() -> tuple[np.ndarray, np.ndarray]:
    box = trimesh.creation.box((20, 20, 5))
    return np.asarray(box.vertices), np.asarray(box.faces)


if __name__ == "__main__":
    main()

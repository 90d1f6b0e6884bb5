"""What is fast, as ratios against a named baseline in the same run: ``.venv/bin/python -m benchmarks.run``."""

from __future__ import annotations

import io
import math
import resource
import statistics
import time
from collections.abc import Callable

import numpy as np
import shapely
import trimesh

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.gcode import replay
from meanbead.core.gcode.write import write_gcode
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.motion.limits import path_limits
from meanbead.core.motion.lookahead import straight_move_time_s
from meanbead.core.motion.paired_lookahead import plan_with_and_without
from meanbead.core.part.read import RawMesh, read_mesh
from meanbead.core.part.slices import layer_stack, slice_solid
from meanbead.core.part.solid import Solid, make_solid
from meanbead.core.recipe.resolve import resolve
from tests.core.motion.reference_motion import dense_time, jerk_corner


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


BASE = {"layer_height_mm": 0.2, "walls": 2, "infill": {"density": 0.15, "pattern": "grid"}}


def recipe(**keys: object) -> Recipe:
    """The benchmark's recipe with some keys changed."""
    return Recipe.model_validate(BASE | keys)


def stages(solid: Solid) -> None:
    """The whole estimate cold, against the obvious pipeline; then edits and samples against the cold estimate."""
    cold = seconds(lambda: Engine().estimate(PrintJob(solid, recipe())), 3)
    report("cold estimate", cold, "obvious pipeline, all layers", 20 * seconds(lambda: obvious(solid, 20), 1))
    engine = Engine()
    engine.estimate(PrintJob(solid, recipe()))
    numbers = iter(range(50, 400))

    def speed() -> None:
        engine.estimate(PrintJob(solid, recipe(speed_mm_s={"infill": next(numbers)})))

    def acceleration() -> None:
        engine.estimate(PrintJob(solid, recipe(acceleration_mm_s2={"print": 500 + next(numbers)})))

    def temperature() -> None:
        engine.estimate(PrintJob(solid, recipe(nozzle_temp_c=195 + next(numbers) / 20)))

    def infill() -> None:
        engine.estimate(PrintJob(solid, recipe(infill={"density": next(numbers) / 1000, "pattern": "grid"})))

    def sampled_walls() -> None:
        engine.estimate(PrintJob(solid, recipe(line_width_mm={"outer_wall": 0.4 + next(numbers) / 10_000})), layers=24)

    def sampled_speed() -> None:
        engine.estimate(PrintJob(solid, recipe(speed_mm_s={"solid": next(numbers)})), layers=24)

    sampled_speed()
    for name, work in (
        ("edit of a speed", speed),
        ("edit of an acceleration", acceleration),
        ("edit of the temperature", temperature),
        ("edit of the infill", infill),
        ("sample of 24 layers, new walls", sampled_walls),
        ("sample of 24 layers, new speed", sampled_speed),
    ):
        report(name, seconds(work, 5), "cold estimate", cold)


def obvious(solid: Solid, every: int) -> float:
    """The obvious way, for every n-th layer: a mesh library's section, one geometry call after the other for walls,
    skins and infill, the nearest stroke next, and a trapezoid for each move."""
    mesh = trimesh.Trimesh(solid.vertices, solid.faces, process=False)
    layers = layer_stack(float(solid.vertices[:, 2].max()), 0.2, 0.2)
    around, _ = slice_solid(solid, layers)  # neighbours' sections for the skins, not what is measured
    time_s = 0.0
    for index in range(0, len(layers), every):
        section = mesh.section([0, 0, 1], [0, 0, layers.middle_mm[index]])
        if section is None:
            continue
        rings = [shapely.Polygon(path[:, :2]) for path in section.discrete if len(path) > 3]
        region = shapely.union_all([shapely.make_valid(ring) for ring in rings])
        strokes = []
        for depth in (0.22, 0.62):
            strokes += _edges(region.buffer(-depth, join_style="mitre").boundary)
        inside = region.buffer(-0.82, join_style="mitre")
        sparse = inside
        for step in (-3, -2, -1, 1, 2, 3, 4):
            near = index + step
            sparse = sparse.intersection(around[near]) if 0 <= near < len(layers) else shapely.Polygon()
        for part, pitch in ((inside.difference(sparse), 0.4), (sparse, 5.3)):
            if part.is_empty:
                continue
            x0, y0, x1, y1 = part.bounds
            for x in np.arange(x0, x1, pitch):
                strokes += _edges(part.intersection(shapely.LineString([(x, y0), (x, y1)])))
            for y in np.arange(y0, y1, pitch) if pitch > 1 else ():
                strokes += _edges(part.intersection(shapely.LineString([(x0, y), (x1, y)])))
        time_s += _walked(strokes)
    return time_s


def _edges(lines: shapely.Geometry) -> list[np.ndarray]:
    return [shapely.get_coordinates(line) for line in shapely.get_parts(lines) if line.length > 0]


def _walked(strokes: list[np.ndarray]) -> float:
    at, total = np.zeros(2), 0.0
    while strokes:
        pick = min(range(len(strokes)), key=lambda k: math.hypot(*(strokes[k][0] - at)))
        points = np.vstack([at, strokes.pop(pick)])
        for step in np.diff(points, axis=0):
            total += straight_move_time_s(math.hypot(*step), 80, 1000)
        at = points[-1]
    return total


def growth() -> None:
    """Cold estimates on three sizes: layers at one mesh, triangles at one height."""
    ball = part(waved_ball(5))
    print("\nlayers      cold   per layer")
    for height in (0.4, 0.2, 0.1):
        keys = recipe(layer_height_mm=height, first_layer_height_mm=height)
        count = Engine().estimate(PrintJob(ball, keys)).layers
        time_s = seconds(lambda keys=keys: Engine().estimate(PrintJob(ball, keys)), 3)  # type: ignore[misc]
        print(f"{count:>6} {time_s:8.2f} s {1000 * time_s / count:8.2f} ms")
    print("triangles   cold   per thousand")
    for subdivisions in (5, 6, 7):
        solid = part(waved_ball(subdivisions))
        time_s = seconds(lambda solid=solid: Engine().estimate(PrintJob(solid, recipe())), 2)  # type: ignore[misc]
        print(f"{len(solid.faces):>9,} {time_s:6.2f} s {1e6 * time_s / len(solid.faces):8.2f} ms")


def sections(solid: Solid) -> None:
    """Our sections against trimesh's own."""
    layers = layer_stack(float(solid.vertices[:, 2].max()), 0.2, 0.2)
    mesh = trimesh.Trimesh(solid.vertices, solid.faces, process=False)
    every = layers.middle_mm[::20]

    def baseline() -> None:
        for height in every:
            mesh.section([0, 0, 1], [0, 0, height])

    report(
        "sections of all layers",
        seconds(lambda: slice_solid(solid, layers), 3),
        "trimesh, all layers",
        20 * seconds(baseline, 1),
    )


def replaying(solid: Solid) -> None:
    """G-code lines a second, on a plan written and read again."""
    plan = resolve(recipe(), Printer(), Nozzle(), Material())
    text = "\n".join(write_gcode(Engine().strokes(solid, plan), plan, Printer(), 9.0)).encode()
    lines = text.count(b"\n")
    time_s = seconds(lambda: replay(io.BytesIO(text)), 3)
    print(f"{'replay of G-code':<34} {time_s:8.3f} s   {lines:,} lines, {lines / time_s / 1e6:.2f} million a second")


def motion() -> None:
    """The compiled look-ahead against the plain-Python reference, and its pace."""
    rng = np.random.default_rng(1)

    def path(count: int) -> np.ndarray:
        heading = np.cumsum(rng.uniform(-1.5, 1.5, count))
        length = rng.uniform(0.1, 10, count)
        flat = np.zeros(count)
        return np.stack([length * np.cos(heading), length * np.sin(heading), flat, 0.03 * length], axis=1)

    def ours(delta: np.ndarray) -> None:
        count = len(delta)
        limits = path_limits(delta, np.full(count, 100.0), np.full(count, 1000.0), Printer())
        plan_with_and_without(limits, limits.speed_mm_s, np.zeros(count, dtype=bool))

    def reference(delta: np.ndarray) -> None:
        count = len(delta)
        length = np.hypot(delta[:, 0], delta[:, 1])
        rest, rows = (0.0, 0.0, 0.0, 0.0), [tuple(row) for row in delta / length[:, None]]
        jerk = (8.0, 8.0, 0.4, 5.0)
        corners = [jerk_corner(rest if k == 0 else rows[k - 1], rows[k], jerk) for k in range(count)]
        halt = np.zeros(count, dtype=bool)
        dense_time(length, np.full(count, 100.0), np.full(count, 1000.0), corners, [0.0] * count, halt)

    short, long = path(2000), path(1_000_000)
    ours(short)
    report(
        "look-ahead, 2,000 moves", seconds(lambda: ours(short), 5), "plain Python", seconds(lambda: reference(short), 1)
    )
    time_s = seconds(lambda: ours(long), 3)
    print(
        f"{'limits and look-ahead, both runs':<34} {time_s:8.3f} s   a million moves, {1 / time_s:.1f} million a second"
    )


def part(mesh: trimesh.Trimesh) -> Solid:
    """A mesh as a checked solid."""
    return make_solid(read_mesh(mesh.export(file_type="stl"), "ball.stl"))  # type: ignore[arg-type]


def main() -> None:
    """Run all."""
    Engine().estimate(PrintJob(make_solid(RawMesh(*_small())), Recipe()))  # load compiled code
    mesh = waved_ball(7)
    mesh.vertices *= 84 / np.ptp(mesh.vertices[:, 2])
    start = time.perf_counter()
    solid = part(mesh)
    print(f"part: {len(solid.faces):,} triangles, read and checked in {time.perf_counter() - start:.2f} s")
    Engine().estimate(PrintJob(solid, recipe()))
    stages(solid)
    print(f"peak memory so far: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")
    sections(solid)
    motion()
    replaying(solid)
    growth()


def _small() -> tuple[np.ndarray, np.ndarray]:
    box = trimesh.creation.box((20, 20, 5))
    return np.asarray(box.vertices), np.asarray(box.faces)


if __name__ == "__main__":
    main()

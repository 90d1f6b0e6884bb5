"""Tops in order: stroke beside stroke, and hardly longer than taking the nearest end next."""

import unittest
from typing import Any

import manifold3d
import numpy as np

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.model import Recipe
from meanbead.core.part.solid import Solid
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.planner import plan_strokes
from meanbead.core.strokes.sweep import returns_mm
from tests.support.solids import block, solid_of

THICK = 1.0
BARE: dict[str, Any] = {"adhesion": {"kind": "none"}, "layer_height_mm": 0.2, "first_layer_height_mm": 0.2}


def round_(radius: float, x: float = 0, y: float = 0, low: float = 0) -> manifold3d.Manifold:
    return manifold3d.Manifold.cylinder(THICK + 2, radius, circular_segments=96).translate((x, y, low))


def cut(shape: manifold3d.Manifold) -> Solid:
    return solid_of(shape.trim_by_plane((0, 0, -1), -THICK))


def letters() -> manifold3d.Manifold:
    """An E, an H and an O of bars 7 wide, joined by a foot."""
    e = block(7, 40, THICK) + block(22, 7, THICK) + block(22, 7, THICK, (0, 17, 0)) + block(22, 7, THICK, (0, 33, 0))
    h = block(7, 40, THICK, (30, 0, 0)) + block(7, 40, THICK, (46, 0, 0)) + block(20, 7, THICK, (31, 17, 0))
    o = round_(20, 80, 20) - round_(12, 80, 20, -1)
    return e + h + o + block(70, 4, THICK, (0, -2, 0))


def comb() -> manifold3d.Manifold:
    shape = block(90, 10, THICK)
    for k in range(9):
        shape += block(5, 40, THICK, (10.2 * k, 0, 0))
    return shape


def gear() -> manifold3d.Manifold:
    shape = round_(24) - round_(6, low=-1)
    for k in range(16):
        tooth = block(10, 5, THICK, (21, -2.5, 0)).rotate((0, 0, 22.5 * k))
        shape += tooth
    return shape


def plate() -> manifold3d.Manifold:
    shape = block(104, 104, THICK)
    for i in range(10):
        for j in range(10):
            shape -= round_(2.6, 7 + 10 * i, 7 + 10 * j, -1)
    return shape


FACES: dict[str, tuple[Any, int | None]] = {
    "square": (lambda: block(60, 60, THICK), 0),
    "disc": (lambda: round_(27), 0),
    "letters": (letters, None),
    "comb": (comb, 8),
    "gear": (gear, None),
    "plate with a hundred holes": (plate, 200),
    "ring": (lambda: round_(30) - round_(11, low=-1), 2),
    "stepped": (lambda: block(80, 40, 0.4) + block(45, 40, 0.4, (0, 0, 0.4)) + block(20, 40, 0.4, (0, 0, 0.6)), 0),
}
"""Each face, and how many returns it may have: none where it is convex, two a hole, one a tooth but the first."""


def tops(solid: Solid, keys: dict[str, Any]) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    shape = prepare(PrintJob(solid, Recipe.model_validate(BARE | keys))).plan.shape
    strokes = plan_strokes(solid, shape)
    rows = np.flatnonzero(strokes.feature == Feature.TOP)
    return strokes.start_xy[rows], strokes.end_xy[rows], strokes.width_mm[rows], strokes.layer[rows].astype(np.int64)


def returns_by_hand(start: np.ndarray, end: np.ndarray, width: np.ndarray, layer: np.ndarray) -> tuple[int, float]:
    """Every pair of strokes of a layer looked at: how many lie beside each other without following each other, and along how
    many millimetres."""
    count, total = 0, 0.0
    for number in np.unique(layer):
        rows = np.flatnonzero(layer == number)
        way = (end - start)[rows[np.argmax(np.hypot(*(end - start)[rows].T))]]
        way = way / np.hypot(*way)
        u = np.sort(np.c_[start[rows] @ way, end[rows] @ way], axis=1)
        v = start[rows] @ np.array([-way[1], way[0]])
        for i in range(len(rows)):
            apart = np.abs(v[i] - v[:i])
            both = np.minimum(u[i, 1], u[:i, 1]) - np.maximum(u[i, 0], u[:i, 0])
            old = (apart > 0.3 * width[rows[i]]) & (apart < 1.3 * width[rows[i]]) & (both > 0.05)
            old &= np.arange(i) != i - 1
            count, total = count + int(old.sum()), total + float(both[old].sum())
    return count, total


class Sweep(unittest.TestCase):
    def test_returns_are_none_on_convex_faces_and_two_a_hole_at_most(self) -> None:
        for name, (make, most) in FACES.items():
            solid = cut(make())
            for angle in (0, 27, 45):
                with self.subTest(name, angle=angle):
                    laid = tops(solid, {"skins": {"angle_deg": angle}})
                    count, total = returns_by_hand(*laid)
                    self.assertAlmostEqual(float(returns_mm(*laid).sum()), total, places=6)
                    if most is not None:
                        self.assertLessEqual(count, most)
                    if angle:
                        skins = {"angle_deg": angle, "order": "nearest"}
                        nearest, longer = returns_by_hand(*tops(solid, {"skins": skins}))
                        self.assertLess(count, nearest)
                        self.assertLess(total, longer)

    def test_takes_hardly_longer_than_the_nearest_end_next(self) -> None:
        for name, (make, _) in FACES.items():
            solid = cut(make())
            times = [
                Engine()
                .estimate(PrintJob(solid, Recipe.model_validate(BARE | {"skins": {"order": order}})))
                .print_time_s
                for order in ("sweep", "nearest", "one_way")
            ]
            self.assertLess(times[0], 1.05 * times[1], name)
            # All in one direction is the dearer wish.
            self.assertGreater(times[2], times[0], name)


if __name__ == "__main__":
    unittest.main()

"""Travel over the part: what is not retracted never leaves it, and hardly anything is retracted that does not."""

import unittest
from typing import Any

import manifold3d
import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.estimate.moves import Kind, moves_of
from meanbead.core.model import Printer, Recipe
from meanbead.core.model.house import HouseRules
from meanbead.core.model.plan import Plan
from meanbead.core.model.standards import Standards
from meanbead.core.part.solid import Solid
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.planner import StrokePlanner
from meanbead.core.strokes.table import Strokes
from tests.support.solids import block, cylinder, solid_of

BARE: dict[str, Any] = {"adhesion": {"kind": "none"}}


def rake() -> Solid:
    """A bar with seven tines, one of them with an eye."""
    whole = block(77, 8, 4)
    for k in range(7):
        whole += block(4, 26, 4, (12.1 * k, 0, 0))
    eye = manifold3d.Manifold.cylinder(9, 4, circular_segments=60).translate((40, 30, 0))
    return solid_of(whole + eye - manifold3d.Manifold.cylinder(9, 2.2, circular_segments=40).translate((40, 30, -1)))


def crate() -> Solid:
    """A crate of cells with a wall of 1.3 mm, a slit in one side."""
    whole = block(60, 40, 12)
    for i in range(3):
        for j in range(2):
            whole -= block(18.2, 17.9, 12, (1.3 + 19.6 * i, 1.4 + 19.3 * j, 1.2))
    return solid_of(whole - block(6, 5, 20, (27, -1, 4)))


def stepping_stones() -> Solid:
    """Five separate feet under one slab, which begin at the bed."""
    whole = block(50, 50, 3, (0, 0, 8))
    for x, y in ((2, 2), (38, 2), (20, 20), (2, 38), (38, 38)):
        whole += manifold3d.Manifold.cylinder(8, 5, circular_segments=48).translate((x + 5, y + 5, 0))
    return solid_of(whole)


PARTS = {"rake": rake, "crate": crate, "stepping stones": stepping_stones}
RECIPES: tuple[dict[str, Any], ...] = (
    {},
    {"walls": 1, "infill": {"density": 0.1, "pattern": "gyroid"}},
    {"walls": 0, "infill": {"density": 0.3}, "thin_walls": "fixed"},
    {"seam": "scattered", "infill": {"density": 0.0}},
)


def planned(solid: Solid, keys: dict[str, Any]) -> tuple[Strokes, Plan, Objects]:
    """Strokes of a part, their plan and the part's sections."""
    planner, plan = StrokePlanner(), prepare(PrintJob(solid, Recipe.model_validate(BARE | keys))).plan
    return planner.plan(solid, plan.shape), plan, planner.cut(solid, plan.shape).sections


def pulls_of(strokes: Strokes, plan: Plan) -> int:
    return int(np.sum(moves_of(strokes, plan, Printer()).kind == Kind.RETRACT))


def lines_of(strokes: Strokes, rows: NDArray[np.int64]) -> Objects:
    lines = shapely.linestrings(np.stack([strokes.start_xy[rows], strokes.end_xy[rows]], axis=1))
    return np.asarray(lines, dtype=object)


class Inside(unittest.TestCase):
    def test_nothing_that_is_not_retracted_leaves_the_section(self) -> None:
        for name, make in PARTS.items():
            solid = make()
            for keys in RECIPES:
                with self.subTest(name, keys=keys):
                    strokes, _, sections = planned(solid, keys)
                    rows = np.flatnonzero(strokes.inside & strokes.is_travel)
                    self.assertGreater(len(rows), 20)
                    bounds = shapely.buffer(sections, 0.02)
                    shapely.prepare(bounds)
                    self.assertTrue(bool(shapely.covers(bounds[strokes.layer[rows]], lines_of(strokes, rows)).all()))

    def test_outer_walls_are_crossed_by_no_more_than_a_way_in_a_hundred(self) -> None:
        for name, make in PARTS.items():
            strokes, _, _ = planned(make(), {})
            rows = np.flatnonzero(strokes.inside & strokes.is_travel)
            walls = np.flatnonzero(strokes.feature == Feature.OUTER_WALL)
            crossed = 0
            for layer in np.unique(strokes.layer[rows]).tolist():
                there = shapely.union_all(lines_of(strokes, walls[strokes.layer[walls] == layer]))
                ways = lines_of(strokes, rows[strokes.layer[rows] == layer])
                over = shapely.intersection(ways, there)
                at = shapely.line_locate_point(ways, shapely.centroid(over))
                points = shapely.get_type_id(over) == 0
                crossed += int(np.sum(points & (at > 0.05) & (at < shapely.length(ways) - 0.05)))
            self.assertLessEqual(crossed, len(rows) / 100, name)

    def test_a_rod_is_retracted_about_once_a_layer_at_most(self) -> None:
        rod = cylinder(15, 30)
        strokes, plan, _ = planned(rod, {})
        layers = len(strokes.layers)
        self.assertLessEqual(pulls_of(strokes, plan), 1.2 * layers)
        straight, plan, _ = planned(rod, {"travel": "straight"})
        self.assertGreater(pulls_of(straight, plan), 8 * layers)
        self.assertAlmostEqual(laid_mm3(strokes), laid_mm3(straight), delta=1e-6 * laid_mm3(straight))

    def test_two_towers_are_retracted_between_and_hardly_otherwise(self) -> None:
        towers = solid_of(block(12, 12, 10) + block(12, 12, 10, (30, 0, 0)))
        strokes, plan, _ = planned(towers, {})
        self.assertAlmostEqual(pulls_of(strokes, plan), len(strokes.layers), delta=0.1 * len(strokes.layers))

    def test_every_row_begins_where_the_one_before_ends(self) -> None:
        for keys in RECIPES:
            strokes, _, _ = planned(rake(), keys)
            np.testing.assert_allclose(strokes.start_xy[1:], strokes.end_xy[:-1], atol=1e-9)

    def test_zigzag_lays_no_more_for_travel_inside(self) -> None:
        turned = {"skins": {"pattern": "zigzag"}}
        laid = [laid_mm3(planned(rake(), turned | {"travel": way})[0]) for way in ("inside", "straight")]
        self.assertAlmostEqual(laid[0], laid[1], delta=1e-6 * laid[1])

    def test_supports_are_travelled_over_without_a_retraction(self) -> None:
        held = {"supports": {"kind": "columns"}}
        tee = solid_of(block(8, 30, 14) + block(60, 30, 3, (-26, 0, 14)))
        strokes, plan, _ = planned(tee, held)
        straight, as_before, _ = planned(tee, held | {"travel": "straight"})
        # From the stem to each side, and back.
        self.assertLess(pulls_of(strokes, plan), 4 * len(strokes.layers))
        self.assertLess(pulls_of(strokes, plan), pulls_of(straight, as_before) / 2)

    def test_a_house_that_retracts_at_every_hop_travels_straight(self) -> None:
        house = Standards(house=HouseRules(retraction="every_hop"))
        job = PrintJob(rake(), Recipe(), standards=house)
        self.assertEqual(prepare(job).plan.shape.travel, "straight")
        self.assertEqual(prepare(PrintJob(rake(), Recipe())).plan.shape.travel, "inside")


def laid_mm3(strokes: Strokes) -> float:
    return float(np.sum(strokes.area_mm2 * strokes.length_mm))


if __name__ == "__main__":
    unittest.main()

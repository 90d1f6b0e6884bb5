"""What lies on what: interfaces of trees on their beams, first strands over sparse filling, supports that find no room."""

import math
import unittest
from typing import Any

import manifold3d
import numpy as np
import shapely

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.model import Recipe
from meanbead.core.part.solid import Solid
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.filling import first_over_mm
from meanbead.core.strokes.planner import plan_strokes
from meanbead.core.strokes.table import Strokes
from tests.support.solids import block, box, solid_of, sphere, table

BARE: dict[str, Any] = {"adhesion": {"kind": "none"}}


def planned(solid: Solid, **keys: Any) -> Strokes:
    return plan_strokes(solid, prepare(PrintJob(solid, Recipe.model_validate(BARE | keys))).plan.shape)


def longest_free_mm(strokes: Strokes, feature: Feature) -> np.ndarray:
    """Of each stroke of a feature the longest stretch with no bead under it, mm."""
    lines = shapely.linestrings(np.stack([strokes.start_xy, strokes.end_xy], axis=1))
    found = []
    for layer in np.unique(strokes.layer[strokes.feature == feature]):
        under = np.flatnonzero((strokes.layer == layer - 1) & ~strokes.is_travel)
        below = shapely.union_all(shapely.buffer(lines[under], strokes.width_mm[under] / 2))
        for row in np.flatnonzero((strokes.layer == layer) & (strokes.feature == feature)):
            free = shapely.get_parts(shapely.difference(lines[row], below))
            found.append(float(shapely.length(free).max()) if len(free) else 0.0)
    return np.array(found)


def mushroom() -> Solid:
    stem = manifold3d.Manifold.cylinder(11, 4, circular_segments=64)
    return solid_of(stem + manifold3d.Manifold.cylinder(3, 17, circular_segments=96).translate((0, 0, 11)))


class Trees(unittest.TestCase):
    def test_no_line_of_an_interface_hangs_further_than_from_tip_to_tip(self) -> None:
        for solid in (table(30), solid_of(block(8, 30, 14) + block(60, 30, 3, (-26, 0, 14))), mushroom()):
            for spacing in (3.0, 4.0):
                strokes = planned(solid, supports={"kind": "trees", "spacing_mm": spacing})
                free = longest_free_mm(strokes, Feature.SUPPORT_INTERFACE)
                self.assertGreater(len(free), 20)
                self.assertLessEqual(free.max(), spacing)

    def test_beams_run_from_tip_to_tip(self) -> None:
        strokes = planned(table(30), supports={"kind": "trees"})
        top = int(strokes.layer[strokes.feature == Feature.SUPPORT_INTERFACE].min())
        beams = (strokes.layer == top - 1) & (strokes.feature == Feature.SUPPORT) & (strokes.length_mm > 10)
        self.assertGreater(int(beams.sum()), 4)
        self.assertLess(longest_free_mm(strokes, Feature.SUPPORT)[beams[strokes.feature == Feature.SUPPORT]].max(), 4.0)


class LeftOut(unittest.TestCase):
    def test_supports_that_find_no_room_beside_the_part_are_told(self) -> None:
        ball = sphere(14)
        held = {"supports": {"kind": "columns", "angle_deg": 43, "gap_mm": 3.0}}
        tight = {"supports": {"kind": "columns", "angle_deg": 43, "gap_mm": 0.2}}
        none, some = (Engine().estimate(PrintJob(ball, Recipe.model_validate(keys))) for keys in (held, tight))
        self.assertGreater(none.left_out_mm2, 100)
        self.assertLess(some.left_out_mm2, none.left_out_mm2)
        self.assertEqual(Engine().estimate(PrintJob(table(30), Recipe.model_validate(tight))).left_out_mm2, 0)
        self.assertEqual(Engine().estimate(PrintJob(ball, Recipe())).left_out_mm2, 0)


class FirstOver(unittest.TestCase):
    def test_no_more_is_laid_than_the_layer_and_the_sag_take(self) -> None:
        for height in (0.08, 0.12, 0.2, 0.28):
            for density in (0.1, 0.2, 0.3):
                keys = {"layer_height_mm": height, "infill": {"density": density}, "skins": {"over_sparse": "bridge"}}
                shape = prepare(PrintJob(box(30, 30, 5), Recipe.model_validate(BARE | keys))).plan.shape
                (strand,) = first_over_mm(np.array([height]), shape)
                gap = shape.width_mm.infill * (1 / density - 1)
                self.assertLessEqual(math.pi / 4 * strand, height + gap / 20 + 1e-9)
                self.assertLessEqual(strand, 0.4 * math.sqrt(shape.bridge_flow_ratio) + 1e-9)
                strokes = planned(box(30, 30, 5), **keys)
                rows = strokes.feature == Feature.BRIDGE
                laid = float((strokes.length_mm * strokes.area_mm2)[rows].sum())
                layers = len(np.unique(strokes.layer[rows]))
                inside = (30 - 2 * 2 * 0.4) ** 2
                self.assertLess(laid / layers / inside, 1.06 * (height + gap / 20))


if __name__ == "__main__":
    unittest.main()

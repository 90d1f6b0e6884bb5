"""Bridges and supports: what hangs over air."""

import math
import unittest

import numpy as np
import shapely

from meanbead.core.part.slices import layer_stack
from meanbead.core.strokes import Feature, plan_strokes
from meanbead.core.strokes.cut import CutInputs, cut_solid
from meanbead.core.strokes.stage import Remembered
from meanbead.core.strokes.supports import ScaffoldInputs, find_supports, overhangs
from tests.core.strokes.test_planner import HEIGHT, SPACING, WIDTH, length_of, shape_of
from tests.support.solids import block, box, cone, ledge, solid_of, sphere, table

PLAIN = {"layer_height_mm": HEIGHT, "first_layer_height_mm": HEIGHT}


class Bridges(unittest.TestCase):
    def test_run_across_the_short_span(self) -> None:
        for span in (8, 14):
            strokes = plan_strokes(table(span), shape_of(skins={"over_sparse": "solid"}))
            rows = strokes.feature == Feature.BRIDGE
            way = strokes.end_xy[rows] - strokes.start_xy[rows]
            along = np.abs(way[:, 0]) / np.hypot(*way.T)
            np.testing.assert_allclose(along, 1, atol=1e-9)
            layer = np.unique(strokes.layer[rows])
            self.assertEqual(len(layer), 1)
            self.assertAlmostEqual(strokes.layers.top_mm[layer[0]], 10 + HEIGHT)

    def test_strands_are_round_as_the_bore_and_the_flow_make_them(self) -> None:
        strokes = plan_strokes(table(10), shape_of(bridge_flow_ratio=0.9, skins={"over_sparse": "solid"}))
        rows = strokes.feature == Feature.BRIDGE
        np.testing.assert_allclose(strokes.area_mm2[rows], math.pi * 0.4**2 / 4 * 0.9)

    def test_what_rests_on_one_side_only_hangs_and_is_laid_as_a_bridge(self) -> None:
        reach, skins = 15, {"over_sparse": "solid"}
        strokes = plan_strokes(ledge(reach), shape_of(skins=skins))
        rows = strokes.feature == Feature.BRIDGE
        # What hangs ends at the walls, which reach over the post by nothing: the part's own edge.
        inside = (reach - 1.5 * SPACING - WIDTH / 2) * (20 - 2 * (1.5 * SPACING + WIDTH / 2))
        self.assertAlmostEqual(strokes.hanging.area_mm2 / inside, 1, delta=0.03)
        self.assertAlmostEqual(strokes.hanging.width_mm, reach - 1.5 * SPACING - WIDTH / 2, delta=0.2)
        self.assertAlmostEqual(float(strokes.layers.top_mm[strokes.hanging.layer]), 10 + HEIGHT)
        strand = 0.4 * math.sqrt(0.9)
        self.assertAlmostEqual(float(strokes.length_mm[rows].sum()) * strand / inside, 1, delta=0.05)
        np.testing.assert_allclose(strokes.area_mm2[rows], math.pi * strand**2 / 4)
        held = plan_strokes(ledge(reach), shape_of(skins=skins, supports={"kind": "columns"}))
        self.assertEqual((length_of(held, Feature.BRIDGE), held.hanging.area_mm2), (0, 0))
        self.assertGreater(length_of(held, Feature.BOTTOM), 0)

    def test_a_table_on_four_legs_hangs_but_over_its_legs(self) -> None:
        legs = [block(6, 6, 30, at) for at in ((0, 0, 0), (54, 0, 0), (0, 54, 0), (54, 54, 0))]
        solid = solid_of(block(60, 60, 3, (0, 0, 30)) + legs[0] + legs[1] + legs[2] + legs[3])
        strokes = plan_strokes(solid, shape_of(skins={"over_sparse": "solid"}))
        layer = round(30 / HEIGHT)
        self.assertEqual(strokes.hanging.layer, layer)
        edge = 1.5 * SPACING + WIDTH / 2
        self.assertAlmostEqual(strokes.hanging.area_mm2 / ((60 - 2 * edge) ** 2 - 4 * (6 - edge) ** 2), 1, delta=0.02)
        self.assertAlmostEqual(strokes.hanging.width_mm, 60 - 2 * edge, delta=0.3)
        here = strokes.layer == layer
        self.assertGreater(length_of(strokes, Feature.BRIDGE), 8000)
        self.assertLess(float(strokes.length_mm[here & (strokes.feature == Feature.BOTTOM)].sum()), 400)

    def test_a_floor_on_the_bed_is_no_bridge(self) -> None:
        strokes = plan_strokes(box(20, 20, 3), shape_of(skins={"over_sparse": "solid"}))
        self.assertEqual(length_of(strokes, Feature.BRIDGE), 0)


class OverSparse(unittest.TestCase):
    """The first solid layer over sparse filling."""

    def layers(self, **keys: object) -> tuple[list[int], list[int]]:
        strokes = plan_strokes(box(30, 20, 4), shape_of(top_layers=4, bottom_layers=3, **keys))
        return tuple(  # type: ignore[return-value]
            sorted(set(strokes.layer[strokes.feature == feature].tolist()))
            for feature in (Feature.BRIDGE, Feature.SOLID)
        )

    def test_is_laid_by_the_gap_as_solid_or_as_bridges(self) -> None:
        # 20 layers: the top is 19, solid from 16 on; 1 and 2 lie on the floor.
        for density, choice, first in (
            (0.15, None, [16]),
            (0.49, None, [16]),
            (0.51, None, []),
            (0.15, "solid", []),
            (0.7, "bridge", [16]),
            (1.0, "bridge", []),
        ):
            bridges, solid = self.layers(infill={"density": density}, skins={"over_sparse": choice})
            self.assertEqual(bridges, first, f"{density} {choice}")
            self.assertEqual(16 in solid, not first)

    def test_where_the_top_steps_each_step_has_its_own(self) -> None:
        stair = solid_of(block(20, 20, 4) + block(10, 20, 4, (0, 0, 4)))
        strokes = plan_strokes(stair, shape_of(top_layers=3, bottom_layers=2))
        rows = strokes.feature == Feature.BRIDGE
        self.assertEqual(sorted(set(strokes.layer[rows].tolist())), [17, 37])
        lower = rows & (strokes.layer == 17)
        self.assertTrue(np.all(strokes.start_xy[lower, 0] > -0.5))


def scaffold(solid, **keys: object):
    shape = shape_of(first_layer_height_mm=HEIGHT, supports={"kind": "columns", **keys})
    cut = cut_solid(CutInputs.of(solid, shape))
    return find_supports(ScaffoldInputs(Remembered("cut", cut), shape.supports)), cut


class Overhangs(unittest.TestCase):
    def test_of_a_cone_on_its_tip_begin_at_the_angle(self) -> None:
        """A cone that widens by its half angle needs support if and only if that is more than the limit."""
        layers = layer_stack(20, HEIGHT, HEIGHT)
        for radius, lean in ((20, 45), (20 * math.tan(math.radians(30)), 30)):
            circles = np.array(
                [shapely.Point(0, 0).buffer(radius * z / 20, 64) for z in layers.middle_mm], dtype=object
            )
            for limit in (lean - 6, lean + 6):
                free = shapely.area(overhangs(circles, layers, limit))[40:]
                self.assertEqual(bool(free.any()), limit < lean)

    def test_stand_under_the_whole_ledge_down_to_the_bed(self) -> None:
        found, cut = scaffold(ledge(15), gap_mm=0, gap_layers=0, interface_layers=2)
        below = int(10 / HEIGHT)
        areas = shapely.area(found.sparse) + shapely.area(found.dense)
        reach = HEIGHT * math.tan(math.radians(50))
        np.testing.assert_allclose(areas[:below], (15 - reach) * 20, rtol=0.03)
        self.assertEqual(areas[below:].sum(), 0)
        self.assertEqual(np.flatnonzero(shapely.area(found.dense)).tolist(), [below - 2, below - 1])
        self.assertEqual(len(cut.layers), 60)

    def test_under_a_ball_the_whole_steep_cap_is_carried(self) -> None:
        """A ball leans more than the limit where its radius is below r sin(90 - limit): a disc of that size."""
        found, _ = scaffold(sphere(12), gap_mm=0, gap_layers=0, interface_layers=0, angle_deg=50)
        at_bed = found.sparse[0].area + math.pi * (12**2 - (12 - HEIGHT / 2) ** 2)
        self.assertAlmostEqual(at_bed / (math.pi * (12 * math.cos(math.radians(50))) ** 2), 1, delta=0.08)

    def test_gaps_keep_the_part_free(self) -> None:
        found, cut = scaffold(ledge(15), gap_mm=0.6, gap_layers=2)
        both = [shapely.union(a, b) for a, b in zip(found.sparse, found.dense, strict=True)]
        top = int(np.flatnonzero(shapely.area(np.array(both, dtype=object)))[-1])
        self.assertEqual(top, int(10 / HEIGHT) - 1 - 2)
        for layer in (0, 20, top):
            self.assertGreater(shapely.distance(both[layer], cut.sections[layer]), 0.54)

    def test_from_the_bed_only_nothing_stands_on_the_part(self) -> None:
        shelf = solid_of(block(20, 20, 2) + block(4, 20, 20) + block(14, 20, 2, (0, 0, 18)))
        anywhere, _ = scaffold(shelf)
        bed_only, _ = scaffold(shelf, bed_only=True)
        self.assertGreater(shapely.area(anywhere.sparse).sum(), 100)
        self.assertEqual(shapely.area(bed_only.sparse).sum(), 0)

    def test_trees_take_less_plastic_than_columns_and_reach_the_bed(self) -> None:
        tall = ledge(20, height=30)
        lengths = {}
        for kind in ("columns", "trees"):
            strokes = plan_strokes(
                tall, shape_of(supports={"kind": kind, "spacing_mm": 2.5 if kind == "columns" else 5})
            )
            lengths[kind] = length_of(strokes, Feature.SUPPORT)
            self.assertGreater(length_of(strokes, Feature.SUPPORT_INTERFACE), 0)
            self.assertIn(0, strokes.layer[strokes.feature == Feature.SUPPORT])
        self.assertGreater(lengths["trees"], 0)
        self.assertLess(lengths["trees"], lengths["columns"])

    def test_none_are_laid_where_nothing_hangs(self) -> None:
        strokes = plan_strokes(cone(10, 12), shape_of(supports={"kind": "columns"}))
        self.assertEqual(length_of(strokes, Feature.SUPPORT), 0)

"""Bridges and supports: what hangs over air."""

import math
import unittest

import numpy as np
import shapely

from meanbead.core.part.slices import layer_stack
from meanbead.core.strokes import Feature, plan_strokes
from meanbead.core.strokes.outline import cut_solid
from meanbead.core.strokes.supports import find_supports, overhangs
from tests.core.test_strokes import HEIGHT, length_of, shape_of
from tests.support.solids import block, box, cone, ledge, solid_of, sphere, table

PLAIN = {"layer_height_mm": HEIGHT, "first_layer_height_mm": HEIGHT}


class Bridges(unittest.TestCase):
    def test_run_across_the_short_span(self) -> None:
        for span in (8, 14):
            strokes = plan_strokes(table(span), shape_of())
            rows = strokes.feature == Feature.BRIDGE
            way = strokes.end_xy[rows] - strokes.start_xy[rows]
            along = np.abs(way[:, 0]) / np.hypot(*way.T)
            np.testing.assert_allclose(along, 1, atol=1e-9)
            layer = np.unique(strokes.layer[rows])
            self.assertEqual(len(layer), 1)
            self.assertAlmostEqual(strokes.layers.top_mm[layer[0]], 10 + HEIGHT)

    def test_strands_are_round_as_the_bore_and_the_flow_make_them(self) -> None:
        strokes = plan_strokes(table(10), shape_of(bridge_flow_ratio=0.9))
        rows = strokes.feature == Feature.BRIDGE
        np.testing.assert_allclose(strokes.area_mm2[rows], math.pi * 0.4**2 / 4 * 0.9)

    def test_what_rests_on_one_side_only_is_no_bridge(self) -> None:
        strokes = plan_strokes(ledge(15), shape_of())
        self.assertEqual(length_of(strokes, Feature.BRIDGE), 0)
        self.assertGreater(length_of(strokes, Feature.BOTTOM), 0)

    def test_a_floor_on_the_bed_is_no_bridge(self) -> None:
        self.assertEqual(length_of(plan_strokes(box(20, 20, 3), shape_of()), Feature.BRIDGE), 0)


def scaffold(solid, **keys: object):
    shape = shape_of(first_layer_height_mm=HEIGHT, supports={"kind": "columns", **keys})
    cut = cut_solid(solid, shape)
    return find_supports(cut.sections, cut.layers, shape.supports), cut


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

"""Every choice of a recipe changes the strokes the way it changes the print."""

import math
import unittest
from typing import Any

import numpy as np
from hypothesis import given
from pydantic import ValidationError

from meanbead.core.errors import RecipeError
from meanbead.core.formulas.bead import SIDE_LOSS
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.plan import SlopeHeights
from meanbead.core.part.heights import slope_layers
from meanbead.core.recipe.resolve import resolve
from meanbead.core.strokes import Feature, Strokes, plan_strokes
from meanbead.core.strokes.cut import CutInputs, cut_solid
from tests.core.strokes.test_planner import HEIGHT, SPACING, WIDTH, length_of, shape_of, volume_of
from tests.support.any_recipe import recipes
from tests.support.solids import block, box, cone, cylinder, solid_of, sphere


class Resolving(unittest.TestCase):
    @given(recipes())
    def test_a_full_recipe_means_itself(self, keys: dict[str, Any]) -> None:
        try:
            plan = resolve(Recipe.model_validate(keys), Printer(), Nozzle(), Material())
        except RecipeError as problem:
            self.assertTrue(problem.field)
            return
        self.assertEqual(resolve(plan.as_recipe(), Printer(), Nozzle(), Material()), plan)

    def test_thickness_gives_the_layers_that_reach_it(self) -> None:
        shape = shape_of(skins={"top_mm": 0.7, "bottom_mm": 0.6})
        self.assertEqual((shape.top_layers, shape.bottom_layers), (4, 3))

    def test_contradictions_name_the_field(self) -> None:
        for keys, field in (
            ({"variable_height": {"kind": "by_slope", "min_mm": 0.3, "max_mm": 0.2}}, "variable_height.max_mm"),
            ({"variable_height": {"kind": "by_slope", "full_steps": True}}, "variable_height.full_steps"),
            ({"spiral": True}, "spiral"),
        ):
            with self.assertRaises(RecipeError) as caught:
                hollow = solid_of(block(20, 20, 6) - block(6, 10, 9, (2, 5, -1)) - block(6, 10, 9, (12, 5, -1)))
                plan_strokes(hollow, shape_of(**keys))
            self.assertEqual(caught.exception.field, field)
        with self.assertRaises(ValidationError):
            Recipe.model_validate({"height_ranges": [{"from_mm": 3, "to_mm": 2}]})


class Walls(unittest.TestCase):
    def test_order(self) -> None:
        for order, first in (("inside_out", Feature.INNER_WALL), ("outside_in", Feature.OUTER_WALL)):
            strokes = plan_strokes(box(20, 20, 2), shape_of(wall_order=order, walls=3))
            for layer in range(3):
                rows = (strokes.layer == layer) & ~strokes.is_travel
                self.assertEqual(strokes.feature[rows][0], first)

    def test_height_ranges_have_their_own_walls_skins_and_infill(self) -> None:
        ranges = [{"from_mm": 2, "to_mm": 4, "walls": 5, "infill_density": 0.6}]
        strokes = plan_strokes(box(30, 30, 6), shape_of(height_ranges=ranges, top_layers=1, bottom_layers=1))
        middle = strokes.layers.middle_mm[strokes.layer]
        within, outside = (middle > 2) & (middle < 4), (middle > 1) & (middle < 2)
        inner = strokes.feature == Feature.INNER_WALL
        walls = [sum(4 * (30 - 2 * (WIDTH / 2 + k * SPACING)) for k in range(1, count)) for count in (5, 2)]
        self.assertAlmostEqual(strokes.length_mm[inner & within].sum() / 10, walls[0], places=5)
        self.assertAlmostEqual(strokes.length_mm[inner & outside].sum() / 5, walls[1], places=5)
        infill = strokes.feature == Feature.INFILL
        side = [30 - 2 * (WIDTH / 2 + (count - 0.5) * SPACING) for count in (5, 2)]
        self.assertAlmostEqual(strokes.length_mm[infill & within].sum() / 10 * SPACING / side[0] ** 2, 0.6, delta=0.04)
        self.assertAlmostEqual(strokes.length_mm[infill & outside].sum() / 5 * SPACING / side[1] ** 2, 0.2, delta=0.035)

    def test_spiral_is_one_stroke_without_travel(self) -> None:
        strokes = plan_strokes(cylinder(10, 8), shape_of(spiral=True, walls=1, bottom_layers=2))
        above = strokes.layer > 2
        self.assertEqual(set(strokes.feature[above]), {Feature.OUTER_WALL})
        np.testing.assert_allclose(strokes.end_xy[:-1][above[1:]], strokes.start_xy[1:][above[1:]])
        turn = 2 * math.pi * (10 - WIDTH / 2)
        self.assertAlmostEqual(float(strokes.length_mm[above].sum()) / (37 * turn), 1, delta=0.005)


class Seams(unittest.TestCase):
    def starts(self, seam: str, solid=None) -> np.ndarray:
        strokes = plan_strokes(
            solid or cylinder(12, 6, sections=90), shape_of(seam=seam, walls=1, infill={"density": 0})
        )
        outer = strokes.feature == Feature.OUTER_WALL
        first = outer & np.r_[True, ~outer[:-1]]
        return strokes.start_xy[first]

    def test_back_is_one_line_and_scattered_is_all_around(self) -> None:
        self.assertLess(np.ptp(self.starts("back"), axis=0).max(), 1e-6)
        angles = np.arctan2(*self.starts("scattered").T)
        counts, _ = np.histogram(angles, bins=6, range=(-math.pi, math.pi))
        self.assertGreater(counts.min(), 0)

    def test_corner_is_the_sharpest(self) -> None:
        drop = solid_of(cylinder(8, 4).manifold + block(10, 10, 4).rotate((0, 0, 45)))
        starts = self.starts("corner", drop)
        np.testing.assert_allclose(starts[:, 1].max() - starts[:, 1], 0, atol=0.02)

    def test_scattered_costs_travel(self) -> None:
        travel = {
            s: length_of(plan_strokes(cylinder(12, 6), shape_of(seam=s)), Feature.TRAVEL)
            for s in ("nearest", "scattered")
        }
        self.assertGreater(travel["scattered"], 1.1 * travel["nearest"])


class Skins(unittest.TestCase):
    def test_one_way_strokes_all_point_the_same_way(self) -> None:
        strokes = plan_strokes(box(20, 20, 2), shape_of(skins={"order": "one_way", "angle_deg": 0}))
        rows = strokes.feature == Feature.TOP
        way = (strokes.end_xy - strokes.start_xy)[rows]
        layer = strokes.layer[rows]
        for number in np.unique(layer):
            self.assertEqual(len({tuple(np.sign(w.round(6))) for w in way[layer == number]}), 1)

    def test_zigzag_lays_its_turns(self) -> None:
        lines, zigzag = (
            plan_strokes(box(20, 20, 2), shape_of(skins={"pattern": p, "over_sparse": "solid"}))
            for p in ("lines", "zigzag")
        )
        self.assertLess(zigzag.is_travel.sum(), 0.3 * lines.is_travel.sum())
        self.assertAlmostEqual(
            volume_of(zigzag) - volume_of(lines),
            float((zigzag.areas.overfilled_mm2 - lines.areas.overfilled_mm2).sum()) * HEIGHT,
            places=6,
        )

    def test_concentric_fills_a_disc(self) -> None:
        strokes = plan_strokes(cylinder(15, 1), shape_of(infill={"density": 1.0}, skins={"pattern": "concentric"}))
        expected = math.pi * (15 - HEIGHT * SIDE_LOSS / 2) ** 2
        self.assertAlmostEqual(volume_of(strokes) / expected, 1, delta=0.01)

    def test_overlap_reaches_into_the_walls_and_is_reported(self) -> None:
        plain, deep = (
            plan_strokes(box(20, 20, 1), shape_of(skins={"overlap_mm": o}, infill={"density": 1.0})) for o in (0, 0.1)
        )
        side = 20 - 2 * (WIDTH / 2 + 1.5 * SPACING)
        more = (side + 0.2) ** 2 - side**2
        self.assertAlmostEqual(volume_of(deep) - volume_of(plain), more * 1, delta=0.03 * more)
        np.testing.assert_allclose(deep.areas.overfilled_mm2, more, rtol=0.05)

    def test_ironing_time_and_plastic_follow_spacing_and_flow(self) -> None:
        keys = {"kind": "all_tops", "spacing_mm": 0.15, "flow": 0.2, "inset_mm": 0.5}
        strokes = plan_strokes(box(40, 30, 2), shape_of(ironing=keys))
        depth = WIDTH / 2 + 1.5 * SPACING + 0.5
        area = (40 - 2 * depth) * (30 - 2 * depth)
        rows = strokes.feature == Feature.IRONING
        self.assertAlmostEqual(float(strokes.length_mm[rows].sum()) / (area / 0.15), 1, delta=0.01)
        self.assertAlmostEqual(
            float((strokes.length_mm * strokes.area_mm2)[rows].sum()) / (area * HEIGHT * 0.2), 1, delta=0.01
        )

    def test_ironing_the_topmost_leaves_lower_steps(self) -> None:
        step = solid_of(block(20, 20, 2) + block(10, 20, 4))
        laid = {
            kind: length_of(plan_strokes(step, shape_of(ironing={"kind": kind})), Feature.IRONING)
            for kind in ("topmost", "all_tops")
        }
        self.assertGreater(laid["topmost"], 0)
        self.assertGreater(laid["all_tops"], 1.5 * laid["topmost"])


class Adaptive(unittest.TestCase):
    def test_is_as_dense_as_asked_near_the_surface_and_a_quarter_deep_inside(self) -> None:
        infill = {"density": 0.24, "pattern": "adaptive"}
        strokes = plan_strokes(box(90, 90, 40), shape_of(walls=1, top_layers=0, bottom_layers=0, infill=infill))
        rows = strokes.feature == Feature.INFILL
        middle = (strokes.start_xy + strokes.end_xy)[rows] / 2
        height, length = strokes.layers.middle_mm[strokes.layer[rows]], strokes.length_mm[rows]
        low = height < 3.5
        area = (90 - 2 * (WIDTH / 2 + SPACING / 2)) ** 2
        layers = np.count_nonzero(strokes.layers.middle_mm < 3.5)
        self.assertAlmostEqual(length[low].sum() * SPACING / (area * layers), 0.24, delta=0.01)
        core = (np.abs(height - 20) < 5) & (np.abs(middle).max(axis=1) < 30)
        self.assertLess(length[core].sum() * SPACING, 0.24 * 0.6 * 60 * 60 * 50)


class Heights(unittest.TestCase):
    def test_no_ridge_is_higher_than_asked_and_no_step_too_large(self) -> None:
        asked = SlopeHeights(0.08, 0.32, 0.06, 0.04, 0.0)
        ball = sphere(15)
        layers = slope_layers(ball, 0.2, asked)
        self.assertAlmostEqual(layers.top_mm[-1], 30, places=3)
        self.assertTrue(np.all((layers.height_mm >= 0.08 - 1e-9) & (layers.height_mm <= 0.32 + 1e-9)))
        self.assertLessEqual(np.abs(np.diff(layers.height_mm[1:])).max(), 0.04 + 1e-6)
        # On the ball the normal's upright share is |z - r| / r.
        middle = layers.middle_mm
        ridge = layers.height_mm * np.abs(middle - 15) / 15
        free = (layers.height_mm > 0.081) & (middle > 0.2)
        self.assertLess(ridge[free].max(), 0.062)

    def test_they_end_exactly_on_top_within_their_bounds(self) -> None:
        for height in np.arange(0.5, 12, 0.37):
            for solid in (cylinder(10, height, 32), cone(10, height, 32)):
                asked = SlopeHeights(0.08, 0.3, 0.05, 0.06, 0.0)
                layers = slope_layers(solid, 0.2, asked)
                self.assertAlmostEqual(layers.top_mm[-1], height, delta=1.1e-3)
                self.assertTrue(np.all((layers.height_mm >= 0.08 - 1e-9) & (layers.height_mm <= 0.3 + 1e-9)))
                self.assertLessEqual(np.abs(np.diff(layers.height_mm[1:])).max(initial=0.0), 0.06 + 1e-6)

    def test_an_upright_wall_takes_the_highest_and_full_steps_are_kept(self) -> None:
        layers = slope_layers(cylinder(10, 20), 0.2, SlopeHeights(0.08, 0.3, 0.05, 0.3, 0.04))
        np.testing.assert_allclose(layers.height_mm[1:], 0.28, atol=1e-9)
        steps = layers.height_mm[1:] / 0.04
        np.testing.assert_allclose(steps, steps.round(), atol=1e-6)

    def test_layers_follow_the_recipe(self) -> None:
        shape = shape_of(variable_height={"kind": "by_slope", "min_mm": 0.1, "max_mm": 0.3})
        cut = cut_solid(CutInputs.of(cone(15, 15), shape))
        self.assertGreater(len(np.unique(cut.layers.height_mm.round(3))), 1)


class Start(unittest.TestCase):
    def test_brim_in_holes_too(self) -> None:
        washer = solid_of(cylinder(20, 2).manifold - cylinder(12, 6).manifold.translate((0, 0, -2)))
        outer, both = (
            length_of(
                plan_strokes(washer, shape_of(adhesion={"kind": "brim", "width_mm": 3, "holes": h})), Feature.BRIM
            )
            for h in (False, True)
        )
        loops = round(3 / SPACING)
        first = SPACING - WIDTH / 2
        within = sum(2 * math.pi * (12 - first - k * SPACING) for k in range(loops))
        self.assertAlmostEqual((both - outer) / within, 1, delta=0.01)

    def test_raft_has_its_own_layers_under_the_part(self) -> None:
        adhesion = {"kind": "raft", "layers": 3, "raft_layer_mm": 0.3, "width_mm": 4}
        strokes = plan_strokes(box(20, 20, 2), shape_of(adhesion=adhesion))
        np.testing.assert_allclose(strokes.layers.height_mm[:3], 0.3)
        np.testing.assert_allclose(strokes.layers.top_mm[3], 0.9 + HEIGHT)
        self.assertEqual(set(strokes.feature[strokes.layer < 3]), {Feature.RAFT, Feature.TRAVEL})
        rows = (strokes.feature == Feature.RAFT) & (strokes.layer == 2)
        area = 20 * 20 + 4 * 20 * 4 + math.pi * 16
        self.assertAlmostEqual(float((strokes.length_mm * strokes.area_mm2)[rows].sum()) / (area * 0.3), 1, delta=0.02)
        self.assertEqual(strokes.layers.on_bed.tolist(), [True] + [False] * 12)


class Copies(unittest.TestCase):
    def plan(self, **copies: object) -> Strokes:
        return plan_strokes(box(10, 12, 2), shape_of(copies=copies))

    def test_lay_the_plastic_so_many_times_and_never_touch(self) -> None:
        one, four = self.plan(), self.plan(count=4, gap_mm=3)
        self.assertAlmostEqual(volume_of(four) / volume_of(one), 4, places=9)
        self.assertEqual(len(four.layers), len(one.layers))
        # To the outer edges of the plastic.
        np.testing.assert_allclose(four.extent_mm, [2 * 10 + 3, 2 * 12 + 3], atol=1e-6)
        np.testing.assert_allclose(one.extent_mm, [10, 12], atol=1e-6)

    def test_one_after_the_other_finishes_each(self) -> None:
        one, three = self.plan(), self.plan(count=3, order="one_by_one")
        self.assertEqual(len(three.layers), 3 * len(one.layers))
        self.assertAlmostEqual(volume_of(three) / volume_of(one), 3, places=9)
        self.assertEqual(int(three.layers.on_bed.sum()), 3)
        self.assertTrue(np.all(np.diff(three.layer) >= 0))
        np.testing.assert_allclose(three.start_xy[1:], three.end_xy[:-1])


class Inside(unittest.TestCase):
    def test_travel_keeps_within_the_outline(self) -> None:
        horseshoe = solid_of(block(30, 30, 2) - block(14, 9, 4, (8, -1, -1)))
        strokes = plan_strokes(horseshoe, shape_of(travel="inside"))
        straight = plan_strokes(horseshoe, shape_of(travel="straight"))
        for plan, kept in ((strokes, True), (straight, False)):
            rows = plan.is_travel & (plan.length_mm > 1)
            middle = (plan.start_xy + plan.end_xy)[rows] / 2
            crossing = (np.abs(middle[:, 0]) < 6.5) & (middle[:, 1] < -7.5)
            self.assertEqual(not crossing.any(), kept)
        self.assertAlmostEqual(volume_of(strokes), volume_of(straight), places=9)
        np.testing.assert_allclose(strokes.start_xy[1:], strokes.end_xy[:-1], atol=1e-9)
        self.assertGreater(np.count_nonzero(strokes.inside), np.count_nonzero(straight.inside))

"""What the recipe says beyond the usual, seen in the strokes: angles, patterns of their own, skins that shrink and grow,
ironing, spirals of several walls, the honeycomb in space; each against a closed form or a property."""

from __future__ import annotations

import math
import unittest
from typing import Any

import manifold3d
import numpy as np
import shapely

from meanbead.core.errors import RecipeError
from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.strength import open_span_mm
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.solid import Solid
from meanbead.core.recipe.resolve import resolve
from meanbead.core.strokes import Feature, Strokes, plan_strokes
from meanbead.core.strokes.patterns import HONEYCOMB_3D_LENGTH, sparse_strokes
from meanbead.core.strokes.pieces import Curves
from tests.core.strokes.test_planner import HEIGHT, SPACING, length_of, shape_of
from tests.support.solids import block, box, cylinder, solid_of

SQUARE = box(40, 40, 4)


def planned(solid: Solid = SQUARE, **keys: Any) -> Strokes:
    return plan_strokes(solid, shape_of(**keys))


def directions_deg(strokes: Strokes, feature: Feature, layer: int) -> set[int]:
    """Directions of a feature's longer strokes on a layer, modulo a half turn, degrees."""
    rows = (strokes.feature == feature) & (strokes.layer == layer) & (strokes.length_mm > 3)
    step = strokes.end_xy[rows] - strokes.start_xy[rows]
    return {round(a) % 180 for a in np.degrees(np.arctan2(step[:, 1], step[:, 0])).tolist()}


class Angles(unittest.TestCase):
    def test_a_list_turns_infill_layer_by_layer_and_begins_again(self) -> None:
        made = planned(infill={"density": 0.2, "pattern": "lines", "angles_deg": [10, 50, 130]})
        for layer in range(5, 15):
            self.assertEqual(directions_deg(made, Feature.INFILL, layer), {(10, 50, 130)[layer % 3]})

    def test_a_list_turns_skins_and_nothing_crosses_by_itself(self) -> None:
        made = planned(top_layers=4, skins={"angles_deg": [30]})
        last = int(made.layer.max())
        self.assertEqual(directions_deg(made, Feature.TOP, last), {30})
        self.assertEqual(directions_deg(made, Feature.SOLID, last - 1), {30})
        crossing = planned(top_layers=4, skins={"angle_deg": 30})
        seen = [directions_deg(crossing, Feature.SOLID, last - k) for k in (1, 2)]
        self.assertEqual(sorted(map(tuple, seen)), [(30,), (120,)])

    def test_angles_of_one_pattern_lay_the_same_plastic(self) -> None:
        one = planned(infill={"density": 0.2, "pattern": "grid", "angle_deg": 45})
        same = planned(infill={"density": 0.2, "pattern": "grid", "angles_deg": [45]})
        np.testing.assert_array_equal(one.start_xy, same.start_xy)


class PatternsOfTheirOwn(unittest.TestCase):
    def test_first_layer_and_tops_have_their_own(self) -> None:
        made = planned(
            skins={
                "pattern": "lines",
                "first_layer_pattern": "concentric",
                "top_pattern": "concentric",
                "angle_deg": 45,
            }
        )
        last = int(made.layer.max())
        self.assertEqual(directions_deg(made, Feature.BOTTOM, 0), {0, 90})
        self.assertEqual(directions_deg(made, Feature.TOP, last), {0, 90})
        self.assertLessEqual(directions_deg(made, Feature.SOLID, 1), {45, 135})

    def test_zigzag_turns_only_where_it_was_asked_for(self) -> None:
        made = planned(skins={"pattern": "lines", "top_pattern": "zigzag"})
        plain = planned(skins={"pattern": "lines"})
        last = int(made.layer.max())

        def hops(strokes: Strokes, layer: int) -> int:
            return int(np.sum(strokes.is_travel & (strokes.layer == layer)))

        self.assertLess(hops(made, last), 0.3 * hops(plain, last))
        self.assertEqual(hops(made, 0), hops(plain, 0))

    def test_around_fills_as_much_as_lines_do(self) -> None:
        lines, around = (planned(skins={"top_pattern": pattern, "overlap": 0}) for pattern in ("lines", "concentric"))
        self.assertAlmostEqual(length_of(around, Feature.TOP) / length_of(lines, Feature.TOP), 1, delta=0.03)


class SkinsAtWalls(unittest.TestCase):
    # Steps of 2 mm to each layer: rings of skin as wide, beside the sparse filling.
    STEPS = solid_of(
        sum((block(60 - 4 * k, 60 - 4 * k, 1.0, (2 * k, 2 * k, 1.0 * k)) for k in range(1, 4)), block(60, 60, 1))
    )

    def area(self, **skins: float) -> float:
        made = planned(
            self.STEPS,
            walls=1,
            top_layers=2,
            bottom_layers=1,
            infill={"density": 0.2, "overlap": 0},
            skins={"overlap": 0, **skins},
        )
        return (length_of(made, Feature.TOP) + length_of(made, Feature.SOLID)) * SPACING

    def test_narrow_skin_is_left_out_and_only_that(self) -> None:
        whole = self.area()
        kept = self.area(drop_narrow_mm=4.0)
        broad = self.area(drop_narrow_mm=1.0)
        self.assertLess(kept, 0.9 * whole)
        self.assertAlmostEqual(broad / whole, 1, delta=0.02)

    def test_the_top_of_a_rib_stays_whatever_is_narrow(self) -> None:
        rib = box(40, 4, 4)
        top = [length_of(planned(rib, skins={"drop_narrow_mm": width}), Feature.TOP) for width in (0.0, 10.0)]
        self.assertEqual(top[0], top[1])

    def test_it_grows_by_what_was_asked(self) -> None:
        step = solid_of(block(60, 60, 2) + block(30, 60, 2, (0, 0, 2)))

        def solid_mm2(grow: float) -> float:
            made = planned(
                step,
                walls=1,
                top_layers=1,
                bottom_layers=1,
                infill={"density": 0.2, "overlap": 0},
                skins={"overlap": 0, "grow_mm": grow},
            )
            return float(sum(length_of(made, f) for f in (Feature.TOP, Feature.SOLID))) * SPACING

        # One edge of the lower step's top, 60 mm less both walls, grows into the filling under the upper step.
        self.assertAlmostEqual(solid_mm2(3.0) - solid_mm2(0.0), 3.0 * (60 - 2 * 0.45), delta=8)


class IroningWays(unittest.TestCase):
    def test_one_way_returns_without_plastic_and_around_follows_the_edge(self) -> None:
        made = {way: planned(ironing={"kind": "topmost", "pattern": way}) for way in ("lines", "one_way", "concentric")}
        laid = {way: length_of(strokes, Feature.IRONING) for way, strokes in made.items()}
        self.assertAlmostEqual(laid["one_way"] / laid["lines"], 1, delta=1e-6)
        self.assertAlmostEqual(laid["concentric"] / laid["lines"], 1, delta=0.03)
        last = int(made["one_way"].layer.max())
        self.assertEqual(len(directions_deg(made["concentric"], Feature.IRONING, last)), 2)
        rows = (made["one_way"].feature == Feature.IRONING) & (made["one_way"].length_mm > 3)
        step = (made["one_way"].end_xy - made["one_way"].start_xy)[rows]
        self.assertTrue(bool(np.all(step @ step[0] > 0)))
        plastic = [float((s.length_mm * s.area_mm2)[s.feature == Feature.IRONING].sum()) for s in made.values()]
        self.assertAlmostEqual(plastic[2] / plastic[0], 1, delta=0.03)


class Spirals(unittest.TestCase):
    def test_several_walls_climb_in_one_stroke(self) -> None:
        tube = cylinder(15, 10)
        one, two = (planned(tube, walls=walls, spiral=True, bottom_layers=2) for walls in (1, 2))
        for made in (one, two):
            above = made.layer > 3
            self.assertFalse(bool(np.any(made.is_travel & above)))
        radius = 15 - 0.225
        per_layer = 2 * math.pi * radius, 2 * math.pi * (2 * radius - SPACING)
        for made, expected in zip((one, two), per_layer, strict=True):
            rows = made.layer == 20
            self.assertAlmostEqual(float(made.length_mm[rows].sum()) / expected, 1, delta=0.02)

    def test_only_as_many_as_the_outline_has_room_for(self) -> None:
        made = planned(solid_of(manifold3d.Manifold.cylinder(12, 6, 0.5, 96)), walls=3, spiral=True, bottom_layers=2)
        low, high = (float(made.length_mm[made.layer == layer].sum()) for layer in (6, 57))
        self.assertGreater(low, 2.0 * 2 * math.pi * 4)
        self.assertLess(high, 2 * math.pi)

    def test_round_a_hollow_part_it_follows_the_outside_only_and_says_what_it_leaves(self) -> None:
        """A vase with a floor of 2 mm and an outside that leans: the inside is a frustum's shell, in closed form."""
        outside = manifold3d.Manifold.cylinder(30, 15, 21, 128)
        vase = solid_of(outside - manifold3d.Manifold.cylinder(28, 13, 18, 128).translate((0, 0, 2)))
        made = planned(vase, spiral=True, walls=1, bottom_layers=3)
        above = made.layer > 3
        self.assertEqual(set(made.feature[above]), {int(Feature.OUTER_WALL)})
        np.testing.assert_allclose(made.end_xy[:-1][above[1:]], made.start_xy[1:][above[1:]])
        whole = planned(solid_of(outside), spiral=True, walls=1, bottom_layers=3)
        self.assertAlmostEqual(float(made.length_mm[above].sum() / whole.length_mm[whole.layer > 3].sum()), 1, places=9)
        # The floor is there: the first layers are filled.
        self.assertIn(int(Feature.BOTTOM), made.feature[made.layer == 0].tolist())
        assert made.ignored is not None
        upright = math.pi * (13 + 18) * 28  # layers are upright steps: no factor for the lean
        self.assertAlmostEqual(made.ignored.area_mm2 / upright, 1, delta=0.01)
        self.assertAlmostEqual(made.ignored.from_mm, 2, delta=0.21)
        self.assertAlmostEqual(made.ignored.to_mm, 30, delta=0.21)
        self.assertIsNone(whole.ignored)

    def test_two_hollows_or_two_outlines_are_refused(self) -> None:
        two = manifold3d.Manifold.cylinder(9, 5, 5, 48).translate((8, 0, 1))
        for part in (
            solid_of(block(40, 20, 10, (-20, -10, 0)) - two - two.translate((-16, 0, 0))),
            solid_of(block(30, 10, 2) + block(8, 10, 10) + block(8, 10, 10, (22, 0, 0))),
        ):
            with self.assertRaises(RecipeError) as caught:
                planned(part, spiral=True, bottom_layers=2)
            self.assertEqual(caught.exception.field, "spiral")
            self.assertIn("2", str(caught.exception))


class JoinedInfill(unittest.TestCase):
    def test_no_stretch_of_a_wall_is_laid_twice(self) -> None:
        """Collinear strokes of one layer's infill that share more than a hair, by a library's intersections."""
        comb = solid_of(
            block(46, 7, 4) + sum((block(5, 19, 4, (2 + 13 * k, 0, 0)) for k in range(4)), manifold3d.Manifold())
        )
        holes = sum(
            (manifold3d.Manifold.cylinder(9, 3.5, 3.5, 40).translate((9 + 13 * k, 11, -1)) for k in range(3)),
            manifold3d.Manifold(),
        )
        for part in (comb, solid_of(block(44, 23, 4) - holes)):
            for pattern, lines in (
                ("grid", 1),
                ("grid", 2),
                ("cubic", 1),
                ("triangles", 2),
                ("adaptive", 1),
                ("gyroid", 1),
            ):
                infill = {"density": 0.15, "pattern": pattern, "join": True, "lines_side_by_side": lines}
                made = planned(part, walls=1, top_layers=1, bottom_layers=1, infill=infill)
                for layer in (5, 8):
                    self.assertLess(self.twice_mm(made, layer), 0.1, f"{pattern}, {lines} lines, layer {layer}")

    @staticmethod
    def twice_mm(made: Strokes, layer: int) -> float:
        rows = (made.layer == layer) & (made.feature == Feature.INFILL) & (made.length_mm > 0.05)
        strokes = shapely.linestrings(np.stack([made.start_xy[rows], made.end_xy[rows]], axis=1))
        one, other = shapely.STRtree(strokes).query(strokes, predicate="intersects")
        one, other = one[one < other], other[one < other]
        along = shapely.buffer(strokes[one], 0.004, cap_style="flat")
        shared = shapely.length(shapely.intersection(along, strokes[other]))
        # Strokes that cross share a hair's breadth over the sine of their angle.
        return float(shared[shared > 0.1].sum())


class HoneycombInSpace(unittest.TestCase):
    def test_mean_length_is_that_of_the_closed_form(self) -> None:
        # By the sections' own lengths, sampled over half a period.
        u = (np.arange(20000) + 0.5) / 40000
        half = np.where(u <= 0.25, 0.25 + u, 0.75 - u)
        lengths = 4 * math.sqrt(2) * half + 2 * (1 - 2 * half)
        self.assertAlmostEqual(float(lengths.mean()), HONEYCOMB_3D_LENGTH, places=6)

    def test_it_lays_its_density_over_a_period(self) -> None:
        density = 0.3
        period = HONEYCOMB_3D_LENGTH * SPACING / density
        layers = round(2 * period / HEIGHT)
        tall = box(120, 100, layers * HEIGHT)
        made = planned(
            tall,
            walls=1,
            top_layers=0,
            bottom_layers=0,
            infill={"density": density, "pattern": "honeycomb_3d", "overlap": 0},
        )
        asked = density * (120 - 2 * 0.45) * (100 - 2 * 0.45) * layers / SPACING
        self.assertAlmostEqual(length_of(made, Feature.INFILL) / asked, 1, delta=0.02)

    def test_a_part_lower_than_a_period_gets_its_density_too(self) -> None:
        """On whole periods across, so that only the height decides: any number of layers, at any density."""
        for density, layers in ((0.05, 20), (0.1, 7), (0.15, 13), (0.3, 11), (0.05, 61)):
            period = HONEYCOMB_3D_LENGTH * SPACING / density
            side = 8 * period
            middle = np.arange(0.5 * HEIGHT, layers * HEIGHT, HEIGHT, dtype=np.float64)
            regions = np.full(layers, shapely.box(0, 0, side, side), dtype=object)
            flat = np.full(layers, SPACING)
            (family,) = sparse_strokes(
                regions, middle, flat, "honeycomb_3d", np.full(layers, density), np.zeros(layers), 1, regions, middle
            )
            curves = family.strokes
            assert isinstance(curves, Curves)
            step = np.hypot(*np.diff(curves.points, axis=0).T)
            ends = curves.offsets[1:-1] - 1
            total = float(step.sum() - step[ends].sum())
            asked = density * side**2 * layers / SPACING
            self.assertAlmostEqual(total / asked, 1, delta=0.03, msg=f"{density}, {layers} layers")

    def test_every_bead_lies_on_the_one_below(self) -> None:
        density = 0.15
        made = planned(
            box(40, 40, 12),
            walls=1,
            top_layers=0,
            bottom_layers=0,
            infill={"density": density, "pattern": "honeycomb_3d", "overlap": 0},
        )

        def lines(layer: int) -> shapely.Geometry:
            rows = np.flatnonzero((made.feature == Feature.INFILL) & (made.layer == layer))
            return shapely.union_all(shapely.linestrings(np.stack([made.start_xy[rows], made.end_xy[rows]], axis=1)))

        worst = 0.0
        for layer in range(3, 58):
            above, below = lines(layer), lines(layer - 1)
            points = shapely.points(shapely.get_coordinates(shapely.segmentize(above, 0.5)))
            inner = points[
                shapely.within(points, shapely.box(-17, -17, 17, 17))
                if made.start_xy.min() < -1
                else shapely.within(points, shapely.box(3, 3, 37, 37))
            ]
            worst = max(worst, float(np.quantile(shapely.distance(inner, below), 0.98)))
        self.assertLess(worst, 0.45 / 2 + HEIGHT)


class Openings(unittest.TestCase):
    def test_the_widest_opening_of_each_pattern_is_what_the_rule_takes(self) -> None:
        """Brute force: the farthest point from any stroke of the filling, over the layers."""
        for pattern in ("lines", "grid", "triangles", "cubic", "honeycomb", "honeycomb_3d", "gyroid", "concentric"):
            infill = {"density": 0.15, "pattern": pattern, "overlap": 0}
            recipe = Recipe.model_validate(
                {
                    "layer_height_mm": HEIGHT,
                    "infill": infill,
                    "adhesion": {"kind": "none"},
                    "walls": 1,
                    "top_layers": 0,
                    "bottom_layers": 0,
                }
            )
            plan = resolve(recipe, Printer(), Nozzle(), Material())
            made = plan_strokes(box(50, 50, 6), plan.shape)
            grid = np.stack(np.meshgrid(np.arange(-12, 12, 0.35), np.arange(-12, 12, 0.35)), axis=-1).reshape(-1, 2)
            middle = (made.start_xy.min(axis=0) + made.start_xy.max(axis=0)) / 2
            points = shapely.points(grid + middle)
            widest = []
            for layer in range(2, 30, 3):
                rows = np.flatnonzero((made.feature == Feature.INFILL) & (made.layer == layer))
                drawn = shapely.union_all(
                    shapely.linestrings(np.stack([made.start_xy[rows], made.end_xy[rows]], axis=1))
                )
                shapely.prepare(drawn)
                widest.append(2 * float(shapely.distance(points, drawn).max()) - plan.shape.width_mm.infill)
            found = float(np.median(widest))
            with self.subTest(pattern=pattern, found=round(found, 2), told=round(open_span_mm(plan), 2)):
                self.assertAlmostEqual(found / open_span_mm(plan), 1, delta=0.15)


class Pace(unittest.TestCase):
    def test_infill_has_its_own_acceleration(self) -> None:
        engine = Engine()

        def took(**acceleration: float) -> float:
            keys = {"acceleration_mm_s2": {"print": 800, **acceleration}, "infill": {"density": 0.4}}
            found = engine.estimate(PrintJob(SQUARE, Recipe.model_validate(keys)))
            return found.by_feature["infill"].time_s

        self.assertLess(took(infill=2000), 0.97 * took())
        self.assertAlmostEqual(took(infill=800), took(), places=9)

    def test_a_first_layer_of_its_own_temperature_heats_up_to_it_and_melts_by_it(self) -> None:
        engine = Engine()
        base = {"speed_mm_s": {"first_layer": 120}, "line_width_mm": {"first_layer": 0.6}, "first_layer_height_mm": 0.3}

        def of(**keys: Any) -> Any:
            return engine.estimate(PrintJob(SQUARE, Recipe.model_validate(base | keys)))

        cold, hot = of(first_layer_nozzle_temp_c=195), of(first_layer_nozzle_temp_c=230)
        self.assertLess(cold.heat_up_s, hot.heat_up_s + 1e-9)
        self.assertGreater(cold.by_cause.melt_ceiling_s, hot.by_cause.melt_ceiling_s)
        warm = of(first_layer_bed_temp_c=70)
        self.assertGreater(warm.heat_up_s, of().heat_up_s)
        self.assertEqual(warm.print_time_s, of().print_time_s)

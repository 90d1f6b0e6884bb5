"""Strength indices and what beads make of slopes and overhangs, against closed forms."""

from __future__ import annotations

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.formulas.strength import cell_edge_mm, cell_wall_mm, crush_index, shell_mm, strength
from meanbead.core.formulas.surface import (
    clean_angle_deg,
    clean_overhang_deg,
    ridge_mm,
    steepest_overhang_deg,
    unsupported_share,
)
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.printer import MeasuredOverhang
from meanbead.core.recipe.resolve import resolve
from tests.support.insights import insight


def plan_of(**choices: object):
    return resolve(Recipe.model_validate(choices), Printer(), Nozzle(), Material())


class Shell(unittest.TestCase):
    def test_lines_overlap_by_what_their_round_sides_leave_empty(self) -> None:
        # Two beads of 0.45 x 0.2: the second begins one spacing further in, w - h (1 - pi/4).
        plan = plan_of(layer_height_mm=0.2, walls=2, line_width_mm={"outer_wall": 0.45})
        self.assertAlmostEqual(shell_mm(plan), 0.45 + 0.45 - 0.2 * (1 - math.pi / 4), places=12)
        self.assertEqual(shell_mm(plan_of(walls=0)), 0.0)


class CellWalls(unittest.TestCase):
    @given(st.floats(0.3, 1.2), st.floats(0.1, 0.9), st.integers(1, 4))
    def test_a_notched_wall_is_as_stiff_as_one_between_its_thinnest_and_thickest(
        self, width: float, ratio: float, lines: int
    ) -> None:
        height = ratio * width
        even = cell_wall_mm(width, height, lines)
        spacing = width - height * (1 - math.pi / 4)
        self.assertGreater(even, (lines - 1) * spacing + width - height)
        self.assertLess(even, (lines - 1) * spacing + width)
        # Below the wall of even thickness with the same plastic: notches cost stiffness.
        self.assertLess(even, (lines - 1) * spacing + bead_area_mm2(width, height) / height + 1e-12)

    def test_a_flat_strip_has_no_notch(self) -> None:
        self.assertAlmostEqual(cell_wall_mm(0.6, 1e-6, 1), 0.6, places=5)

    def test_doubled_lines_are_stiffer_than_twice_as_many(self) -> None:
        doubled = crush_index(plan_of(infill={"density": 0.1, "lines_side_by_side": 2}))
        denser = crush_index(plan_of(infill={"density": 0.2}))
        self.assertGreater(doubled, denser)
        # Nearly the eightfold that (t / l)^2 d says, and a little more for the notch that is shared.
        self.assertGreater(doubled / crush_index(plan_of(infill={"density": 0.1})), 8.0)

    def test_a_square_cell_has_two_walls(self) -> None:
        plan = plan_of(layer_height_mm=0.2, infill={"density": 0.2})
        spacing = plan.shape.width_mm.infill - 0.2 * (1 - math.pi / 4)
        self.assertAlmostEqual(cell_edge_mm(plan), 2 * spacing / 0.2, places=9)
        self.assertEqual(cell_edge_mm(plan_of(infill={"density": 0.0})), math.inf)


class Indices(unittest.TestCase):
    def test_bond_is_one_where_all_is_usual(self) -> None:
        found = strength(plan_of(), Material(), 8000.0, 2400.0)
        self.assertAlmostEqual(found.bond, 1.0, places=3)

    def test_bond_falls_with_pace_as_healing_in_time_does(self) -> None:
        one, other = (
            strength(plan_of(speed_mm_s={"inner_wall": speed}), Material(), 8000.0, 2400.0) for speed in (60, 120)
        )
        self.assertAlmostEqual(other.bond / one.bond, 2**-0.25, places=9)

    def test_bend_of_a_hollow_square_tube_is_that_of_mechanics(self) -> None:
        # A bar a x a x L has volume a^2 L and, without its ends, a surface 4 a L: side 4 V / S = a.
        side, length = 20.0, 1000.0
        plan = plan_of(walls=3, infill={"density": 0.0})
        found = strength(plan, Material(), side**2 * length, 4 * side * length)
        inner = side - 2 * shell_mm(plan)
        self.assertAlmostEqual(found.bend, (side**4 - inner**4) / side**4, places=9)

    @given(st.integers(1, 6), st.floats(0.05, 0.9))
    def test_more_plastic_never_bends_more(self, walls: int, density: float) -> None:
        less = strength(plan_of(walls=walls, infill={"density": density}), Material(), 8000.0, 2400.0)
        wall = strength(plan_of(walls=walls + 1, infill={"density": density}), Material(), 8000.0, 2400.0)
        denser = strength(plan_of(walls=walls, infill={"density": density + 0.05}), Material(), 8000.0, 2400.0)
        self.assertGreaterEqual(wall.bend, less.bend)
        self.assertGreaterEqual(denser.bend, less.bend)


class Sideways(unittest.TestCase):
    def index(self, **choices: object) -> float:
        return strength(plan_of(**choices), Material(), 20_000, 6_000).sideways

    def test_the_reference_is_one_and_walls_count_squared(self) -> None:
        self.assertAlmostEqual(self.index(), 1.0, delta=0.06)
        bare = {"infill": {"density": 0.0}}
        one, two = (self.index(walls=walls, **bare) for walls in (2, 4))
        thick = [shell_mm(plan_of(walls=walls)) for walls in (2, 4)]
        self.assertAlmostEqual(two / one, (thick[1] / thick[0]) ** 2, places=6)

    def test_by_hand(self) -> None:
        # Roark: 0.318 F R is the largest moment of a ring between plates, 6 M / t^2 its stress; R = 2 V / S.
        radius, wall = 2 * 20_000 / 6_000, shell_mm(plan_of())
        ring = lambda t: t**2 / (6 * 0.318 * radius)  # noqa: E731
        reference = ring(0.84) + 0.5 * 0.075**2 * radius
        bare = self.index(infill={"density": 0.0})
        self.assertAlmostEqual(bare, ring(wall) / reference, places=9)

    def test_triangles_hold_more_than_a_grid_and_heat_between_layers_does_not_matter(self) -> None:
        grid, cubic = (self.index(infill={"pattern": pattern}) for pattern in ("grid", "cubic"))
        self.assertGreater(cubic, 1.05 * grid)
        self.assertEqual(self.index(nozzle_temp_c=195), self.index(nozzle_temp_c=225))


class Bonding(unittest.TestCase):
    def test_larger_beads_stay_hot_longer_and_bond_better(self) -> None:
        def bond(bore: float) -> float:
            keys = {
                "layer_height_mm": bore / 2,
                "line_width_mm": {"outer_wall": 1.1 * bore},
                "speed_mm_s": {"inner_wall": 60},
            }
            plan = resolve(Recipe.model_validate(keys), Printer(), Nozzle(bore_mm=bore), Material())
            return strength(plan, Material(), 20_000, 6_000).bond

        self.assertAlmostEqual(bond(0.4), 1.0, places=6)
        self.assertAlmostEqual(bond(0.8) / bond(0.4), 2**0.25, places=6)
        self.assertAlmostEqual(bond(0.2) / bond(0.4), 0.5**0.25, places=6)


class Surfaces(unittest.TestCase):
    def test_a_ridge_is_the_layer_times_the_cosine_of_the_slope(self) -> None:
        leaning = insight(slopes={32.5: 400.0})
        self.assertAlmostEqual(ridge_mm(plan_of(layer_height_mm=0.2), leaning), 0.2 * math.cos(math.radians(32.5)))
        self.assertEqual(ridge_mm(plan_of(), insight()), 0.0)

    def test_heights_by_slope_keep_their_ridge_within_their_range(self) -> None:
        leaning = insight(slopes={2.5: 400.0})
        by_slope = {"kind": "by_slope", "min_mm": 0.1, "max_mm": 0.28, "ridge_mm": 0.15}
        self.assertAlmostEqual(ridge_mm(plan_of(variable_height=by_slope), leaning), 0.15)
        tight = by_slope | {"ridge_mm": 0.02}
        self.assertAlmostEqual(
            ridge_mm(plan_of(variable_height=tight), leaning), 0.1 * math.cos(math.radians(2.5)), places=9
        )

    def test_the_machine_limit_is_that_of_the_usual_bead_with_the_whole_fan(self) -> None:
        plan = plan_of(layer_height_mm=0.2)
        self.assertAlmostEqual(clean_overhang_deg(plan, Printer(overhang_limit_deg=50)), 50.0, places=9)
        self.assertAlmostEqual(unsupported_share(plan, 45.0), 0.2 / 0.44, places=9)

    def test_a_measured_fan_of_overhangs_replaces_the_typical_model(self) -> None:
        tests = [
            MeasuredOverhang(bore_mm=0.6, layer_height_mm=0.2, line_width_mm=0.66, angle_deg=61),
            MeasuredOverhang(bore_mm=0.6, layer_height_mm=0.4, line_width_mm=0.66, angle_deg=44),
        ]
        told = Printer(measured_overhangs=tuple(tests))
        for test in tests:
            self.assertAlmostEqual(clean_angle_deg(0.6, test.layer_height_mm, 0.66, told), test.angle_deg, places=9)
        between = clean_angle_deg(0.6, 0.3, 0.66, told)
        self.assertTrue(44 < between < 61)
        self.assertEqual(clean_angle_deg(0.4, 0.2, 0.44, told), clean_angle_deg(0.4, 0.2, 0.44, Printer()))

    def test_little_area_is_not_what_a_recipe_is_chosen_for(self) -> None:
        self.assertEqual(steepest_overhang_deg(insight(overhang={62.5: 4.0})), 0.0)
        self.assertEqual(steepest_overhang_deg(insight(overhang={62.5: 40.0, 47.5: 90.0})), 62.5)
        self.assertEqual(steepest_overhang_deg(insight(overhang={87.5: 900.0})), 0.0)

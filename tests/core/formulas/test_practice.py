"""What experienced people see, held as inequalities: bores and overhangs, walls that hold least, fillings that are squeezed."""

from __future__ import annotations

import itertools
import math
import unittest
from typing import Any

from meanbead.core.formulas.strength import across_strength, bond_index, crush_index, pressed_share, strength
from meanbead.core.formulas.surface import (
    clean_angle_deg,
    clean_overhang_deg,
    cooled_share,
    overhang_height_mm,
)
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import MeasuredOverhang
from meanbead.core.recipe.resolve import resolve


def plan_of(bore: float = 0.4, material: Material | None = None, **choices: Any) -> Plan:
    return resolve(Recipe.model_validate(choices), Printer(), Nozzle(bore_mm=bore), material or Material())


def clean(bore: float, height: float, **choices: Any) -> float:
    """With the bore's usual line."""
    return clean_overhang_deg(plan_of(bore, layer_height_mm=height, **choices), Printer())


class Overhangs(unittest.TestCase):
    def test_bores_at_one_low_height(self) -> None:
        self.assertGreater(clean(0.4, 0.15), clean(0.6, 0.15) + 1)
        self.assertGreaterEqual(clean(0.6, 0.15), clean(0.8, 0.15) - 1)
        self.assertGreaterEqual(clean(0.6, 0.2), clean(0.6, 0.15))

    def test_at_no_height_does_a_wider_line_lean_out_further(self) -> None:
        for height in (0.08, 0.12, 0.16, 0.2, 0.24, 0.28, 0.32, 0.4, 0.5):
            for limit in (40, 52, 65):
                leans = [
                    clean_angle_deg(w / 1.1, height, w, Printer(overhang_limit_deg=limit)) for w in WIDTHS if w > height
                ]
                for narrow, wide in itertools.pairwise(leans):
                    self.assertGreaterEqual(narrow, wide - 1e-9)

    def test_each_bore_has_one_best_height_of_its_own_and_wider_bores_a_thicker_one(self) -> None:
        best = []
        for bore in (0.25, 0.4, 0.6, 0.8):
            heights = [round(0.1 * bore + 0.005 * k, 4) for k in range(int(0.7 * bore / 0.005))]
            leans = [clean_angle_deg(bore, height, 1.1 * bore, Printer()) for height in heights]
            top = leans.index(max(leans))
            self.assertTrue(0 < top < len(heights) - 1, bore)
            self.assertEqual(leans[: top + 1], sorted(leans[: top + 1]))
            self.assertEqual(leans[top:], sorted(leans[top:], reverse=True))
            best.append(heights[top])
        self.assertEqual(best, sorted(set(best)))

    def test_cooling_matters(self) -> None:
        self.assertEqual(cooled_share(1.0, 8.0), 1.0)
        blown = [clean(0.4, 0.2, cooling={"fan": fan}) for fan in (0.0, 0.4, 1.0)]
        self.assertEqual(blown, sorted(blown))
        self.assertGreater(blown[2] - blown[0], 5)
        waited = [clean(0.4, 0.2, cooling={"min_layer_time_s": seconds}) for seconds in (1, 4, 8, 20)]
        self.assertEqual(waited, sorted(waited))
        self.assertGreater(waited[2], waited[0] + 5)
        self.assertEqual(waited[2], waited[3])

    def test_what_was_measured_here_replaces_all_of_it(self) -> None:
        seen = (
            MeasuredOverhang(bore_mm=0.6, layer_height_mm=0.2, line_width_mm=0.62, angle_deg=63),
            MeasuredOverhang(bore_mm=0.6, layer_height_mm=0.35, line_width_mm=0.7, angle_deg=41),
        )
        told = Printer(measured_overhangs=seen)
        for one in seen:
            for cooled in (0.5, 1.0):
                found = clean_angle_deg(0.6, one.layer_height_mm, one.line_width_mm, told, cooled)
                self.assertAlmostEqual(found, one.angle_deg, places=9)
        self.assertLess(clean_angle_deg(0.6, 0.08, 0.62, told), 63)
        self.assertEqual(clean_angle_deg(0.4, 0.2, 0.44, told), clean_angle_deg(0.4, 0.2, 0.44, Printer()))

    def test_heights_by_slope_are_held_against_what_is_laid_there(self) -> None:
        by_slope = {"kind": "by_slope", "min_mm": 0.1, "max_mm": 0.32, "ridge_mm": 0.12}
        plan = plan_of(variable_height=by_slope)
        angle = clean_overhang_deg(plan, Printer())
        # By hand: every degree up to there is clean with the height laid there, and the next is not.
        for degrees in range(1, 90):
            height = min(max(0.12 / math.sin(math.radians(degrees)), 0.1), 0.32)
            self.assertAlmostEqual(overhang_height_mm(plan.shape, degrees), height, places=12)
            there = clean_angle_deg(0.4, height, plan.shape.width_mm.outer_wall, Printer())
            self.assertEqual(there >= degrees, degrees <= angle + 1e-9, degrees)
        thick = clean_overhang_deg(plan_of(layer_height_mm=0.32), Printer())
        self.assertGreater(angle, thick + 2)


WIDTHS = (0.27, 0.33, 0.44, 0.55, 0.66, 0.77, 0.88, 1.1)


class Bond(unittest.TestCase):
    def bond(self, **choices: Any) -> float:
        return bond_index(plan_of(layer_height_mm=0.2, **choices), Material())

    def test_the_wall_that_holds_least_counts_outer_and_inner_alike(self) -> None:
        usual = self.bond()
        self.assertLess(self.bond(line_width_mm={"outer_wall": 0.25, "inner_wall": 0.44}), 0.5 * usual)
        self.assertLess(self.bond(speed_mm_s={"outer_wall": 300}), 0.75 * usual)
        self.assertLess(self.bond(speed_mm_s={"inner_wall": 300}), 0.75 * usual)
        self.assertAlmostEqual(self.bond(speed_mm_s={"outer_wall": 60}), usual, places=9)

    def test_one_wall_alone_is_the_outer(self) -> None:
        one = {"walls": 1, "speed_mm_s": {"outer_wall": 50, "inner_wall": 300}}
        self.assertAlmostEqual(self.bond(**one), self.bond(walls=1, speed_mm_s={"outer_wall": 50}), places=12)
        self.assertGreater(self.bond(**one), self.bond(**one | {"walls": 2}))

    def test_lines_much_narrower_than_the_bore_hardly_hold(self) -> None:
        falls = [pressed_share(bores) for bores in (0.4, 0.5, 0.6, 0.7, 0.85, 1.0, 1.2)]
        self.assertEqual(falls, sorted(falls))
        self.assertLess(falls[2], 0.35)
        self.assertEqual(falls[4:], [1.0, 1.0, 1.0])

    def test_hotter_bonds_better(self) -> None:
        self.assertGreater(self.bond(nozzle_temp_c=225), self.bond(nozzle_temp_c=210))


class Squeezed(unittest.TestCase):
    def filled(self, density: float, pattern: str = "grid", lines: int = 1) -> Plan:
        return plan_of(infill={"density": density, "pattern": pattern, "lines_side_by_side": lines})

    def test_doubled_lines_hold_like_single_ones_at_two_to_three_times_the_density(self) -> None:
        doubled, single = (
            strength(self.filled(density, "grid", lines), Material(), 60_000, 12_000)
            for density, lines in ((0.1, 2), (0.25, 1))
        )
        self.assertLess(abs(doubled.crush / single.crush - 1), 1 / 3)
        self.assertLess(abs(doubled.sideways / single.sideways - 1), 1 / 3)
        for pattern, index in itertools.product(("grid", "triangles", "cubic"), (crush_index, across_strength)):
            twice, thrice = (index(self.filled(density, pattern)) for density in (0.2, 0.3))
            self.assertTrue(twice < index(self.filled(0.1, pattern, 2)) < thrice, pattern)

    def test_slender_cells_go_with_the_third_power(self) -> None:
        for pattern in ("grid", "triangles", "cubic", "honeycomb", "gyroid"):
            thin, thick = self.filled(0.02, pattern), self.filled(0.04, pattern)
            self.assertAlmostEqual(crush_index(thick) / crush_index(thin), 8, places=6, msg=pattern)
            self.assertAlmostEqual(across_strength(thick) / across_strength(thin), 8, places=6, msg=pattern)

    def test_denser_never_holds_less(self) -> None:
        for pattern in ("grid", "lines", "triangles", "cubic", "adaptive", "honeycomb", "gyroid", "concentric"):
            steps = [self.filled(0.03 * k, pattern) for k in range(1, 14)]
            for index in (crush_index, across_strength):
                found = [index(plan) for plan in steps]
                self.assertEqual(found, sorted(found), pattern)

    def test_a_sparse_cubic_does_not_beat_a_dense_grid_and_lines_beat_nothing(self) -> None:
        for volume, surface in ((20_000, 6_000), (200_000, 25_000), (900_000, 60_000)):
            cubic, grid, lines = (
                strength(self.filled(density, pattern), Material(), volume, surface).sideways
                for density, pattern in ((0.05, "cubic"), (0.25, "grid"), (0.25, "lines"))
            )
            self.assertLess(cubic, grid)
            self.assertLess(lines, grid)
        for density in (0.1, 0.2, 0.3):
            others = [across_strength(self.filled(density, name)) for name in ("grid", "triangles", "cubic", "gyroid")]
            self.assertLess(across_strength(self.filled(density, "lines")), min(others))


if __name__ == "__main__":
    unittest.main()

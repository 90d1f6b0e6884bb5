"""Each term of the strength indices, and of slowing for cooling, written out anew beside the core's own."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np
from scipy.integrate import quad

from meanbead.core.formulas.bead import bead_area_mm2, bead_spacing_mm
from meanbead.core.formulas.cooling import slowed_s
from meanbead.core.formulas.melt import centre_excess, fourier_for_excess
from meanbead.core.formulas.strength import (
    REFERENCE_SHELL_MM,
    cell_edge_mm,
    cell_line_mm,
    cell_wall_mm,
    crush_index,
    open_span_mm,
    section_per_outline_mm,
    shell_mm,
    sideways_index,
    strength,
)
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.plan import Plan
from meanbead.core.recipe.resolve import resolve


def plan_of(**choices: Any) -> Plan:
    return resolve(Recipe.model_validate(choices), Printer(), Nozzle(), Material())


class Beads(unittest.TestCase):
    def test_section_over_outline_is_that_of_a_stadium(self) -> None:
        for width, height in ((0.44, 0.2), (0.8, 0.3), (0.3, 0.3)):
            outline = 2 * (width - height) + math.pi * height  # two straight sides and two half circles
            area = (width - height) * height + math.pi * (height / 2) ** 2
            self.assertAlmostEqual(section_per_outline_mm(width, height), area / outline, places=12)
        # A round strand has a quarter of its diameter.
        self.assertAlmostEqual(section_per_outline_mm(0.4, 0.4), 0.1, places=12)

    def test_a_notched_wall_is_as_stiff_as_the_sum_over_its_height(self) -> None:
        for width, height, lines in ((0.44, 0.2, 1), (0.44, 0.2, 3), (0.7, 0.3, 2), (0.3, 0.25, 1)):
            spacing = bead_spacing_mm(width, height)

            def thick(
                z: float, width: float = width, height: float = height, rest: float = (lines - 1) * spacing
            ) -> float:
                return rest + width - height + 2 * math.sqrt(max(height**2 / 4 - z**2, 0.0))

            softness, _ = quad(lambda z, thick=thick: thick(z) ** -3, -height / 2, height / 2, limit=200)
            self.assertAlmostEqual(cell_wall_mm(width, height, lines), (softness / height) ** (-1 / 3), delta=2e-3)
            self.assertAlmostEqual(cell_line_mm(width, height, lines), width + (lines - 1) * spacing, places=12)


class Terms(unittest.TestCase):
    def test_bond_is_contact_warmth_pace_and_what_stays_hot(self) -> None:
        hot = Material().nozzle_temp_c + 12
        plan = plan_of(
            layer_height_mm=0.25, nozzle_temp_c=hot, line_width_mm={"inner_wall": 0.6}, speed_mm_s={"inner_wall": 90}
        )
        usual = plan_of()
        contact = bead_spacing_mm(0.6, 0.25) / 0.6 / (bead_spacing_mm(1.1, 0.5) / 1.1)
        flow = Material().flow_temp_c
        warmth = (hot - flow) / (Material().nozzle_temp_c - flow)
        stays = (section_per_outline_mm(0.6, 0.25) / section_per_outline_mm(0.44, 0.2)) ** 0.25
        expected = contact * warmth * (60 / 90) ** 0.25 * stays
        self.assertAlmostEqual(strength(plan, Material(), 8000.0, 2400.0).bond, expected, places=9)
        self.assertGreater(expected, strength(usual, Material(), 8000.0, 2400.0).bond * 0.9)

    def test_plastic_that_does_not_flow_does_not_bond(self) -> None:
        cold = plan_of(nozzle_temp_c=Material().flow_temp_c)
        self.assertEqual(strength(cold, Material(), 8000.0, 2400.0).bond, 0.0)

    def test_pressed_across_it_is_a_ring_and_what_fills_it(self) -> None:
        def ring(wall: float, radius: float) -> float:
            return wall**2 / (6 * 0.318 * radius)

        radius = 12.0
        bent, column = 0.5, math.pi**2 / 12 * 50
        for pattern, across in (
            ("grid", lambda t, _: min(bent * t**2, 0.22 * 50 * t**3)),
            ("honeycomb", lambda t, _: min(bent * t**2, 0.22 * 50 * t**3)),
            ("lines", lambda t, _: min(bent * t**2, 0.22 * 50 * t**3) / 2),
            ("triangles", lambda t, d: d / 3 * min(1, column * t**2)),
            ("cubic", lambda t, d: d / 3 * min(1, column * t**2)),
            ("adaptive", lambda t, d: d / 6 * min(1, column * t**2)),
            ("gyroid", lambda t, d: d / 6 * min(1, column * t**2)),
        ):
            for density in (0.05, 0.2, 0.35):
                plan = plan_of(infill={"density": density, "pattern": pattern})
                shape, wall = plan.shape, shell_mm(plan)
                thick = cell_wall_mm(shape.width_mm.infill, shape.layer_height_mm, 1)
                filled = across(min(1.0, thick / cell_edge_mm(plan)), density)
                reference = ring(REFERENCE_SHELL_MM, radius) + 0.5 * 0.075**2 * radius
                expected = (ring(wall, radius) + filled * (radius - wall)) / reference
                self.assertAlmostEqual(sideways_index(plan, radius), expected, places=9, msg=pattern)

    def test_a_part_that_is_all_shell_is_a_ring_of_its_own_radius(self) -> None:
        plan = plan_of(walls=6)
        self.assertLess(0.5, shell_mm(plan))
        small = 0.5
        reference = small**2 / (6 * 0.318 * small) + 0.5 * 0.075**2 * small
        self.assertAlmostEqual(sideways_index(plan, small), small**2 / (6 * 0.318 * small) / reference, places=9)

    def test_crush_is_the_lesser_of_yielding_and_buckling(self) -> None:
        for pattern, share in (("grid", 1.0), ("triangles", 1.0), ("cubic", 0.5), ("gyroid", 0.5)):
            for density in (0.1, 0.25):
                plan = plan_of(infill={"density": density, "pattern": pattern})
                shape = plan.shape
                slender = cell_wall_mm(shape.width_mm.infill, shape.layer_height_mm, 1) / cell_edge_mm(plan)
                carried = share * density * min(1.0, 2 * 50 * slender**2)
                self.assertAlmostEqual(crush_index(plan), carried / (0.15 * 100 * 0.075**2), places=9)
        lines = plan_of(infill={"density": 0.2, "pattern": "lines"})
        self.assertAlmostEqual(crush_index(lines), 0.2**2 / (0.15 * 100 * 0.075**2), places=9)

    def test_bent_a_core_of_foam_counts_by_the_square_and_one_of_walls_by_more(self) -> None:
        side = 20.0
        for pattern, core in (("gyroid", 0.3**2), ("grid", 0.3 * (0.5 + 0.5 * 0.3))):
            plan = plan_of(infill={"density": 0.3, "pattern": pattern})
            hollow = (1 - 2 * shell_mm(plan) / side) ** 4
            found = strength(plan, Material(), side**2 * 500.0, 4 * side * 500.0)
            self.assertAlmostEqual(found.bend, 1 - (1 - core) * hollow, places=9)

    def test_strips_are_a_pitch_wide_less_their_line(self) -> None:
        plan = plan_of(infill={"density": 0.2, "pattern": "lines"})
        shape = plan.shape
        pitch = bead_spacing_mm(shape.width_mm.infill, shape.layer_height_mm) / 0.2
        self.assertAlmostEqual(open_span_mm(plan), pitch - shape.width_mm.infill, places=9)
        self.assertEqual(open_span_mm(plan_of(infill={"density": 1.0, "pattern": "lines"})), 0.0)
        self.assertEqual(open_span_mm(plan_of(infill={"density": 0.0})), math.inf)
        self.assertGreater(bead_area_mm2(0.44, 0.2), 0)


class Cooling(unittest.TestCase):
    def test_a_layer_is_slowed_as_far_as_its_plastic_may_be_and_waits_for_the_rest(self) -> None:
        layer, plastic = np.array([3.0, 3.0, 12.0, 3.0, 5.0]), np.array([2.0, 2.0, 9.0, 0.0, 4.0])
        slowest, least = np.array([20.0, 4.0, 50.0, 9.0, 4.0]), np.array([8.0, 8.0, 8.0, 8.0, 8.0])
        slowed, waits = slowed_s(layer, plastic, slowest, least)
        # Enough room to slow; too little, so it waits; long enough; without plastic; already at its slowest.
        np.testing.assert_array_equal(slowed, [5.0, 2.0, 0.0, 0.0, 0.0])
        np.testing.assert_array_equal(waits, [0.0, 3.0, 0.0, 0.0, 3.0])


class Melting(unittest.TestCase):
    def test_the_time_to_a_share_of_the_step_is_the_inverse_of_the_share_after_a_time(self) -> None:
        for fourier in (0.02, 0.05, 0.1, 0.5, 2.0):
            self.assertAlmostEqual(fourier_for_excess(centre_excess(fourier)), fourier, places=8)
        # So short a time is not told apart: the series has sixty terms.
        self.assertLess(fourier_for_excess(1 - 1e-12), 0.01)
        for share in (0.0, 1.0, -0.1):
            with self.assertRaises(ValueError):
                fourier_for_excess(share)


if __name__ == "__main__":
    unittest.main()

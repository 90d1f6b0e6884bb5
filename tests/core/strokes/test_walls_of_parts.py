"""Wall thicknesses that a part has in common, what the engine remembers of a part, and sampled spirals."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.melt import melt_ceiling, temperature_for_flow_c
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.part.insight import part_insight
from meanbead.core.rules.rule_input import even_flow_mm3_s
from tests.running.effort import cases
from tests.support.solids import block, box, cylinder, solid_of

ENGINE = Engine()


class Bands(unittest.TestCase):
    @settings(max_examples=cases(6, 240), deadline=None)
    @given(st.floats(1.0, 6.0))
    def test_a_boxes_wall_is_found_to_a_tenth(self, wall: float) -> None:
        side = 40.0
        tray = solid_of(block(side, side, 30) - block(side - 2 * wall, side - 2 * wall, 60, (wall, wall, 3)))
        bands = part_insight(tray).facts.walls
        widest = max(bands, key=lambda band: band.area_mm2)
        self.assertAlmostEqual(widest.thickness_mm, wall, delta=0.1)
        # Both sides of four walls: at least most of them belong to it.
        self.assertGreater(widest.area_mm2, 0.6 * 4 * (side + side - 2 * wall) * 27)

    def test_two_thicknesses_are_two_bands_and_floors_are_none(self) -> None:
        # Walls of 2 mm on two sides, 5 mm on the others; the floor of 1 mm lies in no layer's plane.
        tray = solid_of(block(50, 50, 30) - block(46, 40, 60, (2, 5, 1)))
        bands = [band.thickness_mm for band in part_insight(tray).facts.walls]
        self.assertEqual(len(bands), 2)
        np.testing.assert_allclose(bands, [2, 5], atol=0.1)

    def test_a_solid_block_has_none(self) -> None:
        self.assertEqual(part_insight(box(30, 30, 30)).facts.walls, [])

    def test_surface_is_that_of_the_solid(self) -> None:
        self.assertAlmostEqual(part_insight(box(10, 20, 30)).facts.surface_mm2, 2200, places=6)


class Memory(unittest.TestCase):
    def test_a_part_is_looked_at_once(self) -> None:
        part = box(12, 12, 12)
        self.assertIs(ENGINE.insight(part), ENGINE.insight(part))

    def test_some_way_to_stand_may_need_no_support(self) -> None:
        # An L that leans out as it stands: lying on its side nothing hangs.
        hook = solid_of(block(6, 12, 30) + block(24, 12, 5, (0, 0, 25)))
        self.assertGreater(ENGINE.insight(hook).facts.overhang_mm2, 100)
        self.assertLess(ENGINE.lying_overhang_mm2(hook), 1)


class SampledSpirals(unittest.TestCase):
    def test_only_the_sampled_layers_are_looked_at(self) -> None:
        job = PrintJob(cylinder(12, 40), Recipe.model_validate({"spiral": True, "infill": {"density": 0}}))
        sample, whole = (ENGINE.sampled(job, layers).estimate for layers in (24, None))
        self.assertLess(sample.layers_planned, sample.layers)
        self.assertAlmostEqual(sample.print_time_s / whole.print_time_s, 1, delta=0.05)


class Melting(unittest.TestCase):
    @given(st.floats(151, 152), st.sampled_from(["brass", "plated_copper", "hardened_steel"]))
    def test_just_above_the_flow_temperature_the_ceiling_is_low_and_no_error(self, temp: float, metal: str) -> None:
        nozzle = Nozzle.model_validate({"metal": metal})
        self.assertLess(melt_ceiling(Printer(), nozzle, Material(), temp).plan_mm3_s, 3.5)

    @given(st.floats(0.001, 0.2))
    def test_the_least_flows_have_a_temperature_too(self, flow: float) -> None:
        found = temperature_for_flow_c(Printer(), Nozzle(), Material(), flow, 230)
        self.assertIsNotNone(found)
        self.assertLess(found or 999, 190)

    def test_thin_walls_count_for_no_margin(self) -> None:
        # A fin of 1.1 mm: two lines and a third that is as wide as what they leave.
        fin = solid_of(block(30, 1.1, 4) + block(30, 6, 1.2))
        estimate = ENGINE.estimate(PrintJob(fin, Recipe()))
        self.assertIn("thin_wall", estimate.by_feature)
        others = [share.asked_flow_mm3_s for name, share in estimate.by_feature.items() if name != "thin_wall"]
        self.assertEqual(even_flow_mm3_s(estimate), max(others))
        # A thin wall is up to twice as wide, and asks for that much more.
        self.assertGreater(estimate.by_feature["thin_wall"].asked_flow_mm3_s, 0)

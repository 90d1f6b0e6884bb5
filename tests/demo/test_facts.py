"""What the sample parts' facts say, by the drawings that they are made from."""

import unittest

from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import PartInsight, Recipe
from meanbead.core.part.insight import part_insight
from meanbead.core.part.orientations import orientations
from meanbead.core.part.stability import STABLE_DEG
from tests.demo.test_lessons import ENGINE, HERON, solid


def facts(name: str) -> PartInsight:
    return part_insight(solid(name)).facts


class Samples(unittest.TestCase):
    def test_the_cups_wall_is_two_millimetres_all_round(self) -> None:
        cup = facts("Herb trough")
        self.assertAlmostEqual(cup.thinnest_mm, 2.0, delta=0.02)
        self.assertEqual((cup.overhang_mm2, cup.slope_mm2, cup.longest_bridge_mm), (0, 0, 0))
        self.assertTrue(all(abs(spot.value - 2) < 0.05 for spot in cup.spots if spot.kind == "thin_wall"))

    def test_the_box_is_thin_and_steady(self) -> None:
        tools = facts("Tool box")
        self.assertAlmostEqual(tools.thinnest_mm, 2.4, delta=0.05)
        self.assertGreater(tools.tip_angle_deg, 45)

    def test_the_dome_shows_steps_and_the_tag_does_not(self) -> None:
        self.assertGreater(facts("Domed knob").slope_mm2, 1000)
        self.assertLess(facts("Bin tag").slope_mm2, 1)

    def test_the_post_falls_easily(self) -> None:
        self.assertLess(facts("Flag post").tip_angle_deg, STABLE_DEG)

    def test_the_owl_leans_out_somewhere(self) -> None:
        self.assertGreater(facts("Snow owl").overhang_mm2, 100)

    def test_the_bracket_prints_quicker_on_its_side(self) -> None:
        recipe = Recipe.model_validate({"supports": {"kind": "columns"}})
        times = [
            ENGINE.estimate(PrintJob(stood, recipe, HERON), 24).print_time_s
            for _, stood in orientations(solid("Shelf bracket"), 0.2)
        ]
        self.assertLess(min(times[1:]), 0.95 * times[0])

    def test_first_layers(self) -> None:
        plate = ENGINE.first_layer(PrintJob(solid("Drain plate"), Recipe(), HERON))
        self.assertEqual((len(plate.islands), plate.small_islands), (1, 0))
        owl = ENGINE.first_layer(PrintJob(solid("Snow owl"), Recipe(), HERON))
        self.assertGreater(owl.islands[0].area_mm2, 200)
        self.assertGreater(owl.start_s, 0)


if __name__ == "__main__":
    unittest.main()

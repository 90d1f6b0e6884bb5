"""Roofs of windows in thin walls are bridges, whatever the walls leave of them; shelves that stand out are not."""

import unittest

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Estimate, Recipe
from meanbead.core.part.solid import Solid
from tests.support.solids import block, ledge, solid_of

ENGINE = Engine()


def estimate(solid: Solid, walls: int) -> Estimate:
    return ENGINE.estimate(PrintJob(solid, Recipe.model_validate({"walls": walls})))


class Openings(unittest.TestCase):
    def test_a_window_in_a_wall_is_held_at_both_ends_with_any_number_of_walls(self) -> None:
        for thick in (1.7, 2.1, 2.5, 3.1, 4.2):
            wall = solid_of(block(43, thick, 21) - block(16, 10, 8, (13, -1, 6)))
            turned = solid_of((block(43, thick, 21) - block(16, 10, 8, (13, -1, 6))).rotate((0, 0, 37)))
            for walls in (1, 2, 3):
                for solid in (wall, turned):
                    with self.subTest(thick=thick, walls=walls, turned=solid is turned):
                        self.assertEqual(estimate(solid, walls).hanging_mm2, 0)

    def test_a_window_open_to_one_side_hangs(self) -> None:
        for thick in (3.1, 4.2):
            open_one = solid_of(block(43, thick, 21) - block(34, 10, 8, (-1, -1, 6)))
            self.assertGreater(estimate(open_one, 2).hanging_mm2, 20)
        self.assertGreater(estimate(ledge(10), 2).hanging_mm2, 100)


if __name__ == "__main__":
    unittest.main()

"""What fits a machine, and tops of plastics that tear: by brute force over sizes and paces."""

from __future__ import annotations

import itertools
import unittest

from meanbead.core.advise.context import AdviceContext
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.finding import Finding
from meanbead.core.part.facts import part_facts
from meanbead.core.rules import findings
from tests.core.rules.test_rule_edges import said
from tests.support.insights import insight
from tests.support.solids import box

BED = {"x": 200, "y": 120, "z": 90}


def room(size: tuple[float, float, float], **keys: object) -> Finding | None:
    """What is said of the room that a block takes, before it was estimated."""
    solid = box(*size)
    job = PrintJob(solid, Recipe.model_validate(keys), Printer.model_validate({"bed_mm": BED}), Nozzle(), Material())
    told = findings(AdviceContext(part_facts(solid), insight()).rule_input(job))
    return next((one for one in told if one.rule == "room_on_machine"), None)


class Room(unittest.TestCase):
    def test_a_part_fits_where_one_of_two_ways_round_does(self) -> None:
        for wide, deep, high in itertools.product((100, 119, 121, 199, 201), (100, 119, 121, 199, 201), (89, 91)):
            fits = high <= 90 and ((wide <= 200 and deep <= 120) or (deep <= 200 and wide <= 120))
            found = room((wide, deep, high))
            self.assertEqual(found is None, fits, (wide, deep, high))
            if found is not None:
                self.assertEqual(found.severity, "stop")

    def test_where_too_many_lie_there_fewer_are_offered_and_never_as_many(self) -> None:
        found = room((150, 150, 20), copies={"count": 9})
        assert found is not None
        self.assertEqual(found.field, "copies.count")
        offered = [one.settings[0].value for one in found.remedies]
        self.assertEqual(offered, sorted({4, 2, 1}, reverse=True))


class Tops(unittest.TestCase):
    def at(self, speed: float, own: float | None) -> Finding | None:
        plastic = Material.model_validate({"name": "Sticky", "top_speed_mm_s": own})
        return said({"speed_mm_s": {"top": speed}}, material=plastic).get("fast_top")

    def test_a_plastic_bears_half_as_much_again_as_it_wants_and_none_more_than_the_usual_most(self) -> None:
        for own, most in ((None, 70.0), (20.0, 30.0), (40.0, 60.0), (60.0, 70.0)):
            self.assertIsNone(self.at(most, own), own)
            found = self.at(most + 1, own)
            assert found is not None
            self.assertEqual(found.limit, most)

    def test_its_remedy_is_the_pace_that_it_wants(self) -> None:
        found = self.at(90, 20)
        assert found is not None
        self.assertIn(20.0, [key.value for one in found.remedies for key in one.settings])


if __name__ == "__main__":
    unittest.main()

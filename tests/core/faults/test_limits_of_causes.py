"""What a value is held against where a cause is looked at: each limit, written out anew, over bores, plastics and drives."""

from __future__ import annotations

import itertools
import unittest

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.faults.evidence import LIMITS
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.model import Limits, Material, Nozzle, Printer, Recipe, Standards
from meanbead.core.part.facts import part_facts
from meanbead.core.rules.rule_input import RuleInput
from tests.support.solids import box

BLOCK = box(20, 20, 4)


def limits(
    printer: Printer | None = None,
    nozzle: Nozzle | None = None,
    material: Material | None = None,
    purpose: Limits | None = None,
) -> dict[str, float | None]:
    """Every limit there is, in these surroundings, before anything was estimated."""
    standards = Standards() if purpose is None else Standards(limits=purpose)
    job = PrintJob(BLOCK, Recipe(), printer or Printer(), nozzle or Nozzle(), material or Material(), standards)
    given = RuleInput(prepare(job), part_facts(BLOCK), limits=purpose or Limits())
    return {key: read(given) for key, (_, read) in LIMITS.items()}


class OfTheNozzle(unittest.TestCase):
    def test_heights_are_shares_of_the_bore(self) -> None:
        for bore in (0.25, 0.4, 0.6, 0.8):
            found = limits(nozzle=Nozzle(bore_mm=bore))
            self.assertAlmostEqual(found["high_layer_mm"] or 0, bore * 3 / 4)
            self.assertAlmostEqual(found["low_layer_mm"] or 0, bore / 4)
            self.assertEqual(found["bore_mm"], bore)

    def test_flow_is_held_against_what_melts_at_the_heat_that_is_set(self) -> None:
        for bore in (0.4, 0.8):
            nozzle, plastic = Nozzle(bore_mm=bore), Material()
            ceiling = melt_ceiling(Printer(), nozzle, plastic, plastic.nozzle_temp_c)
            self.assertAlmostEqual(limits(nozzle=nozzle)["melt_ceiling_mm3_s"] or 0, ceiling.plan_mm3_s, places=6)


class OfThePlastic(unittest.TestCase):
    def test_heat_and_fan_are_its_own(self) -> None:
        for nozzle_c, bed_c, fan in itertools.product((205, 240), (55, 100), (0.2, 1.0)):
            plastic = Material(nozzle_temp_c=nozzle_c, nozzle_temp_max_c=260, bed_temp_c=bed_c, fan_max=fan, fan_min=0)
            found = limits(material=plastic)
            said = (found["usual_nozzle_temp_c"], found["usual_bed_temp_c"], found["fan_max"])
            self.assertEqual(said, (nozzle_c, bed_c, fan))

    def test_paces_are_its_own_where_it_has_any_else_what_people_begin_to_look_at(self) -> None:
        plain = limits()
        self.assertEqual((plain["usual_top_speed_mm_s"], plain["usual_bridge_speed_mm_s"]), (60, 30))
        sticky = limits(material=Material(top_speed_mm_s=25, bridge_speed_mm_s=18))
        self.assertEqual((sticky["usual_top_speed_mm_s"], sticky["usual_bridge_speed_mm_s"]), (25, 18))
        self.assertEqual((plain["usual_travel_mm_s"], plain["usual_first_speed_mm_s"]), (150, 30))


class OfTheMachine(unittest.TestCase):
    def test_a_pull_is_what_was_measured_else_what_its_drive_usually_needs(self) -> None:
        for drive, usual in (("direct", 0.8), ("long_tube", 4.0)):
            self.assertEqual(limits(Printer.model_validate({"drive": drive}))["needed_pull_mm"], usual)
            own = Printer.model_validate({"drive": drive, "pull_length_mm": 2.5})
            self.assertEqual(limits(own)["needed_pull_mm"], 2.5)

    def test_acceleration_is_what_it_prints_clean_at_and_travels_with(self) -> None:
        printer = Printer.model_validate({"acceleration_mm_s2": {"travel": 1700}})
        found = limits(printer)
        self.assertEqual(found["clean_acceleration_mm_s2"], printer.clean_acceleration)
        self.assertEqual(found["travel_acceleration_mm_s2"], 1700)


class OfThePurpose(unittest.TestCase):
    def test_what_it_is_for_moves_paces_and_filling(self) -> None:
        plain, shown = limits(), limits(purpose=Limits(outer_speed_mm_s=35, infill_density=0.2))
        self.assertEqual((plain["usual_outer_speed_mm_s"], plain["least_density"]), (60, 0.1))
        self.assertEqual((shown["usual_outer_speed_mm_s"], shown["least_density"]), (35, 0.2))

    def test_what_needs_an_estimate_is_not_known_before_there_is_one(self) -> None:
        self.assertIsNone(limits()["shortest_layer_s"])
        job = prepare(PrintJob(BLOCK, Recipe()))
        found = Engine().estimate(job)
        read = LIMITS["shortest_layer_s"][1]
        self.assertEqual(read(RuleInput(job, part_facts(BLOCK), found)), found.shortest_layer_s)


if __name__ == "__main__":
    unittest.main()

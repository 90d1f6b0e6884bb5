"""The sample workshop through the rules: each part shows what it was made to show."""

from __future__ import annotations

import unittest

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.trial import Trial, try_out
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Limits, Material, Nozzle, Printer, Recipe
from meanbead.core.model.purpose import PURPOSES
from meanbead.core.part.facts import part_facts
from meanbead.demo.parts import SAMPLE_PARTS
from meanbead.demo.workshop import COLUMNS, EVERYDAY, MACHINES, MATERIALS, NOZZLES, PURPOSE_OF, SPOOLS
from tests.demo.test_lessons import ENGINE
from tests.demo.test_lessons import solid as sample

ON_HAND = {number: Nozzle.model_validate(keys) for number, keys in enumerate(NOZZLES.values(), start=1)}


def tried(name: str, column: int = 0, machine: str = "Heron") -> Trial:
    """A sample part's column, held against its purpose."""
    _, nozzle, material, choices = COLUMNS.get(name, (EVERYDAY,))[column]
    solid = sample(name)
    limits = PURPOSES[PURPOSE_OF[name]] if name in PURPOSE_OF else Limits()
    job = PrintJob(
        solid,
        Recipe.model_validate(choices),
        Printer.model_validate(MACHINES[machine]),
        Nozzle.model_validate(NOZZLES[nozzle]),
        Material.model_validate(MATERIALS[material]),
    )
    context = AdviceContext(part_facts(solid), ENGINE.insight(solid).facts, limits, nozzles=ON_HAND)
    return try_out(ENGINE, job, context, 12)


def rules(trial: Trial) -> dict[str, str]:
    return {finding.rule: finding.severity for finding in trial.findings}


class SampleParts(unittest.TestCase):
    def test_the_herb_trough_wastes_its_time_in_a_sliver_and_one_wall_more_does_not(self) -> None:
        self.assertEqual(rules(tried("Herb trough"))["sliver"], "waste")
        self.assertNotIn("sliver", rules(tried("Herb trough", 1)))

    def test_the_flag_post_falls_easily_and_waits(self) -> None:
        found = rules(tried("Flag post"))
        self.assertEqual(found["needs_brim"], "risk")
        self.assertIn("cooling_time", found)

    def test_the_owl_leans_out_and_its_trees_hold_it(self) -> None:
        self.assertIn("overhang", rules(tried("Snow owl")))
        held = rules(tried("Snow owl", 1))
        self.assertNotIn("overhang", held)
        self.assertIn("trimming", held)

    def test_the_drain_plate_travels_too_much_unless_it_is_kept_inside(self) -> None:
        inside, hops = tried("Drain plate"), tried("Drain plate", 1)
        self.assertIn("travel_share", rules(hops))
        self.assertLess(inside.measures.time_s, 0.8 * hops.measures.time_s)

    def test_the_tool_box_is_a_long_print(self) -> None:
        self.assertIn("long_print", rules(tried("Tool box")))

    def test_the_coarse_trough_keeps_to_what_melts_and_has_shell_enough(self) -> None:
        found = rules(tried("Herb trough", 2))
        self.assertFalse({"melt_cap", "shell_limit"} & set(found))

    def test_no_sample_column_is_a_stop(self) -> None:
        for name in ("Herb trough", "Bin tag", "Domed knob", "Shelf bracket"):
            for column in range(len(COLUMNS[name])):
                with self.subTest(name=name, column=column):
                    self.assertNotIn("stop", rules(tried(name, column)).values())


class Shelf(unittest.TestCase):
    def test_spools_and_purposes_name_what_is_there(self) -> None:
        for name, material, known in SPOOLS:
            self.assertIn(material, MATERIALS, name)
            self.assertGreater(known["left_g"], 0)
        self.assertLessEqual(set(PURPOSE_OF.values()), set(PURPOSES))
        self.assertLessEqual(set(PURPOSE_OF), {part.name for part in SAMPLE_PARTS})

    def test_machines_are_as_clean_as_their_axes_allow(self) -> None:
        for name, keys in MACHINES.items():
            printer = Printer.model_validate(keys)
            most = min(printer.max_acceleration_mm_s2.x, printer.max_acceleration_mm_s2.y)
            self.assertLessEqual(printer.clean_acceleration, most, name)
            self.assertGreaterEqual(printer.clean_acceleration, printer.acceleration_mm_s2.print, name)

    def test_filled_and_warping_plastics_are_marked(self) -> None:
        marked = {name: Material.model_validate(keys) for name, keys in MATERIALS.items()}
        self.assertTrue(marked["ABS, slate"].warp_prone and marked["ABS, slate"].ventilate)
        self.assertTrue(marked["Nylon with carbon fibre"].abrasive and marked["Nylon with carbon fibre"].damp_prone)
        self.assertFalse(marked["PLA, chalk white"].damp_prone)

"""Which changes are worth a look: only those that fit the recipe, the machine and the house."""

from __future__ import annotations

import unittest
from typing import Any

from meanbead.core.advise.candidates import Candidate, candidates
from meanbead.core.advise.context import AdviceContext, with_settings
from meanbead.core.advise.trial import try_out
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.model import Limits, Nozzle, Printer, Recipe
from meanbead.core.model.house import HouseRules
from meanbead.core.part.facts import part_facts
from meanbead.core.recipe.resolve import resolve
from tests.support.insights import insight
from tests.support.solids import box, cylinder

ENGINE = Engine()
BLOCK = box(30, 30, 12)
NOZZLES = {1: Nozzle(), 2: Nozzle(bore_mm=0.6), 3: Nozzle(bore_mm=0.6, metal="hardened_steel")}
PLAIN = Printer()


def found(
    printer: Printer = PLAIN, solid: Any = BLOCK, around: dict[str, Any] | None = None, **choices: Any
) -> list[Candidate]:
    job = PrintJob(solid, Recipe.model_validate(choices), printer)
    context = AdviceContext(part_facts(solid), insight(), nozzles=NOZZLES, **(around or {}))
    return candidates(try_out(ENGINE, job, context, 6), context)


def keyed(list_of: list[Candidate]) -> dict[str, set[Any]]:
    values: dict[str, set[Any]] = {}
    for candidate in list_of:
        for setting in candidate.settings:
            values.setdefault(setting.key, set()).add(setting.value)
    return values


class Worth(unittest.TestCase):
    def test_steps_of_the_machine_are_kept(self) -> None:
        heights = keyed(found(Printer(z_step_mm=0.04)))["layer_height_mm"]
        self.assertEqual(heights, {0.16, 0.24, 0.32})

    def test_heights_that_divide_the_part_are_among_them(self) -> None:
        solid = box(30, 30, 5.05)
        heights = keyed(found(solid=solid, layer_height_mm=0.2))["layer_height_mm"]
        self.assertLessEqual({round(5.05 / 25, 4), round(5.05 / 26, 4)}, heights)
        steps = Printer.model_validate({"z_step_mm": 0.04})
        house = {"house": HouseRules(layer_heights="full_steps")}
        kept = keyed(found(steps, solid, house, layer_height_mm=0.2))["layer_height_mm"]
        self.assertTrue(all(abs(prospect / 0.04 - round(prospect / 0.04)) < 1e-6 for prospect in kept))

    def test_the_house_sets_the_highest_layer(self) -> None:
        house = {"house": HouseRules(layer_height_ceiling="three_quarters")}
        heights = keyed(found(Printer(z_step_mm=0.04), around=house))["layer_height_mm"]
        self.assertEqual(max(heights), 0.28)

    def test_one_nozzle_of_each_bore_and_not_the_own(self) -> None:
        self.assertEqual(keyed(found())["nozzle"], {2})

    def test_no_fewer_walls_than_one_and_none_in_a_spiral(self) -> None:
        self.assertEqual(keyed(found(walls=1))["walls"], {2})
        self.assertNotIn("walls", keyed(found(spiral=True, walls=1, infill={"density": 0.0})))

    def test_every_hop_retracts_where_the_house_says_so(self) -> None:
        self.assertIn("retraction.min_travel_mm", keyed(found()))
        house = {"house": HouseRules(retraction="every_hop")}
        self.assertNotIn("retraction.min_travel_mm", keyed(found(around=house)))

    def test_copies_only_where_layers_wait(self) -> None:
        self.assertNotIn("copies.count", keyed(found()))
        self.assertIn("copies.count", keyed(found(solid=cylinder(4, 10))))

    def test_a_brim_or_none_as_the_case_may_be(self) -> None:
        self.assertEqual(keyed(found())["adhesion.kind"], {"brim"})
        self.assertEqual(keyed(found(adhesion={"kind": "raft"}))["adhesion.kind"], {"skirt"})

    def test_supports_only_where_there_are_some(self) -> None:
        self.assertNotIn("supports.kind", keyed(found()))
        self.assertEqual(keyed(found(supports={"kind": "columns"}))["supports.kind"], {"trees", "none"})

    def test_doubled_lines_only_where_there_is_enough_to_halve(self) -> None:
        self.assertEqual(keyed(found())["infill.lines_side_by_side"], {2})
        self.assertNotIn("infill.lines_side_by_side", keyed(found(infill={"density": 0.06})))


class Pace(unittest.TestCase):
    def test_acceleration_goes_to_what_the_machine_shows_clean(self) -> None:
        slow = Printer.model_validate({"acceleration_mm_s2": {"print": 500}, "clean_acceleration_mm_s2": 1800})
        self.assertIn(1800, keyed(found(slow))["acceleration_mm_s2.outer_wall"])
        quick = Printer.model_validate({"acceleration_mm_s2": {"print": 2000}, "clean_acceleration_mm_s2": 1800})
        offered = keyed(found(quick)).get("acceleration_mm_s2.outer_wall", set())
        self.assertTrue(all(value <= 1800 for value in offered))

    def test_speeds_go_to_the_melt_ceiling_and_the_purpose_holds_the_outer_wall(self) -> None:
        limits = Limits(flow_margin=0.2, outer_speed_mm_s=45)
        values = keyed(
            [
                candidate
                for candidate in found(around={"limits": limits})
                if "nozzle_temp_c" not in {setting.key for setting in candidate.settings}
            ]
        )
        ceiling = melt_ceiling(PLAIN, Nozzle(), PrintJob(BLOCK, Recipe()).material, 210).plan_mm3_s
        area = bead_area_mm2(0.44, 0.2)
        self.assertTrue(all(speed * area <= 0.8 * ceiling for speed in values["speed_mm_s.infill"] if speed < 150))
        self.assertLessEqual(max(values["speed_mm_s.outer_wall"]), 45)

    def test_a_larger_bead_comes_with_the_speed_that_melts(self) -> None:
        wide = [
            candidate
            for candidate in found(speed_mm_s={"infill": 100})
            if candidate.group == "width" and "All lines of 0.6" in candidate.label
        ]
        (one,) = wide
        self.assertIn("at the speed that melts", one.label)
        changed = with_settings(
            PrintJob(BLOCK, Recipe.model_validate({"speed_mm_s": {"infill": 100}})), one.settings, NOZZLES
        )
        plan = resolve(changed.recipe, changed.printer, changed.nozzle, changed.material)
        ceiling = melt_ceiling(PLAIN, Nozzle(), changed.material, plan.nozzle_temp_c).plan_mm3_s
        self.assertLessEqual(plan.speed_mm_s.infill * bead_area_mm2(0.6, 0.2), ceiling)


class Order(unittest.TestCase):
    def test_what_moves_no_stroke_comes_first(self) -> None:
        groups = [candidate.group for candidate in found()]
        self.assertEqual(groups[0], "pace")
        self.assertLess(groups.index("travel"), groups.index("infill"))
        self.assertLess(groups.index("infill"), groups.index("width"))
        self.assertLess(groups.index("width"), groups.index("nozzle"))

    def test_all_can_be_applied(self) -> None:
        job = PrintJob(BLOCK, Recipe())
        for candidate in found():
            with self.subTest(label=candidate.label):
                changed = with_settings(job, candidate.settings, NOZZLES)
                try:
                    resolve(changed.recipe, changed.printer, changed.nozzle, changed.material)
                except MeanBeadError as problem:
                    self.fail(str(problem))

"""Questions asked backwards against the engine itself, on parts that no other test has."""

import unittest

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.learn.flow.asked_back import WantedPart, heat_question, what_to_fit
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.recipe.adapt import adapted
from tests.support.solids import box, cone

FAST = Recipe.model_validate({"speed_mm_s": {"infill": 220, "inner_wall": 220, "solid": 220}, "nozzle_temp_c": 205})


class Heat(unittest.TestCase):
    def test_ten_degrees_buy_what_two_whole_estimates_differ_by(self) -> None:
        engine, part = Engine(), box(63, 41, 5.4)
        told = heat_question(engine, PrintJob(part, FAST))
        before, after = (
            engine.estimate(PrintJob(part, FAST.model_copy(update={"nozzle_temp_c": temp}))) for temp in (205, 215)
        )
        self.assertEqual((told.now_c, told.hotter_c), (205, 215))
        truth = before.print_time_s - after.print_time_s
        self.assertGreater(truth, 10)
        self.assertAlmostEqual(told.saved_s or 0, truth, delta=0.05 * truth)

    def test_what_it_needs_is_the_coldest_at_which_its_fastest_flow_may_be_planned(self) -> None:
        slower = FAST.model_copy(
            update={"speed_mm_s": FAST.speed_mm_s.model_copy(update={"infill": 130, "inner_wall": 130, "solid": 130})}
        )
        told = heat_question(Engine(), PrintJob(box(63, 41, 5.4), slower))
        assert told.needed_c is not None
        plans = [melt_ceiling(Printer(), Nozzle(), Material(), told.needed_c + off).plan_mm3_s for off in (-0.1, 0.1)]
        self.assertTrue(plans[0] < told.asked_mm3_s < plans[1], (plans, told))


class Fitting(unittest.TestCase):
    def test_hours_are_those_of_every_wanted_piece_and_the_best_comes_first(self) -> None:
        engine = Engine()
        jobs = {"slab": PrintJob(box(47, 33, 4), Recipe()), "hat": PrintJob(cone(9, 14, 40), Recipe())}
        parts = [WantedPart("slab", jobs["slab"], 3), WantedPart("hat", jobs["hat"], 2)]
        nozzles = {"0.6": Nozzle(bore_mm=0.6), "0.25": Nozzle(bore_mm=0.25)}
        now, *others = what_to_fit(engine, parts, nozzles, {}, rounds_a_week=2)
        hours = 0.0
        for part in parts:
            hours += part.quantity * engine.estimate(part.job).print_time_s / 3600
        self.assertAlmostEqual(now.hours, hours, delta=0.03 * hours)
        self.assertEqual([way.label for way in others], ["0.6", "0.25"])
        for way in others:
            nozzle, total = nozzles[way.label], 0.0
            for part in parts:
                job = part.job
                carried = adapted(job.recipe, job.printer, job.nozzle, nozzle, job.material, job.standards)
                whole = engine.estimate(PrintJob(job.solid, carried, job.printer, nozzle))
                total += part.quantity * whole.print_time_s / 3600
            self.assertAlmostEqual(way.hours, total, delta=0.03 * total)
            self.assertAlmostEqual(way.saved_h_a_week, 2 * (now.hours - way.hours))

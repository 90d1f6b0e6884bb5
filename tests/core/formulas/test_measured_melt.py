"""A flow test in place of the typical hot end: where it counts as measured, where it only informs, and what it leaves alone."""

import itertools
import math
import unittest
from datetime import date
from typing import Any

import numpy as np

from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.formulas.melt import melt_ceiling, output_share, temperature_for_flow_c
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.measured import MeasuredAt, MeasuredMelt
from meanbead.core.rules import with_findings
from tests.support.solids import box

PLA, BRASS = Material(), Nozzle()


def at(temp: float, limit: float, **known: Any) -> MeasuredAt:
    usual = {"knee_mm3_s": limit * 1.05, "knee_low_mm3_s": limit, "knee_high_mm3_s": limit * 1.1}
    if "knee" in known:
        usual["knee_mm3_s"] = known.pop("knee")
    return MeasuredAt(temp_c=temp, limit_mm3_s=limit, **(usual | known))


def tested(*entries: MeasuredAt, **known: Any) -> Printer:
    melt = MeasuredMelt(
        nozzle=known.pop("nozzle", BRASS),
        material=known.pop("material", "PLA"),
        colour=known.pop("colour", ""),
        melt_zone_mm=known.pop("melt_zone_mm", 12),
        on=known.pop("on", date(2026, 11, 1)),
        at=entries,
    )
    return Printer(measured_melts=(melt,), **known)


class Measured(unittest.TestCase):
    def test_it_replaces_the_typical_limit_less_the_margin(self) -> None:
        for margin in (0.1, 0.2):
            found = melt_ceiling(tested(at(215, 14), flow_margin=margin), BRASS, PLA, 215)
            self.assertEqual((found.source, found.basis), ("measured", "measured on 1 Nov 2026"))
            self.assertAlmostEqual(found.plan_mm3_s, 14 * (1 - margin))

    def test_between_two_temperatures_it_is_a_line(self) -> None:
        printer = tested(at(205, 10, knee=11), at(225, 14, knee=16))
        for temp, limit in ((205, 10), (210, 11), (222, 13.4), (225, 14)):
            self.assertAlmostEqual(melt_ceiling(printer, BRASS, PLA, temp).plan_mm3_s, 0.9 * limit)
        self.assertAlmostEqual(melt_ceiling(printer, BRASS, PLA, 210).knee_mm3_s, 12.25)

    def test_ten_degrees_beyond_it_moves_as_the_typical_one_and_then_only_informs(self) -> None:
        printer, typical = tested(at(205, 10), at(215, 12)), Printer()
        growth = melt_ceiling(typical, BRASS, PLA, 224).knee_mm3_s / melt_ceiling(typical, BRASS, PLA, 215).knee_mm3_s
        near = melt_ceiling(printer, BRASS, PLA, 224)
        self.assertEqual(near.source, "measured")
        self.assertAlmostEqual(near.plan_mm3_s, 0.9 * 12 * growth)
        far = melt_ceiling(printer, BRASS, PLA, 228)
        self.assertEqual(far.source, "typical")
        self.assertIn("set right by the flow test", far.basis)
        width = [found.high_mm3_s / found.low_mm3_s for found in (near, far)]
        self.assertGreater(width[1], width[0])

    def test_leaving_the_tested_range_never_raises_what_may_be_planned(self) -> None:
        """A strand that curls before its output falls curls eleven degrees further down, too."""
        curls = tested(at(205, 8, knee=10), at(215, 9, knee=11.5))
        for inside, outside in ((195.0, 194.9), (225.0, 225.1)):
            here, there = (melt_ceiling(curls, BRASS, PLA, temp) for temp in (inside, outside))
            self.assertEqual((here.source, there.source), ("measured", "typical"))
            self.assertAlmostEqual(there.plan_mm3_s / here.plan_mm3_s, 1, delta=0.03)
        plans = [melt_ceiling(curls, BRASS, PLA, 185 + step).plan_mm3_s for step in range(45)]
        self.assertTrue(all(after > 0.99 * before for before, after in itertools.pairwise(plans)), plans)

    def test_neighbours_are_informed_with_a_wider_interval(self) -> None:
        typical = melt_ceiling(Printer(), BRASS, PLA, 215)
        printer = tested(at(215, 1.4 * typical.knee_mm3_s / 1.05))
        own = melt_ceiling(printer, BRASS, PLA, 215)
        for nozzle, material in ((Nozzle(bore_mm=0.6), PLA), (BRASS, Material(colour="red"))):
            usual, found = (melt_ceiling(one, nozzle, material, 215) for one in (Printer(), printer))
            self.assertEqual(found.source, "typical")
            self.assertTrue(usual.knee_mm3_s < found.knee_mm3_s < 1.4 * usual.knee_mm3_s)
            self.assertGreater(found.high_mm3_s / found.low_mm3_s, 1.1)
            self.assertLess(found.high_mm3_s / found.low_mm3_s, usual.high_mm3_s / usual.low_mm3_s)
        self.assertEqual(own.source, "measured")

    def test_another_plastic_or_hot_end_is_left_alone(self) -> None:
        typical = melt_ceiling(Printer(), BRASS, PLA, 215)
        for printer in (tested(at(215, 30), material="ABS"), tested(at(215, 30), melt_zone_mm=20)):
            self.assertEqual(melt_ceiling(printer, BRASS, PLA, 215), typical)

    def test_the_newest_of_two_counts(self) -> None:
        old, new = tested(at(215, 9)), tested(at(215, 11), on=date(2026, 11, 20))
        printer = Printer(measured_melts=(*new.measured_melts, *old.measured_melts))
        self.assertAlmostEqual(melt_ceiling(printer, BRASS, PLA, 215).plan_mm3_s, 9.9)

    def test_the_temperature_for_a_flow_inverts_it(self) -> None:
        printer = tested(at(205, 10), at(225, 14))
        temp = temperature_for_flow_c(printer, BRASS, PLA, 0.9 * 12, 230)
        self.assertAlmostEqual(temp or 0, 215, places=3)


class BeyondTheKnee(unittest.TestCase):
    def test_running_on_loses_what_the_curve_says_and_the_finding_tells(self) -> None:
        printer = tested(at(215, 5, knee=5.2, fall=0.5, skip_mm3_s=9))
        recipe = {"nozzle_temp_c": 215, "speed_mm_s": {"infill": 100, "inner_wall": 100, "outer_wall": 100}}
        part = box(40, 40, 6)
        jobs = {
            kind: prepare(PrintJob(part, Recipe.model_validate(recipe | {"above_melt": kind}), printer))
            for kind in ("slow_down", "run_on")
        }
        engine = Engine()
        held, free = (engine.estimate(jobs[kind]) for kind in ("slow_down", "run_on"))
        self.assertEqual(held.under_extruded_mm3, 0)
        self.assertLess(free.print_time_s, held.print_time_s)
        self.assertTrue(5.2 < free.peak_flow_mm3_s <= 9 + 1e-6)
        # No stroke loses more than one at the largest flow does.
        most = 1 - float(output_share(jobs["run_on"].ceiling, np.array([free.peak_flow_mm3_s]))[0])
        self.assertTrue(0 < free.under_extruded_mm3 <= most * free.filament_mm3)
        told = with_findings(free, jobs["run_on"], engine.facts(part)).findings
        (finding,) = [finding for finding in told if finding.rule == "above_knee"]
        self.assertIn("do not come out", finding.sentence)
        self.assertAlmostEqual(finding.limit or 0, 5.2)
        for finding in with_findings(held, jobs["slow_down"], engine.facts(part)).findings:
            self.assertNotEqual(finding.rule, "above_knee")

    def test_the_share_is_one_to_the_knee_and_falls_in_a_line(self) -> None:
        ceiling = melt_ceiling(tested(at(215, 10, knee=10, fall=0.5)), BRASS, PLA, 215)
        shares = output_share(ceiling, np.array([1.0, 10.0, 12.0, 15.0, 100.0]))
        for share, wanted in zip(shares, (1, 1, 0.9, 0.75, 0), strict=True):
            self.assertAlmostEqual(share, wanted)
        self.assertFalse(math.isnan(float(shares.sum())))

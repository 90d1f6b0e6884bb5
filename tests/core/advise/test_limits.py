"""Limits on both sides of their figures, and measures against their definitions."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.levers import effects_between, words_of
from meanbead.core.advise.limits import SearchLimits, breaches, plan_breaches
from meanbead.core.advise.measures import Measures, PlanMeasures, measures, narrowest_mm
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.model import Printer, Recipe
from meanbead.core.model.shop import Attendance, Shop
from meanbead.core.part.facts import part_facts
from meanbead.core.recipe.resolve import resolve
from tests.support.insights import insight
from tests.support.solids import box

ENGINE = Engine()
BLOCK = box(20, 20, 10)
USUAL, PLAIN = Shop(), Printer()
BASE: dict[str, Any] = {
    "ridge_mm": 0.2,
    "detail_mm": 0.3,
    "overhang_margin_deg": 5.0,
    "outer_width_mm": 0.44,
    "shell_mm": 0.8,
    "top_mm": 0.8,
    "bottom_mm": 0.6,
    "over_usual_c": 0.0,
    "least_layer_s": 8.0,
    "density": 0.2,
    "bond": 1.0,
    "crush": 1.0,
    "sideways": 1.0,
    "bend": 0.5,
    "outer_speed_mm_s": 60.0,
    "gloss": "satin",
    "time_s": 3600.0,
    "piece_time_s": 3600.0,
    "whole_time_s": 4000.0,
    "pieces": 1,
    "filament_g": 20.0,
    "cost": 0.5,
    "expected_cost": 0.6,
    "success": 0.9,
    "lost_share": 0.01,
    "flow_margin": 0.2,
    "plates_per_day": 3.0,
    "by_cause": {
        "at_set_speed_s": 2600.0,
        "melt_ceiling_s": 0.0,
        "ramps_s": 400.0,
        "corners_s": 100.0,
        "layer_cooling_s": 0.0,
        "travelling_s": 300.0,
        "retracting_s": 180.0,
        "z_and_layer_change_s": 20.0,
    },
}
# limit: measure, whether more of it is too much
PAIRS: dict[str, tuple[str, bool]] = {
    "ridge_mm": ("ridge_mm", True),
    "detail_mm": ("detail_mm", True),
    "outer_speed_mm_s": ("outer_speed_mm_s", True),
    "shell_mm": ("shell_mm", False),
    "infill_density": ("density", False),
    "bond": ("bond", False),
    "crush": ("crush", False),
    "sideways": ("sideways", False),
    "bend": ("bend", False),
    "lost_share": ("lost_share", True),
    "filament_g": ("filament_g", True),
    "cost": ("cost", True),
    "flow_margin": ("flow_margin", False),
    "plates_per_day": ("plates_per_day", False),
    "time_s": ("whole_time_s", True),
}


def measured(**changes: Any) -> Measures:
    return Measures.model_validate(BASE | changes)


class Breaches(unittest.TestCase):
    def test_each_limit_is_kept_at_its_own_figure_and_broken_beyond(self) -> None:
        for limit, (measure, most) in PAIRS.items():
            with self.subTest(limit=limit):
                value = BASE[measure]
                beyond = value * (0.98 if most else 1.02)
                self.assertEqual(breaches(SearchLimits.model_validate({limit: value}), measured()), [])
                (broken,) = breaches(SearchLimits.model_validate({limit: beyond}), measured())
                self.assertEqual((broken.limit, broken.value, broken.allowed), (limit, value, beyond))
                self.assertTrue(broken.sentence)

    def test_every_limit_is_looked_at(self) -> None:
        self.assertEqual(set(SearchLimits.model_fields), set(PAIRS) | {"fault_risk"})
        self.assertEqual(breaches(SearchLimits(fault_risk=0.1), measured()), [])
        (broken,) = breaches(SearchLimits(fault_risk=0.05), measured())
        self.assertAlmostEqual(broken.value, 0.1)

    def test_what_the_plan_says_is_a_part_of_what_the_engine_says(self) -> None:
        limits = SearchLimits(ridge_mm=0.1, shell_mm=2, filament_g=1)
        plan = PlanMeasures.model_validate({name: BASE[name] for name in PlanMeasures.model_fields})
        early = {plan_breach.limit for plan_breach in plan_breaches(limits, plan)}
        self.assertEqual(early, {"ridge_mm", "shell_mm"})
        self.assertLess(early, {breach.limit for breach in breaches(limits, measured())})

    @given(st.sampled_from(sorted(PAIRS)), st.floats(0.5, 2.0), st.floats(1.0, 1.5))
    def test_a_looser_limit_never_breaks_more(self, limit: str, factor: float, looser: float) -> None:
        measure, most = PAIRS[limit]
        tight = BASE[measure] * factor
        tight = min(tight, 1.0) if limit in ("infill_density", "lost_share", "flow_margin") else tight
        loose = tight * looser if most else tight / looser
        loose = min(loose, 1.0) if limit == "lost_share" else loose
        kept = not breaches(SearchLimits.model_validate({limit: tight}), measured())
        if kept:
            self.assertEqual(breaches(SearchLimits.model_validate({limit: loose}), measured()), [])


class Figures(unittest.TestCase):
    def of(self, shop: Shop = USUAL, printer: Printer = PLAIN, **choices: Any) -> tuple[Measures, Any]:
        job = PrintJob(BLOCK, Recipe.model_validate(choices), printer)
        context = AdviceContext(part_facts(BLOCK), insight(), shop=shop)
        estimate = ENGINE.sampled(job, None).estimate
        return measures(prepare(job), estimate, context), estimate

    def test_are_those_of_one_piece(self) -> None:
        found, estimate = self.of(copies={"count": 3})
        self.assertEqual(found.pieces, 3)
        self.assertAlmostEqual(found.piece_time_s * 3, estimate.print_time_s)
        self.assertAlmostEqual(found.filament_g * 3, estimate.filament_g)

    def test_expected_cost_counts_what_fails(self) -> None:
        dear = Printer(wear_per_h=2.0)
        found, estimate = self.of(Shop(fault_rate_per_h=0.5), dear)
        hours = estimate.whole_time_s / 3600
        self.assertAlmostEqual(found.success, math.exp(-0.5 * hours))
        self.assertAlmostEqual(found.cost, estimate.filament_cost + 2.0 * hours)
        self.assertAlmostEqual(found.expected_cost, found.cost / found.success)

    def test_the_melt_margin_is_negative_where_too_much_is_asked_for(self) -> None:
        self.assertGreater(self.of()[0].flow_margin, 0)
        self.assertLess(self.of(speed_mm_s={"infill": 240})[0].flow_margin, 0)

    def test_plates_follow_the_hours(self) -> None:
        long, short = (Shop(attended=Attendance(from_h=8, to_h=end)) for end in (22, 9))
        self.assertGreater(self.of(long)[0].plates_per_day, 4 * self.of(short)[0].plates_per_day)

    def test_a_detail_counts_only_on_a_part_that_has_one(self) -> None:
        plan = resolve(Recipe(), Printer(), PrintJob(BLOCK, Recipe()).nozzle, PrintJob(BLOCK, Recipe()).material)
        self.assertEqual(narrowest_mm(plan, insight()), 0.0)
        self.assertAlmostEqual(narrowest_mm(plan, insight(smallest_detail_mm=0.2)), 0.6 * 0.44)
        fixed = replace(plan, shape=replace(plan.shape, thin_walls="fixed"))
        self.assertAlmostEqual(narrowest_mm(fixed, insight(smallest_detail_mm=0.2)), 0.44)


class Effects(unittest.TestCase):
    def test_say_what_got_worse_and_what_better(self) -> None:
        found = {effect.name: effect for effect in effects_between(measured(), measured(shell_mm=1.2, ridge_mm=0.3))}
        self.assertEqual({name: one.better for name, one in found.items()}, {"shell_mm": True, "ridge_mm": False})
        self.assertEqual(words_of(found["ridge_mm"]), "steps on slopes 0.20 to 0.30 mm")

    def test_what_is_not_felt_is_not_said(self) -> None:
        close = measured(bond=0.99, ridge_mm=0.21, lost_share=0.011, flow_margin=0.198, over_usual_c=2.0)
        self.assertEqual(list(effects_between(measured(), close)), [])

    def test_a_margin_that_is_left_over_is_neither_good_nor_bad(self) -> None:
        (left,) = effects_between(measured(), measured(flow_margin=0.05))
        self.assertIsNone(left.better)
        (gone,) = effects_between(measured(), measured(flow_margin=-0.1))
        self.assertIs(gone.better, False)
        (over,) = effects_between(measured(), measured(overhang_margin_deg=-4))
        self.assertIs(over.better, False)

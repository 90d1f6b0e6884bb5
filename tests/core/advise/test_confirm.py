"""Wastes that are shown are real: their remedies, computed in full, save what was said."""

from __future__ import annotations

import unittest

import manifold3d

from meanbead.core.advise.confirm import Remedies, remedies_tried
from meanbead.core.advise.context import AdviceContext, with_settings
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Nozzle, Printer, Recipe
from meanbead.core.part.facts import part_facts
from meanbead.core.part.solid import Solid
from meanbead.core.rules import findings
from tests.support.estimating import estimate_with_findings
from tests.support.solids import block, box, cone, solid_of, spur_gear

ENGINE = Engine()
SLOW = Printer.model_validate({"drive": "long_tube", "acceleration_mm_s2": {"print": 700, "travel": 700}})


def thin_cup(wall: float = 2.4) -> Solid:
    outer = manifold3d.Manifold.cylinder(30, 16, 16, 96)
    return solid_of(outer - manifold3d.Manifold.cylinder(40, 16 - wall, 16 - wall, 96).translate((0, 0, 1.6)))


CASES: dict[str, tuple[Solid, dict[str, object], Printer]] = {
    "gear": (spur_gear(), {}, Printer()),
    "cup": (thin_cup(), {"travel": "straight"}, SLOW),
    "cup, 3 walls": (thin_cup(), {"walls": 3}, SLOW),
    "box, raft": (box(30, 20, 8), {"adhesion": {"kind": "raft"}}, Printer()),
    "box, brim": (box(60, 60, 6), {"adhesion": {"kind": "brim"}}, Printer()),
    "box, ironed": (box(40, 40, 4), {"ironing": {"kind": "all_tops"}}, Printer()),
    "cone, supports": (cone(12, 14, 48), {"supports": {"kind": "columns"}}, Printer()),
    "mesh of holes": (
        solid_of(
            block(40, 40, 3)
            - sum(
                (block(0.9, 0.9, 9, (1.8 * k, 1.8 * j, -3)) for k in range(1, 21) for j in range(1, 21)),
                block(1, 1, 1, (-9, 0, 0)),
            )
        ),
        {"travel": "straight", "retraction": {"min_travel_mm": 0.5}},
        SLOW,
    ),
}


def looked_at(name: str) -> tuple[PrintJob, AdviceContext, Remedies]:
    solid, keys, printer = CASES[name]
    job = PrintJob(solid, Recipe.model_validate(keys), printer, Nozzle())
    context = AdviceContext(part_facts(solid), ENGINE.insight(solid).facts)
    return job, context, remedies_tried(ENGINE, job, context)


class Confirmed(unittest.TestCase):
    def test_every_waste_that_is_shown_saves_when_computed_in_full(self) -> None:
        shown = set()
        for name in CASES:
            job, context, found = looked_at(name)
            base = ENGINE.estimate(job)
            self.assertTrue(found.complete)
            for waste in found.waste:
                self.assertEqual(waste.finding.severity, "waste")
                self.assertEqual(
                    {way.label for way in waste.finding.remedies}, {saving.label for saving in waste.savings}
                )
                for lever in waste.savings:
                    with self.subTest(part=name, rule=waste.finding.rule, remedy=lever.label):
                        shown.add(waste.finding.rule)
                        after = ENGINE.estimate(with_settings(job, lever.settings, context.nozzles))
                        saved = after.print_time_s - base.print_time_s
                        self.assertTrue(saved < 0 or after.filament_g < base.filament_g)
                        self.assertAlmostEqual(saved, lever.time_s, delta=lever.bound_s + 0.004 * base.print_time_s)
        self.assertLessEqual({"needless_raft", "needless_brim", "ironing", "short_hops", "sliver"}, shown)

    def test_the_teeth_of_a_gear_are_no_wall_that_one_more_line_saves_time_on(self) -> None:
        job, context, found = looked_at("gear")
        self.assertEqual([entry.finding.rule for entry in found.waste if entry.finding.rule == "sliver"], [])
        for walls in (1, 2, 3):
            tried = remedies_tried(ENGINE, PrintJob(job.solid, Recipe(walls=walls)), context)
            for waste in tried.waste:
                self.assertLess(waste.savings[0].time_s, 0)

    def test_nothing_is_stated_as_a_saving_that_was_not_computed(self) -> None:
        for name in CASES:
            job, context, _ = looked_at(name)
            estimate = estimate_with_findings(ENGINE, job)
            self.assertNotIn("waste", [entry.severity for entry in estimate.findings])
            for finding in findings(context.rule_input(job, estimate=estimate)):
                for words in (finding.sentence, finding.remedy, finding.reason):
                    self.assertNotRegex(words, r"(?i)less time|faster|saves?\b|quicker")

    def test_progress_grows_and_may_end_it(self) -> None:
        job, context, _ = looked_at("box, raft")
        seen: list[tuple[float, int]] = []
        remedies_tried(ENGINE, job, context, lambda share, found: seen.append((share, len(found.remedies))))
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(seen[-1][0], 1.0)

        def stop(share: float, found: Remedies) -> None:
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            remedies_tried(ENGINE, job, context, stop)

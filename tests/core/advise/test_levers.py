"""Levers on new parts of known kinds: found by computation, true within their bound, honest about what they take."""

from __future__ import annotations

import unittest
from functools import lru_cache
from typing import Any

import manifold3d

from meanbead.core.advise.context import AdviceContext, settings_between, with_settings
from meanbead.core.advise.levers import Advice, Lever, levers
from meanbead.core.advise.trial import try_out
from meanbead.core.errors import MeanBeadError, RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Limits, Nozzle, Printer, Recipe
from meanbead.core.model.finding import SetTo
from meanbead.core.part.facts import part_facts
from meanbead.core.part.solid import Solid
from tests.support.solids import block, solid_of

ENGINE = Engine()
NOZZLES = {1: Nozzle(), 2: Nozzle(bore_mm=0.6)}
SLOW_TO_START = Printer.model_validate(
    {
        "acceleration_mm_s2": {"print": 500, "travel": 600},
        "max_acceleration_mm_s2": {"x": 4000, "y": 4000},
        "clean_acceleration_mm_s2": 3000,
    }
)

LONG_TUBE = Printer.model_validate({"drive": "long_tube", "acceleration_mm_s2": {"print": 700, "travel": 700}})


def cup() -> Solid:
    """An open round cup: three walls of 0.4 mm lines meet in its 2.45 mm, two do not."""
    outer, inner = (manifold3d.CrossSection.circle(r, 96) for r in (24.0, 21.55))
    return solid_of(outer.extrude(26) - inner.extrude(40).translate((0, 0, 1.6)))


def lettered_plate() -> Solid:
    """Rows of raised strokes, two lines wide and a few millimetres long, on a thin plate of the same make."""
    whole = block(64, 22, 0.6)
    for column in range(15):
        for row in range(3):
            at = (2 + 4.1 * column, 2 + 6.6 * row)
            whole += block(0.86, 4.6, 4, (at[0], at[1], 0)) + block(2.6, 0.86, 4, (at[0], at[1] + 1.8, 0))
    return solid_of(whole)


def big_box() -> Solid:
    """A solid block: mostly filling."""
    return solid_of(block(110, 80, 60))


def advice_on(solid: Solid, printer: Printer | None = None, **choices: Any) -> tuple[PrintJob, AdviceContext, Advice]:
    job = PrintJob(solid, Recipe.model_validate(choices), printer or Printer())
    limits = Limits(ridge_mm=0.3, flow_margin=0.05, outer_speed_mm_s=60)
    context = AdviceContext(part_facts(solid), ENGINE.insight(solid).facts, limits, nozzles=NOZZLES)
    return job, context, levers(ENGINE, job, context)


@lru_cache(maxsize=1)
def of_cup() -> tuple[PrintJob, AdviceContext, Advice]:
    return advice_on(cup(), LONG_TUBE)


def kept(advice: Advice) -> list[Lever]:
    """Levers that take nothing away, best first."""
    return [lever for lever in advice.levers if not lever.takes and not lever.breaks]


class Kinds(unittest.TestCase):
    def test_the_thin_cups_best_lever_is_the_wall_that_removes_the_sliver(self) -> None:
        """Wider inner lines remove it, too, and save more still, where the hot end melts them."""
        _, _, advice = of_cup()
        first, second = kept(advice)[:2]
        self.assertIn("sliver", first.clears)
        best = next(result for result in (first, second) if result.group != "width")
        self.assertEqual({setting.key: setting.value for setting in best.settings}, {"walls": 3})
        self.assertIn("sliver", best.clears)
        self.assertGreater(best.filament_g, 0)
        self.assertLess(best.time_s, -best.bound_s)

    def test_the_lettered_plates_is_acceleration(self) -> None:
        _, _, advice = advice_on(lettered_plate(), SLOW_TO_START, infill={"density": 0.2})
        best = kept(advice)[0]
        self.assertIn("acceleration_mm_s2.print", {setting.key for setting in best.settings}, best.label)

    def test_the_big_boxs_are_width_and_infill(self) -> None:
        _, _, advice = advice_on(big_box(), infill={"density": 0.25})
        same_nozzle = [lever for lever in advice.levers if lever.group not in ("nozzle", "height") and not lever.breaks]
        first = sorted(same_nozzle, key=lambda one: one.time_s)[:3]
        self.assertLessEqual({item.group for item in first}, {"width", "infill"}, [item.label for item in first])
        self.assertEqual({item.group for item in first}, {"width", "infill"})


class Truth(unittest.TestCase):
    def test_predictions_agree_with_full_estimates_within_their_bound(self) -> None:
        job, context, advice = of_cup()
        base = try_out(ENGINE, job, context, None).measures
        off = []
        for lever in advice.levers[::3]:
            full = try_out(ENGINE, with_settings(job, lever.settings, NOZZLES), context, None).measures
            error = abs(full.piece_time_s - base.piece_time_s - lever.time_s)
            self.assertLessEqual(error, 1.5 * lever.bound_s + 1, lever.label)
            off.append(error > lever.bound_s + 0.5)
            self.assertAlmostEqual(full.filament_g - base.filament_g, lever.filament_g, delta=lever.bound_g + 0.05)
        # The bound is one of two and a third standard errors: seldom more than one in a dozen may lie outside.
        self.assertLessEqual(sum(off), 1)

    def test_a_free_lever_takes_nothing(self) -> None:
        job, context, advice = of_cup()
        before = {
            finding.rule for finding in try_out(ENGINE, job, context).findings if finding.severity in ("stop", "risk")
        }
        self.assertTrue(any(lever.free for lever in advice.levers))
        assert advice.together is not None
        after = try_out(ENGINE, with_settings(job, advice.together.settings, NOZZLES), context)
        self.assertLessEqual(
            {finding.rule for finding in after.findings if finding.severity in ("stop", "risk")}, before
        )
        self.assertLess(advice.together.time_s, min(lever.time_s for lever in advice.levers if lever.free))

    def test_what_breaks_a_limit_stands_behind_all_others(self) -> None:
        _, _, advice = of_cup()
        broken = [bool(lever.breaks) for lever in advice.levers]
        self.assertEqual(broken, sorted(broken))

    def test_ranked_by_what_is_wanted(self) -> None:
        job, context, _ = of_cup()
        by_grams = kept(levers(ENGINE, job, context, "grams"))
        self.assertEqual([letter.filament_g for letter in by_grams], sorted(letter.filament_g for letter in by_grams))

    def test_many_levers_and_none_twice(self) -> None:
        _, _, advice = of_cup()
        changes = [
            tuple(sorted((setting.key, str(setting.value)) for setting in lever.settings)) for lever in advice.levers
        ]
        self.assertGreater(len(changes), 20)
        self.assertEqual(len(changes), len(set(changes)))
        self.assertEqual(advice.tried, advice.of)

    def test_they_come_in_one_after_the_other_and_can_be_stopped(self) -> None:
        job, context, _ = of_cup()
        seen: list[int] = []

        def stop_at_five(_share: float, _doing: str, advice: Advice) -> None:
            seen.append(len(advice.levers))
            if advice.tried == 5:
                raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            levers(ENGINE, job, context, progress=stop_at_five)
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(len(seen), 5)


class Settings(unittest.TestCase):
    def test_what_lies_between_two_recipes_makes_one_of_the_other(self) -> None:
        old = Recipe.model_validate({"walls": 2, "infill": {"density": 0.2, "pattern": "grid"}, "seam": "corner"})
        new = Recipe.model_validate({"walls": 3, "infill": {"density": 0.2}, "speed_mm_s": {"top": 30}})
        job = PrintJob(solid_of(manifold3d.Manifold.cube((1, 1, 1))), old)
        self.assertEqual(with_settings(job, settings_between(old, new), {}).recipe, new)

    def test_a_nozzle_carries_shell_and_ratios(self) -> None:
        job = PrintJob(cup(), Recipe(layer_height_mm=0.2, walls=3))
        changed = with_settings(job, [SetTo(key="nozzle", value=2)], NOZZLES)
        self.assertEqual(changed.nozzle, NOZZLES[2])
        self.assertEqual(changed.recipe.layer_height_mm, 0.3)
        self.assertEqual(changed.recipe.walls, 2)

    def test_what_cannot_be_set_is_said(self) -> None:
        job = PrintJob(cup(), Recipe())
        for key, value in (("nozzle", 99), ("infill.density", 3.0), ("walls", -1)):
            with self.subTest(key=key), self.assertRaises(RecipeError) as caught:
                with_settings(job, [SetTo(key=key, value=value)], NOZZLES)
            self.assertEqual(caught.exception.field, key)
        with self.assertRaises(MeanBeadError):
            with_settings(job, [SetTo(key="no.such.key", value=1)], NOZZLES)

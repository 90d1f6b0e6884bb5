"""The next moves against all levers, gone through by hand, on parts that nobody tuned to."""

from __future__ import annotations

import unittest
from functools import lru_cache
from itertools import combinations

import manifold3d

from meanbead.core.advise.context import AdviceContext, with_settings
from meanbead.core.advise.levers import Advice, Lever, levers
from meanbead.core.advise.next_moves import BEST, NextMoves, best_moves, next_moves
from meanbead.core.advise.trial import try_out
from meanbead.core.errors import RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Limits, Nozzle, Printer, Recipe
from meanbead.core.part.facts import part_facts
from meanbead.core.part.solid import Solid
from tests.support.solids import block, solid_of

ENGINE = Engine()
NOZZLES = {1: Nozzle(), 2: Nozzle(bore_mm=0.6)}
LONG_TUBE = Printer.model_validate({"drive": "long_tube", "acceleration_mm_s2": {"print": 700, "travel": 700}})


def comb() -> Solid:
    """A bar with thin teeth."""
    teeth = [block(2.3, 14, 9, (2 + 5.5 * k, 6, 0)) for k in range(9)]
    whole = block(52, 7, 9)
    for tooth in teeth:
        whole += tooth
    return solid_of(whole)


def vase() -> Solid:
    """A cone with a floor, whose wall leans."""
    outer = manifold3d.Manifold.cylinder(28, 14, 22, 80)
    return solid_of(outer - manifold3d.Manifold.cylinder(28, 12.2, 20.2, 80).translate((0, 0, 1.4)))


def asked(solid: Solid, recipe: Recipe) -> tuple[PrintJob, AdviceContext]:
    context = AdviceContext(
        part_facts(solid), ENGINE.insight(solid).facts, Limits(ridge_mm=0.3, flow_margin=0.05), nozzles=NOZZLES
    )
    return PrintJob(solid, recipe, LONG_TUBE), context


@lru_cache(maxsize=2)
def both(which: str) -> tuple[PrintJob, AdviceContext, list[NextMoves], Advice]:
    solid = {"comb": comb, "vase": vase}[which]()
    job, context = asked(solid, Recipe.model_validate({"infill": {"density": 0.25}}))
    return job, context, list(next_moves(ENGINE, job, context)), levers(ENGINE, job, context)


def keys(lever: Lever) -> set[str]:
    names = {setting.key for setting in lever.settings}
    return {"nozzle"} if "nozzle" in names else names


class AgainstAllLevers(unittest.TestCase):
    def test_no_change_that_is_left_out_saves_more(self) -> None:
        """Whatever saves more than a move shown sets the same thing as one shown above it, breaks a limit or brings a risk."""
        for which in ("comb", "vase"):
            _, _, answers, advice = both(which)
            shown = answers[-1].best
            self.assertTrue(shown, which)
            for lever in advice.levers:
                grave = any(finding.severity in ("stop", "risk") for finding in lever.new_findings)
                if lever.breaks or grave or lever.label in {move.label for move in shown}:
                    continue
                better = [move for move in shown if move.time_s <= lever.time_s]
                if len(better) < min(BEST, len(shown)):
                    with self.subTest(which, lever=lever.label):
                        self.assertTrue(any(keys(move) & keys(lever) for move in better))

    def test_figures_are_those_of_the_levers(self) -> None:
        for which in ("comb", "vase"):
            _, _, answers, advice = both(which)
            by_label = {lever.label: lever for lever in advice.levers}
            for move in answers[-1].best:
                self.assertEqual(move, by_label[move.label])
            self.assertEqual(answers[-1].together, advice.together)

    def test_a_move_saves_in_full_what_it_says_within_its_bound(self) -> None:
        job, context, answers, _ = both("vase")
        base = try_out(ENGINE, job, context, None).measures
        for move in answers[-1].best:
            full = try_out(ENGINE, with_settings(job, move.settings, NOZZLES), context, None).measures
            saved = full.piece_time_s - base.piece_time_s
            self.assertLess(saved, 0, move.label)
            self.assertAlmostEqual(saved, move.time_s, delta=1.5 * move.bound_s + 1)

    def test_moves_are_different_ideas_and_sorted(self) -> None:
        for which in ("comb", "vase"):
            best = both(which)[2][-1].best
            for one, other in combinations(best, 2):
                self.assertFalse(keys(one) & keys(other), (one.label, other.label))
                self.assertLessEqual(one.time_s, other.time_s)


class AsTheyCome(unittest.TestCase):
    def test_answers_grow_and_the_first_comes_before_anything_is_tried(self) -> None:
        _, _, answers, advice = both("comb")
        self.assertEqual((answers[0].tried, answers[0].best), (0, []))
        self.assertEqual([one.tried for one in answers], [*range(advice.of + 1), advice.of])
        gains = [-one.best[0].time_s if one.best else 0.0 for one in answers]
        self.assertEqual(gains, sorted(gains))

    def test_what_cannot_be_printed_says_why(self) -> None:
        job, context = asked(comb(), Recipe(layer_height_mm=0.9))
        with self.assertRaises(RecipeError):
            next(iter(next_moves(ENGINE, job, context)))

    def test_nothing_saves_nothing(self) -> None:
        _, _, answers, _ = both("comb")
        self.assertEqual(best_moves(answers[-1].base, []), [])


if __name__ == "__main__":
    unittest.main()

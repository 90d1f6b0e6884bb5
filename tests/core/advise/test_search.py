"""The search against brute force, its limits, its repeatability; the frontier against a slow reference."""

from __future__ import annotations

import itertools
import unittest
from collections.abc import Callable
from types import SimpleNamespace
from typing import Any, ClassVar
from unittest import mock
from unittest.mock import patch

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.frontier import knee, non_dominated
from meanbead.core.advise.limits import SearchLimits, breaches, plan_breaches
from meanbead.core.advise.measures import measures, plan_measures
from meanbead.core.advise.prospects import Prospect, Shares
from meanbead.core.advise.search import search
from meanbead.core.advise.search_result import SearchResult
from meanbead.core.advise.space import Recipes, usual_vary
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.formulas.surface import height_for_ridge_mm, ridge_mm
from meanbead.core.model import Limits, Material, Nozzle, Recipe
from meanbead.core.model.material import Gloss
from meanbead.core.part.facts import part_facts
from meanbead.core.part.solid import Solid
from meanbead.core.rules.looks import ridge
from meanbead.core.schedule.attendance import longest_for_s, plates_per_day
from tests.running.effort import only_long
from tests.support.solids import block, box, cone, solid_of, spur_gear

ENGINE = Engine()
NOZZLES = {1: Nozzle(), 2: Nozzle(bore_mm=0.6)}
PART = solid_of(block(26, 18, 7) - block(14, 8, 20, (6, 5, 2)))


def context_of(solid: Solid) -> AdviceContext:
    return AdviceContext(part_facts(solid), ENGINE.insight(solid).facts, nozzles=NOZZLES)


def figures(found: SearchResult) -> np.ndarray[Any, Any]:
    return np.array([(dot.measures.piece_time_s, dot.measures.filament_g) for dot in found.dots])


class Frontier(unittest.TestCase):
    @given(st.lists(st.tuples(st.integers(0, 12), st.integers(0, 12)), min_size=1, max_size=40))
    def test_is_what_none_beats(self, points: list[tuple[int, int]]) -> None:
        chosen = non_dominated(np.array(points, dtype=np.float64))

        def beaten(one: tuple[int, int]) -> bool:
            return any(a <= one[0] and b <= one[1] and (a, b) != one for a, b in points)

        self.assertEqual({points[k] for k in chosen}, {point for point in points if not beaten(point)})
        self.assertEqual(len(chosen), len({points[k] for k in chosen}))

    def test_the_knee_of_a_bent_line_is_its_corner(self) -> None:
        line = np.array([[0.0, 10.0], [1.0, 5.5], [2.0, 1.0], [6.0, 0.5], [10.0, 0.0]])
        self.assertEqual(knee(line), 2)
        self.assertEqual(knee(line[:2]), 0)


class BruteForce(unittest.TestCase):
    VARY: ClassVar[dict[str, list[Any]]] = {
        "layer_height_mm": [0.12, 0.16, 0.2, 0.24, 0.28],
        "walls": [1, 2, 3],
        "infill.density": [0.08, 0.15, 0.3],
        "pace": [1, 1.5],
    }

    def brute(self, job: PrintJob, context: AdviceContext, limits: SearchLimits) -> list[tuple[float, float]]:
        """Every recipe of the space in full, those that break a limit left out."""
        found = []
        for values in itertools.product(*self.VARY.values()):
            made = Recipes(job, context).at(dict(zip(self.VARY, values, strict=True)))
            found_measures = measures(made, ENGINE.sampled(made, None).estimate, context)
            if not breaches(limits, found_measures):
                found.append((found_measures.piece_time_s, found_measures.filament_g))
        return found

    def test_half_the_budget_finds_what_dominates_or_matches_all(self) -> None:
        job, context = PrintJob(PART, Recipe()), context_of(PART)
        limits = SearchLimits(shell_mm=0.8, bend=0.3)
        reference = self.brute(job, context, limits)
        found = search(ENGINE, job, self.VARY, limits, context, budget=45)
        self.assertEqual(found.space, 90)
        self.assertFalse(found.complete)
        self.assertLessEqual(found.computed, 45)
        mine = figures(found)[found.frontier]
        for time, grams in reference:
            self.assertTrue(
                any(t <= 1.005 * time + 0.5 and g <= 1.005 * grams for t, g in mine), f"{time:.0f} s, {grams:.2f} g"
            )

    def test_a_space_within_the_budget_is_computed_whole(self) -> None:
        job, context = PrintJob(PART, Recipe()), context_of(PART)
        vary: dict[str, list[Any]] = {"walls": [1, 2, 3], "infill.density": [0.1, 0.2]}
        found = search(ENGINE, job, vary, SearchLimits(), context)
        self.assertTrue(found.complete)
        self.assertEqual(len(found.dots), 6)
        self.assertTrue(all(found.dots[k].full for k in found.frontier))


class RuledOut(unittest.TestCase):
    def test_what_is_known_of_a_shape_rules_out_what_asking_each_recipe_does(self) -> None:
        """On a part with slopes, with limits, nozzles and heights that cannot be among what varies."""
        solid = cone(12, 3, 9)
        context = AdviceContext(part_facts(solid), ENGINE.insight(solid).facts, nozzles=NothingBetter.NOZZLES)
        job = PrintJob(solid, Recipe(), nozzle=NothingBetter.NOZZLES[2])
        vary: dict[str, list[Any]] = {
            "nozzle": [1, 2, 3],
            "layer_height_mm": [0.06, 0.1, 0.16, 0.24, 0.36, 0.5],
            "line_width_bores": [0.9, 1.2],
            "infill.pattern": ["grid", "gyroid"],
            "infill.lines_side_by_side": [1, 2],
            "pace": [1, 2],
        }
        limits = SearchLimits(ridge_mm=0.12)
        with_memory = search(ENGINE, job, vary, limits, context, budget=40, time_s=600)
        with patch("meanbead.core.advise.ruled_out._OF_SHAPE", ()):
            without = search(ENGINE, job, vary, limits, context, budget=40, time_s=600)
        self.assertEqual(with_memory.discarded, without.discarded)
        self.assertEqual([dot.values for dot in with_memory.dots], [dot.values for dot in without.dots])
        self.assertGreater(with_memory.discarded, 20)


class NothingBetter(unittest.TestCase):
    """Of all that a search has looked at, computed in full one by one, nothing beats its picks: on parts of few layers and
    of many, in small spaces and large ones, with nozzles among what varies."""

    NOZZLES: ClassVar[dict[int, Nozzle]] = {k + 1: Nozzle(bore_mm=bore) for k, bore in enumerate((0.25, 0.4, 0.6, 0.8))}

    def held(self, solid: Solid, budget: int, vary: dict[str, list[Any]] | None = None) -> SearchResult:
        context = AdviceContext(part_facts(solid), ENGINE.insight(solid).facts, nozzles=self.NOZZLES)
        job = PrintJob(solid, Recipe(), nozzle=self.NOZZLES[2])
        found = search(
            ENGINE, job, vary or usual_vary(job, context), SearchLimits(), context, budget=budget, time_s=600
        )
        self.assertTrue(found.proven, found.doubt)
        self.assertEqual(found.open, [])
        line = figures(found)[found.frontier]
        assert found.fastest is not None
        assert found.leanest is not None
        assert found.knee is not None
        for pick in (found.fastest, found.leanest, found.knee):
            self.assertIn(pick.dot, found.frontier)
        self.assertEqual(found.fastest.dot, found.frontier[0])
        self.assertEqual(found.leanest.dot, found.frontier[-1])
        off = []
        for dot in found.dots:
            made = Recipes(job, context).at(dot.values)
            true = measures(made, ENGINE.sampled(made, None).estimate, context)
            mine = (true.piece_time_s, true.filament_g)
            if dot.full:
                self.assertAlmostEqual(dot.measures.piece_time_s, mine[0], places=6)
                self.assertEqual(dot.bound_s, 0.0)
            else:
                off.append(abs(dot.measures.piece_time_s - mine[0]) <= dot.bound_s)
                self.assertGreater(dot.bound_s, 0.0)
            self.assertTrue(
                any(0.99 * time <= mine[0] and 0.99 * grams <= mine[1] for time, grams in line),
                f"{dot.values}: {mine[0]:.0f} s, {mine[1]:.2f} g",
            )
            self.assertGreaterEqual(mine[0], 0.99 * line[0, 0])
            self.assertGreaterEqual(mine[1], 0.99 * line[-1, 1])
        if off:
            self.assertGreater(np.mean(off), 0.9, "the samples' bounds do not hold")
        return found

    def test_a_spur_gear_of_few_layers(self) -> None:
        found = self.held(spur_gear(), 120)
        self.assertGreater(len({found.dots[k].values["nozzle"] for k in found.frontier}), 1)

    @only_long
    def test_a_tall_cone_of_many_layers(self) -> None:
        found = self.held(cone(14, 34, 48), 60)
        self.assertTrue(any(not dot.full for dot in found.dots), "all were computed in full: nothing is tested")

    def test_a_stepped_part_in_a_small_space(self) -> None:
        solid = solid_of(block(30, 20, 4) + block(6, 20, 24))
        vary: dict[str, list[Any]] = {
            "nozzle": [1, 2, 3],
            "walls": [1, 2],
            "infill.density": [0.1, 0.2],
            "pace": [1, 2],
        }
        self.assertTrue(self.held(solid, 100, vary).complete)

    def test_when_time_is_up_it_says_so_and_where(self) -> None:
        solid = cone(14, 34, 48)
        context = AdviceContext(part_facts(solid), ENGINE.insight(solid).facts, nozzles=self.NOZZLES)
        job = PrintJob(solid, Recipe(), nozzle=self.NOZZLES[2])
        vary = usual_vary(job, context)
        # A clock that ticks by looks at it, so that time is up at the same moment on any machine: long enough to look
        # around, and then hardly any to make sure.
        ticks = itertools.chain((0.003 * k for k in range(300)), itertools.count(1.0, 0.4))
        with mock.patch("meanbead.core.advise.search.time", SimpleNamespace(monotonic=lambda: next(ticks))):
            found = search(ENGINE, job, vary, SearchLimits(), context, budget=400, time_s=1.5)
        self.assertFalse(found.proven)
        self.assertTrue(found.open)
        self.assertIn("of print time", found.doubt)
        ticks = itertools.count(0.0, 10.0)  # type: ignore[assignment]
        with mock.patch("meanbead.core.advise.search.time", SimpleNamespace(monotonic=lambda: next(ticks))):
            nothing = search(ENGINE, job, vary, SearchLimits(), context, budget=400, time_s=1.5)
        self.assertEqual((nothing.proven, nothing.computed), (False, 0))
        self.assertIn("before any recipe", nothing.doubt)
        # What it shows as its line was computed in full all the same.
        self.assertTrue(all(found.dots[k].full for k in found.frontier))


class SmoothEnough(unittest.TestCase):
    """A part that has to be smooth: layers low enough are offered, whatever the usual ones are, and what the search allows
    is what the bench's rule allows."""

    def smooth(self, ridge_mm: float, gloss: Gloss) -> tuple[PrintJob, AdviceContext]:
        solid = cone(14, 34, 12)
        facts = ENGINE.insight(solid).facts
        limits = Limits(ridge_mm=ridge_mm)
        context = AdviceContext(part_facts(solid), facts, limits, nozzles={2: Nozzle()})
        return PrintJob(solid, Recipe(), material=Material(gloss=gloss)), context

    def test_the_highest_layers_that_the_limit_allows_are_among_the_usual(self) -> None:
        for gloss, allowed in (("matte", 0.125), ("satin", 0.1), ("shiny", 0.075)):
            job, context = self.smooth(0.1, gloss)  # type: ignore[arg-type]
            assert context.insight is not None
            steps = {}
            for height in usual_vary(job, context)["layer_height_mm"]:
                plan = Recipes(job, context).at({"layer_height_mm": height}).plan
                steps[height] = ridge_mm(plan, context.insight)
            within = [height for height, step in steps.items() if step <= allowed + 1e-9]
            self.assertTrue(within, gloss)
            # One step of the axis more would be over.
            plan = Recipes(job, context).at({"layer_height_mm": max(within) + (job.printer.z_step_mm or 0.01)}).plan  # type: ignore[type-var, operator]
            self.assertGreater(ridge_mm(plan, context.insight), allowed)
            self.assertAlmostEqual(
                ridge_mm(plan, context.insight) / 0.1 * (height_for_ridge_mm(0.1, context.insight) or 0),
                max(within) + (job.printer.z_step_mm or 0.01),  # type: ignore[type-var, operator]
                places=9,
            )

    def test_the_rule_of_the_bench_and_the_limit_of_the_search_agree(self) -> None:
        for gloss, height in itertools.product(("matte", "satin", "shiny"), (0.1, 0.12, 0.14, 0.16, 0.2, 0.24, 0.28)):
            job, context = self.smooth(0.14, gloss)  # type: ignore[arg-type]
            made = Recipes(job, context).at({"layer_height_mm": height})
            told = list(ridge(context.rule_input(made)))
            broken = [one.limit for one in plan_breaches(context.limits, plan_measures(made, context))]
            self.assertEqual(bool(told), "ridge_mm" in broken, (gloss, height))
            # What somebody typed for one search is kept to in any plastic.
            found = plan_measures(made, context)
            typed = [one.limit for one in plan_breaches(SearchLimits(ridge_mm=0.14), found)]
            self.assertEqual("ridge_mm" in typed, found.ridge_mm > 0.14 + 1e-9, (gloss, height))

    def test_where_nothing_is_allowed_it_says_what_came_nearest(self) -> None:
        job, context = self.smooth(0.02, "satin")
        vary = {key: values for key, values in usual_vary(job, context).items() if key in ("layer_height_mm", "walls")}
        found = search(ENGINE, job, vary, SearchLimits(ridge_mm=0.02), context, budget=20)
        self.assertEqual((found.computed, found.dots, found.fastest, found.complete), (0, [], None, False))
        self.assertGreater(found.discarded, 20)
        self.assertLessEqual(sum(one.count for one in found.ruled_out), found.discarded)
        assert context.insight is not None
        least = min(
            ridge_mm(Recipes(job, context).at({"layer_height_mm": height}).plan, context.insight)
            for height in vary["layer_height_mm"]
            if float(height or 0) >= 0.1
        )
        self.assertTrue(any(f"Steps of {least:.2f} mm on slopes, 0.02 mm" in one.sentence for one in found.ruled_out))


class AtBest(unittest.TestCase):
    def test_a_minute_less_may_win_a_plate_and_costs_carry_the_risk(self) -> None:
        solid = cone(14, 34, 48)
        job, context = PrintJob(solid, Recipe()), context_of(solid)
        one = Prospect((0,), prepare(job), ENGINE.sampled(job, 12), context)
        self.assertFalse(one.full)
        longest = longest_for_s(2, context.shop.attended)
        over = 1.01 * longest
        one.measures = one.measures.model_copy(
            update={
                "time_s": over - 60,
                "piece_time_s": over - 60,
                "whole_time_s": over,
                "plates_per_day": plates_per_day(over, context.shop.attended),
            }
        )
        self.assertLess(one.measures.plates_per_day, 1.9)
        self.assertGreater(one.at_best(Shares(0.05, 0.05)).plates_per_day, 1.9)
        # By hand: cost may fall by 5 %, and the chance to succeed rises by exp(rate x 5 % of the hours).
        share, risk = one.shares(Shares(0.05, 0.05)).time, context.shop.fault_rate_per_h * over / 3600
        _, bound = one.bounds("expected_cost", Shares(0.05, 0.05))
        self.assertGreaterEqual(bound, one.measures.expected_cost * (1 - (1 - share) * np.exp(-risk * share)))


class HeldToLimits(unittest.TestCase):
    VARY: ClassVar[dict[str, list[Any]]] = {
        "nozzle": [1, 2],
        "layer_height_mm": [0.12, 0.2, 0.28, 0.32, 0.44],
        "walls": [1, 2, 3, 4],
        "infill.density": [0.05, 0.1, 0.2],
        "pace": [1, 2],
    }

    def test_nothing_that_breaks_a_limit_is_presented(self) -> None:
        solid = cone(9, 12, 40)
        job, context = PrintJob(solid, Recipe()), context_of(solid)
        limits = SearchLimits(shell_mm=1.0, ridge_mm=0.2, bend=0.5, filament_g=1.2, flow_margin=0.1, fault_risk=0.05)
        found = search(ENGINE, job, self.VARY, limits, context, budget=50)
        self.assertTrue(found.dots)
        self.assertGreater(found.discarded, 0)
        for dot in found.dots:
            self.assertEqual(breaches(limits, dot.measures), [])
        for pick in (found.fastest, found.leanest, found.knee):
            assert pick is not None
            self.assertTrue(found.dots[pick.dot].full)

    def test_what_rules_forbid_is_never_computed(self) -> None:
        job, context = PrintJob(PART, Recipe()), context_of(PART)
        vary: dict[str, list[Any]] = {"layer_height_mm": [0.04, 0.06, 0.36, 0.38]}
        found = search(ENGINE, job, vary, SearchLimits(), context)
        self.assertEqual((found.computed, found.discarded, found.dots), (0, 4, []))
        self.assertIsNone(found.fastest)

    def test_the_same_question_has_the_same_answer(self) -> None:
        job, context = PrintJob(PART, Recipe()), context_of(PART)
        one, other = (
            search(engine, job, self.VARY, SearchLimits(shell_mm=0.8), context, budget=30)
            for engine in (ENGINE, Engine())
        )
        self.assertEqual(one, other)

    def test_time_can_be_held_against_stiffness_and_cost(self) -> None:
        job, context = PrintJob(PART, Recipe()), context_of(PART)
        vary: dict[str, list[Any]] = {"walls": [1, 2, 3], "infill.density": [0.1, 0.3]}
        stiff = search(ENGINE, job, vary, SearchLimits(), context, against="bend")
        dots = [stiff.dots[k].measures for k in stiff.frontier]
        self.assertEqual([entry.piece_time_s for entry in dots], sorted(entry.piece_time_s for entry in dots))
        self.assertEqual([entry.bend for entry in dots], sorted(entry.bend for entry in dots))
        assert stiff.leanest is not None
        self.assertEqual(stiff.dots[stiff.leanest.dot].values, {"walls": 3, "infill.density": 0.3})
        cheap = search(ENGINE, job, vary, SearchLimits(), context, against="expected_cost")
        assert cheap.leanest is not None
        least = min(dot.measures.expected_cost for dot in cheap.dots)
        self.assertAlmostEqual(cheap.dots[cheap.leanest.dot].measures.expected_cost, least, delta=0.01 * least)

    def test_it_can_be_stopped(self) -> None:
        def stop(share: float, doing: str, so_far: Callable[[], SearchResult] | None) -> None:
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            search(ENGINE, PrintJob(PART, Recipe()), self.VARY, SearchLimits(), context_of(PART), progress=stop)

    def test_the_answer_so_far_grows_into_the_answer(self) -> None:
        told: list[SearchResult] = []

        def tell(share: float, doing: str, so_far: Callable[[], SearchResult] | None) -> None:
            if so_far is not None:
                told.append(so_far())

        job, context = PrintJob(PART, Recipe()), context_of(PART)
        found = search(ENGINE, job, self.VARY, SearchLimits(), context, progress=tell)
        self.assertEqual(found, search(ENGINE, job, self.VARY, SearchLimits(), context))
        self.assertTrue(told)
        counts = [one.computed for one in told]
        self.assertEqual(counts, sorted(counts))
        for one in told:
            self.assertFalse(one.proven or one.complete)
            self.assertIsNone(one.fastest)
            self.assertLessEqual(one.computed, found.computed)
            figures_so_far = figures(one)[one.frontier] if one.frontier else np.zeros((0, 2))
            # None of the line so far beats the line in the end.
            for point in figures_so_far:
                self.assertTrue(any((end <= point + 1e-9).all() for end in figures(found)[found.frontier]))


class SameStrength(unittest.TestCase):
    def test_doubled_lines_hold_more_than_as_much_plastic_in_single_ones(self) -> None:
        solid = box(50, 40, 8)
        job = PrintJob(solid, Recipe.model_validate({"infill": {"density": 0.2}, "top_layers": 4}))
        vary: dict[str, list[Any]] = {"infill.density": [0.1, 0.2], "infill.lines_side_by_side": [1, 2]}
        found = search(ENGINE, job, vary, SearchLimits(), context_of(solid))
        by_lines = {tuple(dot.values.values()): dot.measures for dot in found.dots}
        single, doubled = by_lines[0.2, 1], by_lines[0.1, 2]
        self.assertAlmostEqual(doubled.filament_g / single.filament_g, 1, delta=0.015)
        self.assertGreater(doubled.crush, 1.03 * single.crush)
        self.assertGreater(doubled.sideways, single.sideways)

    def test_one_more_wall_bends_as_much_for_less(self) -> None:
        solid = box(24, 24, 30)
        job, context = PrintJob(solid, Recipe.model_validate({"infill": {"density": 0.4}})), context_of(solid)
        base = search(ENGINE, job, {"infill.density": [0.4]}, SearchLimits(), context, budget=10).base
        vary: dict[str, list[Any]] = {"infill.density": [0.05, 0.1, 0.2, 0.3, 0.4], "walls": [2, 3, 4]}
        found = search(ENGINE, job, vary, SearchLimits(bend=base.bend), context)
        assert found.leanest is not None
        leanest = found.dots[found.leanest.dot]
        self.assertGreater(leanest.values["walls"], 2)  # type: ignore[arg-type, misc]
        self.assertLess(leanest.measures.filament_g, base.filament_g)

"""What may vary in a search, and its points as jobs: held to the melt, skins kept, widths in bores, nozzles carried."""

from __future__ import annotations

import itertools
import math
import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.space import Recipes, Space, usual_vary
from meanbead.core.errors import RecipeError
from meanbead.core.estimate.job import PrintJob
from meanbead.core.formulas.bead import bead_area_mm2
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.model import Limits, Nozzle, Printer, Recipe
from meanbead.core.model.plan import Plan
from meanbead.core.part.facts import part_facts
from meanbead.core.recipe.choices import check_value, choices, with_value
from meanbead.core.recipe.resolve import resolve
from tests.running.effort import cases
from tests.support.insights import insight
from tests.support.solids import box

BLOCK = box(20, 20, 10)
NONE = Limits()
NOZZLES = {1: Nozzle(), 2: Nozzle(bore_mm=0.6), 3: Nozzle(bore_mm=0.25)}


def made(values: dict[str, Any], limits: Limits = NONE, **choices: Any) -> tuple[PrintJob, Plan]:
    job = PrintJob(BLOCK, Recipe.model_validate(choices), Printer())
    made = Recipes(job, AdviceContext(part_facts(BLOCK), insight(), limits, nozzles=NOZZLES)).at(values)
    return made.job, made.plan


class Pace(unittest.TestCase):
    @settings(max_examples=cases(75, 3000))
    @given(
        st.sampled_from([1, 2, 3]),
        st.floats(0.3, 0.75),
        st.floats(1.0, 1.5),
        st.floats(0.3, 6.0),
        st.floats(0.0, 0.4),
        st.floats(195, 230),
    )
    def test_no_line_asks_for_more_than_melts_less_the_margin(
        self, nozzle: int, height: float, width: float, pace: float, margin: float, temp: float
    ) -> None:
        bore = NOZZLES[nozzle].bore_mm
        values = {"nozzle": nozzle, "layer_height_mm": round(height * bore, 3), "line_width_bores": width, "pace": pace}
        job, plan = made({**values, "nozzle_temp_c": temp}, Limits(flow_margin=margin))
        ceiling = melt_ceiling(job.printer, job.nozzle, job.material, plan.nozzle_temp_c).plan_mm3_s
        for name in ("outer_wall", "inner_wall", "infill", "solid", "top"):
            area = bead_area_mm2(getattr(plan.shape.width_mm, name), plan.shape.layer_height_mm)
            flow = area * getattr(plan.speed_mm_s, name)
            self.assertLessEqual(flow, (1 - margin) * ceiling + 1e-9, name)
        strand = math.pi / 4 * bore**2 * plan.shape.bridge_flow_ratio
        self.assertLessEqual(strand * plan.speed_mm_s.bridge, (1 - margin) * ceiling + 1e-9)

    def test_a_pace_multiplies_what_the_recipe_asks_for(self) -> None:
        _, plan = made({"pace": 1.5}, speed_mm_s={"infill": 50, "outer_wall": 30})
        self.assertEqual((plan.speed_mm_s.infill, plan.speed_mm_s.outer_wall), (75, 45))
        self.assertEqual(plan.speed_mm_s.first_layer, 25)

    def test_the_outer_wall_keeps_to_its_limit(self) -> None:
        _, plan = made({"pace": 3}, Limits(outer_speed_mm_s=50))
        self.assertEqual(plan.speed_mm_s.outer_wall, 50)
        self.assertGreater(plan.speed_mm_s.infill, 50)

    def test_the_axes_bound_it_too(self) -> None:
        slow = Printer.model_validate({"max_speed_mm_s": {"x": 90, "y": 70}})
        job = PrintJob(BLOCK, Recipe(), slow)
        plan = Recipes(job, AdviceContext(part_facts(BLOCK), insight(), nozzles=NOZZLES)).at({"pace": 5}).plan
        self.assertLessEqual(plan.speed_mm_s.infill, 70)


class Skins(unittest.TestCase):
    @given(st.sampled_from([0.12, 0.16, 0.2, 0.24, 0.28]))
    def test_keep_their_thickness_where_heights_vary(self, height: float) -> None:
        base = resolve(Recipe(), Printer(), Nozzle(), PrintJob(BLOCK, Recipe()).material).shape
        _, plan = made({"layer_height_mm": height})
        for name in ("top", "bottom"):
            before = getattr(base, f"{name}_layers") * base.layer_height_mm
            after = getattr(plan.shape, f"{name}_layers") * height
            self.assertGreaterEqual(after, before - 0.011 * height)
            self.assertLess(after, before + height)

    def test_are_left_alone_where_they_vary_themselves(self) -> None:
        _, plan = made({"layer_height_mm": 0.1, "top_layers": 3})
        self.assertEqual(plan.shape.top_layers, 3)


class Widths(unittest.TestCase):
    def test_are_told_in_bores(self) -> None:
        _, plan = made({"nozzle": 2, "line_width_bores": 1.25, "inner_width_bores": 1.5})
        widths = plan.shape.width_mm
        self.assertEqual((widths.outer_wall, widths.top), (0.75, 0.75))
        self.assertEqual((widths.inner_wall, widths.infill, widths.solid), (0.9, 0.9, 0.9))

    def test_a_nozzle_carries_the_shell(self) -> None:
        job, plan = made({"nozzle": 2}, walls=3)
        self.assertEqual(job.nozzle, NOZZLES[2])
        self.assertEqual(plan.shape.walls, 2)

    def test_what_cannot_be_laid_is_refused(self) -> None:
        with self.assertRaises(RecipeError):
            made({"nozzle": 3, "layer_height_mm": 0.44})
        with self.assertRaises(RecipeError):
            made({"nozzle": 77})


class Spaces(unittest.TestCase):
    def test_all_points_are_visited_once_and_far_apart_ones_first(self) -> None:
        space = Space.of({"walls": [1, 2, 3], "infill.density": [0.1, 0.2, 0.3, 0.4]})
        points = space.all_points()
        self.assertEqual(len(points), len(set(points)), 12)
        self.assertEqual(set(points), set(itertools.product(range(3), range(4))))
        self.assertLessEqual(set(space.spread_points(64)), set(points))

    def test_what_cannot_vary_is_named(self) -> None:
        for vary in ({}, {"machine": [1]}, {"no.such": [1]}, {f"speed_mm_s.{k}": [1] for k in range(20)}):
            with self.subTest(vary=list(vary)), self.assertRaises(RecipeError):
                Space.of(vary)  # type: ignore[arg-type]

    def test_values_that_no_recipe_may_have_are_named(self) -> None:
        for key, value, said in (
            ("walls", -1, "Must be at least 0, not -1."),
            ("walls", 2.5, "Must be a whole number, not 2.5."),
            ("infill.density", 20, "Must be at most 1, not 20."),
            ("infill.pattern", "moss", "Must be one of"),
            ("layer_height_mm", math.nan, "not nan."),
            ("layer_height_mm", 0, "Must be more than 0, not 0."),
            ("pace", 0, "Must be a number above 0, not 0."),
            ("line_width_bores", math.inf, "Must be a number above 0, not inf."),
        ):
            with self.subTest(key, value=value), self.assertRaises(RecipeError) as refused:
                Space.of({key: [value]})
            self.assertIn(said, str(refused.exception))
            self.assertEqual(refused.exception.field, f"vary.{key}")

    def test_the_check_refuses_what_the_recipe_refuses_and_nothing_else(self) -> None:
        tried = (-1, -0.01, 0, 0.0001, 0.3, 1, 1.5, 2, 7, 40, 90.5, 400, 1e4, 1e7, True, "grid", "moss", None)
        for choice in choices():
            if choice.kind in ("ranges", "machine", "nozzle", "material", "spool"):
                continue
            place = tuple(choice.key.split("."))
            for value in tried:
                taken, refused = True, False
                try:
                    with_value(Recipe(), choice.key, value)
                except ValidationError as problem:
                    # What does not go together is for the search to find out.
                    taken = all(error["loc"][: len(place)] != place for error in problem.errors())
                try:
                    check_value(choice.key, value)
                except ValidationError:
                    refused = True
                with self.subTest(choice.key, value=value):
                    self.assertNotEqual(taken, refused)

    def test_the_usual_space_holds_the_recipe_itself(self) -> None:
        job = PrintJob(BLOCK, Recipe(layer_height_mm=0.18, walls=3))
        context = AdviceContext(part_facts(BLOCK), insight(), NONE, nozzles=NOZZLES)
        vary = usual_vary(job, context)
        self.assertIn(0.18, vary["layer_height_mm"])
        self.assertIn(3, vary["walls"])
        self.assertEqual(set(vary["nozzle"]), {1, 2, 3})
        self.assertEqual(Space.of(vary).size, np.prod([len(values) for values in vary.values()]))

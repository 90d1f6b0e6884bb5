"""Whatever a recipe asks for within the bounds of its keys, the answer is an estimate that adds up, or a sentence."""

import math
import unittest
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob, prepare
from meanbead.core.model import Nozzle, Printer, Recipe
from meanbead.core.part.solid import Solid
from tests.running.effort import cases
from tests.support.any_recipe import recipes
from tests.support.solids import block, box, cone, cylinder, ledge, solid_of, sphere, table

ENGINE = Engine()
SOLIDS: tuple[Solid, ...] = (
    cone(4, 5, 24),
    cylinder(3, 6, 20),
    sphere(4, 2),
    table(8, 6, 3, 4, 1),
    ledge(6, 6, 4, 1),
    solid_of(block(9, 0.7, 3) + block(0.5, 9, 3) + block(3, 3, 1.1)),
    solid_of(block(8, 8, 3) - block(5, 5, 9, (1.5, 1.5, -1))),
    box(6, 6, 0.2),
    box(12, 0.5, 4),
)


RECIPES = recipes()


class AnyRecipe(unittest.TestCase):
    tried = refused = 0

    @classmethod
    def tearDownClass(cls) -> None:
        # What is refused says little: most of the recipes have to be possible.
        assert cls.refused < 0.5 * cls.tried, f"{cls.refused} of {cls.tried} recipes were refused"

    @settings(max_examples=cases(100, 3000))
    @given(RECIPES, st.sampled_from(range(len(SOLIDS))), st.sampled_from(("direct", "long_tube")), st.booleans())
    def test_adds_up_or_is_refused_by_name(self, keys: dict[str, Any], which: int, drive: str, steps: bool) -> None:
        corner = {"law": "junction_deviation", "deviation_mm": 0.02} if steps else {}
        machine = {"drive": drive, "z_step_mm": 0.04 if steps else None, "corner": corner}
        printer = Printer.model_validate(machine)
        job = PrintJob(SOLIDS[which], Recipe.model_validate(keys), printer, Nozzle())
        type(self).tried += 1
        try:
            result = ENGINE.estimate(job)
        except RecipeError as problem:
            type(self).refused += 1
            self.assertTrue(problem.field and str(problem).endswith("."))
            return
        features = sum(share.time_s for share in result.by_feature.values())
        causes = result.by_cause.model_dump()
        self.assertAlmostEqual(features, result.print_time_s, places=6)
        self.assertAlmostEqual(sum(causes.values()), result.print_time_s, places=6)
        self.assertGreater(min(causes.values()), -1e-6)
        self.assertTrue(math.isfinite(result.whole_time_s) and result.print_time_s > 0 and result.filament_g > 0)
        ledger = ENGINE.by_layer(job)
        self.assertAlmostEqual(sum(ledger.time_s), result.print_time_s, places=6)
        areas = (ledger.asked_mm2, ledger.lost_mm2, ledger.overfilled_mm2, ledger.void_mm2)
        for asked, lost, over, void in zip(*areas, strict=True):
            self.assertTrue(0 <= lost <= asked + 1e-6 and over >= 0 and void >= 0)
        # A layer that is left out because its middle lies above the part counts, too: it may be higher than those laid.
        half = max(*ledger.height_mm, prepare(job).plan.shape.layer_height_mm) / 2
        if job.recipe.copies.order != "one_by_one" and job.recipe.variable_height.kind != "by_slope":
            self.assertLessEqual(abs(result.height_off_mm), half + 1e-3)
        self.assertEqual(Engine(0).estimate(job), result)

"""Steps of settings stay within what is accepted; silhouettes have their closed forms; a sheet leaves out what is idle."""

import unittest
from typing import Any

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from meanbead.core.compare.sensitivity import neighbours
from meanbead.core.errors import RecipeError
from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.recipe.choices import Choice, choices, value_at, with_value
from meanbead.core.recipe.resolve import resolve
from meanbead.core.recipe.settings_sheet import ONLY_WITH, settings_sheet
from tests.support.any_recipe import recipes
from tests.support.solids import block, box, cone, cylinder, solid_of

STEPPED = [entry for entry in choices() if entry.kind not in ("machine", "nozzle", "material", "ranges")]
SOLID = box(10, 10, 5)


class Steps(unittest.TestCase):
    @given(recipes(), st.sampled_from(STEPPED), st.sampled_from([None, 0.02, 0.04]))
    def test_neighbours_are_accepted_and_differ_from_what_stands(
        self, keys: dict[str, Any], choice: Choice, step: float | None
    ) -> None:
        job = PrintJob(SOLID, Recipe.model_validate(keys), Printer(z_step_mm=step))
        try:
            now = value_at(resolve(job.recipe, job.printer, job.nozzle, job.material).as_recipe(), choice.key)
        except RecipeError:
            return
        found = neighbours(job, choice)
        self.assertLessEqual(len(found), 8)
        for value in found:
            self.assertNotEqual(value, now, choice.key)
            # Accepted by the recipe's model; whether it contradicts the rest is for the estimate to say.
            self.assertEqual(value_at(with_value(job.recipe, choice.key, value), choice.key), value)

    def test_a_step_down_and_up_lie_on_both_sides(self) -> None:
        job = PrintJob(SOLID, Recipe())
        plan = resolve(job.recipe, job.printer, job.nozzle, job.material).as_recipe()
        for choice in STEPPED:
            now = value_at(plan, choice.key)
            if choice.kind in ("number", "whole", "percent") and now:
                found = neighbours(job, choice)
                self.assertTrue(any(value < now for value in found) or choice.low == now, choice.key)
                self.assertTrue(any(value > now for value in found) or choice.high == now, choice.key)

    def test_every_other_option_is_looked_at(self) -> None:
        patterns = next(key for key in STEPPED if key.key == "infill.pattern")
        found = neighbours(PrintJob(SOLID, Recipe()), patterns)
        self.assertEqual(set(found), {option.value for option in patterns.options} - {"grid"})


class Silhouettes(unittest.TestCase):
    def reach(self, solid: Any, **recipe: Any) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        keys = {"adhesion": {"kind": "none"}, **recipe}
        ledger = Engine().by_layer(PrintJob(solid, Recipe.model_validate(keys)))
        middle = np.array(ledger.top_mm) - np.array(ledger.height_mm) / 2
        return middle, np.array(ledger.left_mm), np.array(ledger.right_mm)

    def test_a_boxes_is_its_width_less_half_a_line_on_each_side(self) -> None:
        _, left, right = self.reach(box(20, 10, 4))
        np.testing.assert_allclose(right - left, 20 - 0.44 + 0.2 * (1 - np.pi / 4), atol=0.06)
        np.testing.assert_allclose(left + right, 0, atol=1e-6)

    def test_a_cones_goes_in_with_its_height(self) -> None:
        middle, left, right = self.reach(cone(12, 24, 256))
        inside = middle < 20
        wide = 2 * 12 * (1 - middle / 24) - 0.4
        np.testing.assert_allclose((right - left)[inside], wide[inside], atol=0.12)

    def test_what_stands_aside_counts(self) -> None:
        two = solid_of(block(5, 5, 6) + block(5, 5, 2, (20, 0, 0)))
        middle, left, right = self.reach(two)
        low, high = middle < 2, middle > 2.2
        np.testing.assert_allclose((right - left)[low], 25 - 0.4, atol=0.1)
        np.testing.assert_allclose((right - left)[high], 5 - 0.4, atol=0.1)

    def test_a_layers_time_is_that_of_its_strokes(self) -> None:
        job = PrintJob(cylinder(8, 6), Recipe())
        ledger, detail = Engine().by_layer(job), Engine().detail(job)
        strokes = np.bincount(detail.strokes.layer, weights=detail.time_s, minlength=len(ledger.time_s))
        np.testing.assert_allclose(strokes + detail.wait_s, ledger.time_s, rtol=1e-9)


class Cancelling(unittest.TestCase):
    """Work that is stopped between two stages leaves nothing half done behind."""

    def test_every_stage_can_be_the_last_and_the_next_try_is_right(self) -> None:
        job = PrintJob(cone(6, 8, 48), Recipe.model_validate({"supports": {"kind": "columns"}}))
        told: list[str] = []
        right = Engine().estimate(job, progress=lambda share, doing: told.append(doing))
        self.assertEqual(len(told), len(set(told)))
        for stage in told:
            engine = Engine()

            def stop(share: float, doing: str, at: str = stage) -> None:
                if doing == at:
                    raise InterruptedError

            with self.assertRaises(InterruptedError, msg=stage):
                engine.estimate(job, progress=stop)
            self.assertEqual(engine.estimate(job), right, stage)


class Idle(unittest.TestCase):
    def keys(self, recipe: Recipe) -> set[str]:
        return {row.key for row in settings_sheet(recipe, Printer(), Nozzle(), Material())}

    def test_each_dependent_setting_shows_just_where_it_counts(self) -> None:
        known = {choice.key for choice in choices()}
        for prefix, (switch, requested) in ONLY_WITH.items():
            mine = {key for key in known if (key == prefix or key.startswith(f"{prefix}.")) and key != switch}
            self.assertTrue(mine, prefix)
            on = requested[0] if isinstance(requested, tuple) else requested
            shown = self.keys(with_value(Recipe(), switch, on))
            self.assertTrue(mine & shown, prefix)
            off = {"adhesion.kind": "none", "variable_height.kind": "even"}.get(switch, "none")
            self.assertFalse(mine & self.keys(with_value(Recipe(), switch, off)), prefix)


if __name__ == "__main__":
    unittest.main()

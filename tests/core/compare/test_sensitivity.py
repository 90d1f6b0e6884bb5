import unittest
from dataclasses import replace
from typing import Any

from meanbead.core.compare.sensitivity import neighbours, sensitivities
from meanbead.core.compare.waterfall import MAX_PLAYERS, changes_between, mixed, waterfall
from meanbead.core.errors import MeanBeadError
from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from tests.support.solids import box

SOLID = box(20, 20, 6)
ENGINE = Engine()


def job(**recipe: Any) -> PrintJob:
    return PrintJob(SOLID, Recipe.model_validate(recipe))


class Differences(unittest.TestCase):
    def test_they_are_named_in_the_order_of_the_sheet(self) -> None:
        one, other = job(), replace(job(walls=4, layer_height_mm=0.3), nozzle=Nozzle(bore_mm=0.6))
        self.assertEqual([change.label for change in changes_between(one, other)], ["Nozzle", "Layer height", "Walls"])
        self.assertEqual(changes_between(one, one), [])

    def test_many_count_by_their_groups(self) -> None:
        other = job(
            walls=4, top_layers=6, bottom_layers=6, infill={"density": 0.4, "pattern": "gyroid"},
            speed_mm_s={"infill": 100, "travel": 200}, layer_height_mm=0.16,
        )  # fmt: skip
        changes = changes_between(job(), other)
        self.assertLessEqual(len(changes), MAX_PLAYERS)
        self.assertIn(("walls", "top_layers", "bottom_layers"), [change.keys for change in changes])

    def test_taking_all_changes_makes_the_other(self) -> None:
        one = job(infill={"density": 0.3}, height_ranges=[{"from_mm": 0, "to_mm": 2, "walls": 5}])
        other = PrintJob(SOLID, Recipe(walls=3), Printer(z_step_mm=0.05), Nozzle(bore_mm=0.6), Material(name="Other"))
        self.assertEqual(mixed(one, other, changes_between(one, other)), other)
        self.assertEqual(mixed(other, one, changes_between(other, one)), one)


class Waterfalls(unittest.TestCase):
    def test_steps_add_up_and_equal_changes_count_alike(self) -> None:
        one, other = job(), job(walls=4, infill={"density": 0.3}, speed_mm_s={"travel": 250})
        found = waterfall(ENGINE, one, other)
        total = sum(step.time_s for step in found.steps) + found.rest_s
        self.assertAlmostEqual(total, found.to_s - found.from_s, places=6)
        grams = sum(step.filament_g for step in found.steps) + found.rest_g
        self.assertAlmostEqual(grams, found.to_g - found.from_g, places=6)
        self.assertTrue(found.all_orders)
        steps = {step.label: step for step in found.steps}
        # Faster travel takes no plastic, and gives some time back.
        self.assertAlmostEqual(steps["Travel"].filament_g, 0, places=9)
        self.assertLess(steps["Travel"].time_s, 0)
        self.assertGreater(steps["Walls"].filament_g, 0)

    def test_a_single_change_is_the_whole_difference(self) -> None:
        found = waterfall(ENGINE, job(), job(walls=5))
        self.assertEqual(len(found.steps), 1)
        self.assertAlmostEqual(found.steps[0].time_s + found.rest_s, found.to_s - found.from_s)
        self.assertEqual(waterfall(ENGINE, job(), job()).steps, [])

    def test_there_and_back_are_opposite(self) -> None:
        one, other = job(), job(walls=3, infill={"density": 0.4})
        there, back = waterfall(ENGINE, one, other), waterfall(ENGINE, other, one)
        for a, b in zip(there.steps, back.steps, strict=True):
            self.assertAlmostEqual(a.time_s, -b.time_s, places=6)

    def test_orders_through_contradictions_are_left_out(self) -> None:
        # A layer of 0.5 mm cannot come before the larger nozzle.
        other = replace(job(layer_height_mm=0.5, walls=3), nozzle=Nozzle(bore_mm=0.8))
        found = waterfall(ENGINE, job(), other)
        self.assertEqual((found.orders, len(found.steps)), (3, 3))
        self.assertAlmostEqual(sum(step.time_s for step in found.steps) + found.rest_s, found.to_s - found.from_s)

    def test_it_says_how_far_it_is_and_can_be_stopped(self) -> None:
        shares: list[float] = []
        waterfall(ENGINE, job(), job(walls=6, top_layers=2), progress=lambda share, _: shares.append(share))
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(len(shares), 4)

        def stop(share: float, doing: str) -> None:
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            waterfall(ENGINE, job(), job(walls=7), progress=stop)


class Nudging(unittest.TestCase):
    def test_a_step_is_what_changing_the_cell_would_bring(self) -> None:
        found = {sensitivity.value: sensitivity for sensitivity in sensitivities(ENGINE, job(), "walls")}
        self.assertEqual(set(found), {1, 3})
        for walls, sensitivity in found.items():
            full = ENGINE.estimate(job(walls=walls)).print_time_s - ENGINE.estimate(job()).print_time_s
            self.assertAlmostEqual(sensitivity.time_s or 0, full, delta=0.05 * ENGINE.estimate(job()).print_time_s)

    def test_heights_go_by_motor_steps(self) -> None:
        stepping = replace(job(), printer=Printer(z_step_mm=0.04))
        self.assertEqual(
            [sensitivity.value for sensitivity in sensitivities(ENGINE, stepping, "layer_height_mm")], [0.16, 0.24]
        )

    def test_what_cannot_be_says_why(self) -> None:
        high = job(layer_height_mm=0.4)
        found = sensitivities(ENGINE, high, "layer_height_mm")
        self.assertEqual(found[1].time_s, None)
        self.assertIn("higher than the bore", found[1].problem)

    def test_options_and_switches(self) -> None:
        from meanbead.core.recipe.choices import choices

        by_key = {choice.key: choice for choice in choices()}
        self.assertEqual(neighbours(job(), by_key["spiral"]), [True])
        self.assertNotIn("grid", neighbours(job(), by_key["infill.pattern"]))
        self.assertEqual(neighbours(job(infill={"density": 0.0}), by_key["infill.density"]), [0.05])
        self.assertEqual(neighbours(job(), by_key["copies.count"]), [2])

    def test_unknown_settings_are_refused(self) -> None:
        for key in ("colour", "machine", "height_ranges"):
            with self.assertRaises(MeanBeadError):
                sensitivities(ENGINE, job(), key)


if __name__ == "__main__":
    unittest.main()

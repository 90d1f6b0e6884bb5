import math
import threading
import unittest
from contextlib import suppress

import numpy as np
from pydantic import ValidationError

from meanbead.core.errors import RecipeError
from meanbead.core.estimate.engine import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.estimate.timing import time_strokes
from meanbead.core.formulas.melt import melt_ceiling
from meanbead.core.model import Estimate, Material, Nozzle, Printer, Recipe
from meanbead.core.motion.lookahead import straight_move_time_s
from meanbead.core.recipe.preview import preview
from meanbead.core.recipe.resolve import resolve
from meanbead.core.runtime.cache import BoundedCache
from meanbead.core.runtime.parallel import parallel_apply
from tests.support.estimating import estimate_with_findings
from tests.support.patience import PATIENCE_S
from tests.support.solids import box, cylinder, sphere

ENGINE = Engine()
CEILING = melt_ceiling(Printer(), Nozzle(), Material(), Material().nozzle_temp_c)


def estimate(keys: dict | None = None, solid=None, printer: dict | None = None, nozzle=0.4, material=None) -> Estimate:
    job = PrintJob(
        solid or box(20, 20, 6),
        Recipe.model_validate(keys or {}),
        Printer.model_validate(printer or {}),
        Nozzle(bore_mm=nozzle),
        material or Material(),
    )
    return estimate_with_findings(ENGINE, job)


class TheWhole(unittest.TestCase):
    def test_both_ledgers_add_up(self) -> None:
        for keys in ({}, {"speed_mm_s": {"infill": 300}}, {"cooling": {"min_layer_time_s": 40}}):
            result = estimate(keys)
            features = sum(share.time_s for share in result.by_feature.values())
            causes = sum(result.by_cause.model_dump().values())
            self.assertAlmostEqual(features, result.print_time_s, places=6)
            self.assertAlmostEqual(causes, result.print_time_s, places=6)
            grams = sum(share.filament_g for share in result.by_feature.values())
            self.assertAlmostEqual(grams, result.filament_g, places=9)

    def test_filament_figures_agree_with_each_other(self) -> None:
        result = estimate()
        self.assertAlmostEqual(result.filament_mm * math.pi * 1.75**2 / 4, result.filament_mm3, places=6)
        self.assertAlmostEqual(result.filament_mm3 * 1.24 / 1000, result.filament_g)
        self.assertAlmostEqual(result.filament_g * 22 / 1000, result.filament_cost)

    def test_whole_time_is_print_start_end_and_heat_up(self) -> None:
        result = estimate(printer={"start_time_s": 123, "end_time_s": 45})
        self.assertEqual((result.start_time_s, result.end_time_s), (123, 45))
        self.assertGreater(result.heat_up_s, 30)
        self.assertAlmostEqual(result.whole_time_s, result.print_time_s + 123 + 45 + result.heat_up_s)

    def test_interval_holds_the_figure(self) -> None:
        result = estimate()
        self.assertLess(result.interval.low_s, result.print_time_s)
        self.assertGreater(result.interval.high_s, result.print_time_s)

    def test_same_input_same_bits(self) -> None:
        self.assertEqual(
            estimate().model_dump_json(),
            estimate_with_findings(Engine(), PrintJob(box(20, 20, 6), Recipe())).model_dump_json(),
        )


class Levers(unittest.TestCase):
    """Each choice changes the estimate the way it changes the print."""

    def test_higher_layers_are_faster_and_fewer(self) -> None:
        fine, coarse = estimate({"layer_height_mm": 0.12}), estimate({"layer_height_mm": 0.28})
        self.assertLess(coarse.print_time_s, fine.print_time_s)
        self.assertEqual((fine.layers, coarse.layers), (50, 21))

    def test_walls_infill_and_skins_cost_grams(self) -> None:
        base = estimate(solid=box(40, 40, 10))
        for keys in ({"walls": 5}, {"infill": {"density": 0.5}}, {"top_layers": 9}):
            self.assertGreater(estimate(keys, solid=box(40, 40, 10)).filament_g, base.filament_g, keys)

    def test_more_acceleration_saves_on_small_parts_and_speed_does_not(self) -> None:
        small = cylinder(4, 6)
        free = {"cooling": {"min_layer_time_s": 0}}
        base = estimate(free, solid=small).print_time_s
        faster = estimate(free | {"speed_mm_s": {"infill": 240, "solid": 240}}, solid=small).print_time_s
        livelier = estimate(
            free | {"acceleration_mm_s2": {"print": 4000, "travel": 4000}},
            solid=small,
            printer={"max_acceleration_mm_s2": {"x": 5000, "y": 5000}},
        ).print_time_s
        self.assertLess(base - livelier, base)
        self.assertGreater(base - livelier, 2 * (base - faster))

    def test_flow_is_capped_and_said(self) -> None:
        free = estimate({"speed_mm_s": {"infill": 100}}, solid=box(60, 60, 6))
        asked = estimate({"speed_mm_s": {"infill": 230}}, solid=box(60, 60, 6))
        self.assertFalse(free.melt_capped)
        self.assertTrue(asked.melt_capped)
        self.assertAlmostEqual(asked.peak_flow_mm3_s, asked.melt_ceiling_mm3_s, places=6)
        self.assertGreater(asked.asked_flow_mm3_s, asked.melt_ceiling_mm3_s)
        self.assertGreater(asked.by_cause.melt_ceiling_s, 0)
        self.assertTrue(asked.by_feature["infill"].capped)
        self.assertFalse(asked.by_feature["outer_wall"].capped)
        self.assertIn("melt_cap", [finding.rule for finding in asked.findings])

    def test_where_the_plastics_own_flow_binds_no_heat_is_advised(self) -> None:
        plastic = Material(max_flow_mm3_s=5)
        knee = CEILING.knee_mm3_s
        for speed, skips in ((100, False), (400, True)):
            found = estimate({"speed_mm_s": {"infill": speed}}, solid=box(60, 60, 6), material=plastic)
            told = next(finding for finding in found.findings if finding.rule == "melt_cap")
            self.assertIn("is not known to take, however hot", told.sentence)
            self.assertTrue(told.remedy.startswith("A smaller bead"), told.remedy)
            self.assertNotIn("nozzle_temp_c", [key.key for way in told.remedies for key in way.settings])
            self.assertEqual("may skip" in told.sentence, skips)
            self.assertEqual(skips, found.asked_flow_mm3_s > knee * 1.3)

    def test_beyond_the_ceiling_more_speed_changes_nothing(self) -> None:
        times = [estimate({"speed_mm_s": {"infill": v}}, solid=box(60, 60, 6)).print_time_s for v in (160, 200, 240)]
        self.assertAlmostEqual(times[0], times[1], places=6)
        self.assertAlmostEqual(times[1], times[2], places=6)

    def test_hotter_lifts_the_cap(self) -> None:
        fast = {"speed_mm_s": {"infill": 230}}
        self.assertLess(
            estimate(fast | {"nozzle_temp_c": 230}, solid=box(60, 60, 6)).print_time_s,
            estimate(fast | {"nozzle_temp_c": 195}, solid=box(60, 60, 6)).print_time_s,
        )

    def test_small_layers_take_their_time_to_cool(self) -> None:
        post = cylinder(3, 20)
        found = {}
        for way in (None, "wait", "lift_and_wait"):
            cooling = {"min_layer_time_s": 15, "short_layers": way}
            found[way] = estimate({"cooling": cooling, "adhesion": {"kind": "none"}}, solid=post)
        # Slowed to 10 mm/s and no more: every layer but the first lays what it has at that.
        slow = found[None]
        length = sum(share.length_mm for name, share in slow.by_feature.items() if name != "travel")
        self.assertAlmostEqual(slow.print_time_s / (length / 10), 1, delta=0.1)
        self.assertNotIn("wait", slow.by_feature)
        self.assertEqual(slow.short_layers, 99)
        self.assertLess(slow.shortest_layer_s, 15)
        for way in ("wait", "lift_and_wait"):
            self.assertAlmostEqual(found[way].print_time_s, 15 * 99, delta=30)
            self.assertGreater(found[way].by_feature["wait"].time_s, 0)
        # The way aside is part of the wait, and costs a pull each time.
        self.assertEqual(found["lift_and_wait"].retractions - found["wait"].retractions, 99)
        self.assertAlmostEqual(found["lift_and_wait"].travel_mm - found["wait"].travel_mm, 99 * 40, places=6)
        for result in found.values():
            self.assertIn("still_short_layers", [finding.rule for finding in result.findings])

    def test_retractions_follow_the_shortest_travel(self) -> None:
        few, many = estimate({"retraction": {"min_travel_mm": 50}}), estimate({"retraction": {"min_travel_mm": 0}})
        self.assertLess(few.retractions, many.retractions)
        self.assertEqual(few.by_cause.retracting_s, 0)
        # Slower than at full speed all the way, quicker than from rest to rest: the extruder takes 5 mm/s at once.
        self.assertGreater(many.by_cause.retracting_s, many.retractions * 2 * 0.8 / 35)
        self.assertLess(many.by_cause.retracting_s, many.retractions * 2 * straight_move_time_s(0.8, 35, 2000))

    def test_a_pull_from_rest_to_rest_takes_its_closed_form(self) -> None:
        rigid = {"corner": {"law": "junction_deviation", "deviation_mm": 0.02}}
        result = estimate({"retraction": {"min_travel_mm": 0}}, printer=rigid)
        each = 2 * straight_move_time_s(0.8, 35, 2000)
        self.assertAlmostEqual(result.by_cause.retracting_s, result.retractions * each, places=6)

    def test_flow_ratio_scales_plastic(self) -> None:
        self.assertAlmostEqual(estimate({"flow_ratio": 0.9}).filament_g / estimate().filament_g, 0.9)

    def test_first_layer_is_slow(self) -> None:
        slow, quick = (estimate({"speed_mm_s": {"first_layer": v}}).print_time_s for v in (8, 50))
        self.assertGreater(slow, quick + 30)


class ByHand(unittest.TestCase):
    def test_one_square_loop(self) -> None:
        """A single wall, one layer: four sides, four corners, nothing else."""
        plan = resolve(
            Recipe.model_validate(
                {
                    "walls": 1,
                    "top_layers": 0,
                    "bottom_layers": 0,
                    "infill": {"density": 0},
                    "adhesion": {"kind": "none"},
                    "line_width_mm": {"outer_wall": 0.5},
                    "speed_mm_s": {"first_layer": 50, "outer_wall": 50},
                }
            ),
            Printer(),
            Nozzle(),
            Material(),
        )
        strokes = ENGINE.strokes(box(40.5, 40.5, 0.2), plan)
        timing = time_strokes(strokes, plan, Printer(), 100.0)
        # Corners at the jerk of 8 mm/s; start and end at the same from rest; sides of 40 mm at 50 mm/s, 800 mm/s2.
        ramp_mm = (50**2 - 8**2) / 1600
        side = 2 * (50 - 8) / 800 + (40 - 2 * ramp_mm) / 50
        self.assertAlmostEqual(timing.print_time_s, 4 * side, places=9)


class Defaults(unittest.TestCase):
    def test_a_plan_as_a_recipe_resolves_to_itself(self) -> None:
        printer, nozzle, material = Printer(), Nozzle(bore_mm=0.6), Material()
        plan = resolve(Recipe.model_validate({"walls": 3, "adhesion": {"kind": "none"}}), printer, nozzle, material)
        self.assertEqual(resolve(plan.as_recipe(), printer, nozzle, material), plan)

    def test_the_nozzle_carries_the_rest_along(self) -> None:
        shapes = [resolve(Recipe(), Printer(), Nozzle(bore_mm=bore), Material()).shape for bore in (0.3, 0.6)]
        self.assertAlmostEqual(shapes[1].layer_height_mm, 2 * shapes[0].layer_height_mm)
        self.assertAlmostEqual(shapes[1].width_mm.outer_wall, 2 * shapes[0].width_mm.outer_wall)
        self.assertLess(shapes[1].walls, shapes[0].walls)

    def test_heights_follow_full_steps_when_known(self) -> None:
        plan = resolve(Recipe(), Printer(z_step_mm=0.04), Nozzle(bore_mm=0.6), Material())
        self.assertAlmostEqual(plan.shape.layer_height_mm / 0.04, round(plan.shape.layer_height_mm / 0.04))

    def test_contradictions_name_their_field(self) -> None:
        for keys, field in (
            ({"nozzle_diameter_mm": 0.6}, "nozzle_diameter_mm"),
            ({"layer_height_mm": 0.5}, "line_width_mm.outer_wall"),
            ({"line_width_mm": {"infill": 0.15}}, "line_width_mm.infill"),
            ({"first_layer_height_mm": 0.5, "layer_height_mm": 0.2}, "first_layer_height_mm"),
            ({"first_layer_height_mm": 0.45, "line_width_mm": {"first_layer": 0.6}}, "first_layer_height_mm"),
            ({"spiral": True, "copies": {"count": 2}}, "copies.count"),
            ({"layer_height_mm": 0.45, "line_width_mm": {"outer_wall": 0.6}}, "layer_height_mm"),
        ):
            with self.assertRaises(RecipeError) as caught:
                estimate(keys)
            self.assertEqual(caught.exception.field, field)

    def test_plastic_that_does_not_melt_is_refused(self) -> None:
        with self.assertRaises(RecipeError) as caught:
            estimate({"nozzle_temp_c": 120})
        self.assertEqual(caught.exception.field, "nozzle_temp_c")

    def test_unknown_keys_and_nonsense_are_refused(self) -> None:
        for keys in ({"layer_hight_mm": 0.2}, {"walls": -1}, {"walls": 1.5}, {"infill": {"density": float("nan")}}):
            with self.assertRaises(ValidationError):
                Recipe.model_validate(keys)

    def test_a_material_outside_its_own_window_is_refused(self) -> None:
        with self.assertRaises(ValidationError):
            Material(nozzle_temp_c=300)
        with self.assertRaises(ValidationError):
            Printer.model_validate({"corner": {"law": "junction_deviation"}})

    def test_preview_agrees_with_the_estimate(self) -> None:
        seen = preview(Recipe(), Printer(), Nozzle(), Material())
        whole = estimate(solid=box(60, 60, 6))
        self.assertAlmostEqual(max(bead.flow_mm3_s for bead in seen.beads), whole.asked_flow_mm3_s, places=6)
        self.assertEqual(seen.melt_ceiling_mm3_s, whole.melt_ceiling_mm3_s)


class Memory(unittest.TestCase):
    def test_cache_drops_the_oldest_and_makes_each_value_once(self) -> None:
        made: list[int] = []
        cache: BoundedCache[bytes] = BoundedCache(100, len)

        def make(key: int) -> bytes:
            made.append(key)
            return bytes(40)

        for key in (1, 2, 1, 3, 1, 2):
            cache.get(key, lambda key=key: make(key))  # type: ignore[misc]
        self.assertEqual(made, [1, 2, 3, 2])
        self.assertLessEqual(cache.nbytes, 100)

    def test_cache_forgets_failures(self) -> None:
        cache: BoundedCache[bytes] = BoundedCache(100, len)
        with self.assertRaises(ZeroDivisionError):
            cache.get("x", lambda: bytes(1 // 0))
        self.assertEqual(cache.get("x", lambda: b"now"), b"now")

    def test_spreading_work_changes_no_result(self) -> None:
        numbers = np.arange(1000.0)
        np.testing.assert_array_equal(parallel_apply(lambda part: part * 2, numbers).astype(float), numbers * 2)

    def test_cache_counts_a_value_once_however_often_its_making_failed(self) -> None:
        cache: BoundedCache[bytes] = BoundedCache(1000, len)
        waiting, fail = threading.Barrier(2), threading.Event()

        def fails() -> bytes:
            waiting.wait(PATIENCE_S)
            fail.wait(PATIENCE_S)
            raise ValueError

        def first() -> None:
            with self.assertRaises(ValueError):
                cache.get("x", fails)

        made: list[int] = []
        both_in = threading.Barrier(2)

        def make() -> bytes:
            made.append(1)
            with suppress(threading.BrokenBarrierError):
                both_in.wait(0.2)  # met only where two threads make the same value at once
            return b"0123456789"

        one = threading.Thread(target=first)
        one.start()
        waiting.wait(PATIENCE_S)  # the first is making it, and will fail
        others = [threading.Thread(target=lambda: cache.get("x", make)) for _ in range(6)]
        for thread in others[:3]:
            thread.start()
        fail.set()
        for thread in others[3:]:
            thread.start()
        for thread in [one, *others]:
            thread.join(20)
        self.assertEqual((len(made), cache.nbytes, len(cache)), (1, 10, 1))


class Heights(unittest.TestCase):
    """What comes out where the part's height is no whole number of layers."""

    def test_the_difference_is_a_fact_a_finding_and_has_a_lever(self) -> None:
        for part, layer, layers, off in (
            (1.0, 0.3, 3, -0.1),
            (0.5, 0.3, 2, 0.1),
            (9.95, 0.2, 50, 0.05),
            (10, 0.2, 50, 0),
        ):
            keys = {"layer_height_mm": layer, "adhesion": {"kind": "none"}}
            solid = box(30, 30, part)
            found = estimate(keys, solid=solid)
            self.assertEqual(found.layers, layers)
            self.assertAlmostEqual(found.height_off_mm, off, places=9)
            self.assertAlmostEqual(found.height_mm, part + off, places=9)
            told = [entry for entry in found.findings if entry.rule == "height_off"]
            self.assertEqual(bool(told), off != 0)
            for finding in told:
                self.assertTrue(finding.remedies)
                for way in finding.remedies:
                    settings = {setting.key: setting.value for setting in way.settings if setting.value is not None}
                    after = estimate(keys | settings, solid=solid)
                    self.assertLess(abs(after.height_off_mm), 0.002)
                    self.assertNotIn("height_off", [entry.rule for entry in after.findings])

    def test_a_round_top_is_not_told(self) -> None:
        ball = estimate({"layer_height_mm": 0.3}, solid=sphere(4.95))
        self.assertNotIn("height_off", [finding.rule for finding in ball.findings])

    def test_the_audits_raft_of_three_in_turn_is_an_estimate(self) -> None:
        """A stroke of another layer stood before the travel in the interval's sample, and a wipe went back along it."""
        found = estimate(
            {
                "adhesion": {"kind": "raft"},
                "copies": {"count": 3, "order": "one_by_one"},
                "supports": {"kind": "trees"},
                "retraction": {"wipe_mm": 2, "min_travel_mm": 20},
                "thin_walls": "variable",
                "wall_order": "outside_in",
                "seam": "scattered",
                "skins": {"overlap_mm": 0.2},
                "layer_height_mm": 0.246,
            },
            solid=box(20, 0.5, 4),
        )
        self.assertAlmostEqual(
            sum(height_range.time_s for height_range in found.by_feature.values()), found.print_time_s, places=6
        )
        self.assertTrue(found.interval.low_s <= found.print_time_s <= found.interval.high_s)

    def test_a_part_thinner_than_half_a_first_layer_is_refused(self) -> None:
        with self.assertRaises(RecipeError) as caught:
            estimate({"first_layer_height_mm": 0.3}, solid=box(10, 10, 0.14))
        self.assertEqual(caught.exception.field, "first_layer_height_mm")

    def test_layer_changes_stand_in_the_ledger_by_feature_though_nothing_travels(self) -> None:
        thin = estimate({"adhesion": {"kind": "none"}}, solid=box(30, 0.4, 10))
        self.assertAlmostEqual(
            sum(height_range.time_s for height_range in thin.by_feature.values()), thin.print_time_s, places=9
        )

    def test_the_plate_is_as_large_as_the_plastic(self) -> None:
        bare = estimate({"adhesion": {"kind": "none"}}, solid=box(30, 20, 2))
        self.assertAlmostEqual(bare.plate_mm[0], 30, places=6)
        self.assertAlmostEqual(bare.plate_mm[1], 20, places=6)

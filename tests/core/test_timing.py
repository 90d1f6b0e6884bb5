import unittest

import numpy as np
from hypothesis import given, settings

from meanbead.core.estimate.timing import (
    melt_limits_mm_s,
    set_accelerations_mm_s2,
    set_speeds_mm_s,
    stronger,
    stronger_plan,
    time_strokes,
)
from meanbead.core.motion.lookahead import Moves, corner_speeds_jerk, limit_by_axis, plan_speeds
from meanbead.core.resolve import Plan, resolve
from meanbead.core.strokes import Feature, Strokes, plan_strokes
from meanbead.core.vocabulary import Material, Nozzle, Printer, Recipe
from tests.core.test_motion import JERK, paths
from tests.support.solids import box, cylinder


def planned(keys: dict, solid=None) -> tuple[Strokes, Plan]:
    plan = resolve(Recipe.model_validate(keys), Printer(), Nozzle(), Material())
    return plan_strokes(solid or box(24, 18, 3), plan.shape), plan


class Commands(unittest.TestCase):
    def test_each_feature_has_its_own_speed_and_the_first_layer_is_slower(self) -> None:
        speeds = {
            "outer_wall": 31,
            "inner_wall": 52,
            "infill": 83,
            "solid": 64,
            "top": 45,
            "first_layer": 26,
            "travel": 157,
        }
        strokes, plan = planned({"speed_mm_s": speeds})
        asked = set_speeds_mm_s(strokes, plan)
        above = strokes.layer > 0
        for feature in (Feature.OUTER_WALL, Feature.INNER_WALL, Feature.INFILL, Feature.SOLID, Feature.TOP):
            rows = above & (strokes.feature == feature)
            self.assertEqual(set(asked[rows]), {speeds[feature.name.lower()]}, feature)
        self.assertEqual(set(asked[~above & ~strokes.is_travel]), {26})
        self.assertEqual(set(asked[strokes.is_travel]), {157})

    def test_outer_walls_may_have_their_own_acceleration(self) -> None:
        strokes, plan = planned({"acceleration_mm_s2": {"outer_wall": 300, "print": 800, "travel": 1200}})
        rates = set_accelerations_mm_s2(strokes, plan)
        self.assertEqual(set(rates[strokes.feature == Feature.OUTER_WALL]), {300})
        self.assertEqual(set(rates[strokes.feature == Feature.INFILL]), {800})
        self.assertEqual(set(rates[strokes.is_travel]), {1200})

    def test_melt_limit_is_flow_over_section(self) -> None:
        strokes, plan = planned({"flow_ratio": 1.1})
        limit = melt_limits_mm_s(strokes, plan, 8.0)
        rows = strokes.feature == Feature.OUTER_WALL
        np.testing.assert_allclose(limit[rows] * strokes.area_mm2[rows] * 1.1, 8.0)
        self.assertTrue(np.all(np.isinf(limit[strokes.is_travel])))


class Standing(unittest.TestCase):
    def test_z_hop_costs_two_moves_a_retraction(self) -> None:
        strokes, plan = planned({"retraction": {"z_hop_mm": 0.4, "min_travel_mm": 1}})
        _, flat = planned({"retraction": {"z_hop_mm": 0.0, "min_travel_mm": 1}})
        hop = time_strokes(strokes, plan, Printer(), 9.0)
        none = time_strokes(strokes, flat, Printer(), 9.0)
        # 0.4 mm at 200 mm/s2 never reaches 10 mm/s: 2 sqrt(0.4 / 200) s, up and down.
        each = 2 * 2 * np.sqrt(0.4 / 200)
        self.assertAlmostEqual(hop.z_s.sum() - none.z_s.sum(), hop.retractions * each, places=9)

    def test_layer_changes_take_their_z_moves(self) -> None:
        strokes, plan = planned({"retraction": {"min_travel_mm": 500}})
        timing = time_strokes(strokes, plan, Printer(), 9.0)
        self.assertAlmostEqual(timing.z_s.sum(), 14 * 2 * np.sqrt(0.2 / 200), places=9)
        self.assertEqual(timing.retractions, 0)


class Cooling(unittest.TestCase):
    def test_every_layer_but_the_first_takes_its_time(self) -> None:
        strokes, plan = planned({"cooling": {"min_layer_time_s": 25, "min_speed_mm_s": 12}}, cylinder(5, 3, 40))
        timing = time_strokes(strokes, plan, Printer(), 9.0)
        count = len(strokes.layers)
        per_layer = np.bincount(strokes.layer, weights=timing.move_s + timing.cooling_s, minlength=count)
        per_layer += timing.retract_s + timing.z_s + timing.wait_s
        np.testing.assert_allclose(per_layer[1:], 25)
        self.assertEqual(timing.wait_s[0], 0)

    def test_slowing_lowers_the_flow(self) -> None:
        free, slowed = (planned({"cooling": {"min_layer_time_s": s}}, cylinder(5, 3, 40)) for s in (0, 25))
        flows = [
            time_strokes(*case, Printer(), 9.0).peak_flow_mm3_s[case[0].layer > 0].max() for case in (free, slowed)
        ]
        self.assertLess(flows[1], 0.7 * flows[0])


class Brackets(unittest.TestCase):
    def test_a_stronger_machine_is_never_slower(self) -> None:
        strokes, plan = planned({"cooling": {"min_layer_time_s": 0}})
        times = [
            time_strokes(strokes, stronger_plan(plan, factor), stronger(Printer(), factor), 9.0).print_time_s
            for factor in (0.5, 0.8, 1.0, 1.5)
        ]
        self.assertEqual(times, sorted(times, reverse=True))
        same = time_strokes(strokes, plan, Printer(), 9.0).print_time_s
        self.assertAlmostEqual(times[2], same)

    def test_factor_reaches_every_limit(self) -> None:
        machine = stronger(Printer.model_validate({"corner": {"law": "junction_deviation", "deviation_mm": 0.02}}), 2)
        self.assertEqual((machine.acceleration_mm_s2.print, machine.max_acceleration_mm_s2.x), (2000, 4000))
        self.assertEqual(machine.corner.deviation_mm, 0.04)


class Pieces(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(paths())
    def test_what_is_settled_is_what_the_whole_path_gives(self, case: tuple[Moves, float]) -> None:
        """Plan a first part alone; what it calls settled must not change when the rest is known."""
        moves, _ = case
        corner, stop = corner_speeds_jerk(moves.unit, JERK, moves.halt), limit_by_axis(moves.unit, JERK)
        whole = plan_speeds(moves, corner, stop)
        for cut in range(1, len(moves.length_mm)):
            first = Moves(*(getattr(moves, name)[:cut] for name in _FIELDS))
            part = plan_speeds(first, corner[:cut], stop[:cut])
            settled = part.settled
            np.testing.assert_allclose(part.time_s[:settled], whole.time_s[:settled], rtol=1e-9)
            rest = Moves(*(getattr(moves, name)[settled:] for name in _FIELDS))
            start = float(part.entry_mm_s[settled]) if settled else -1.0
            after = plan_speeds(rest, corner[settled:], stop[settled:], start)
            np.testing.assert_allclose(after.time_s, whole.time_s[settled:], rtol=1e-9)


_FIELDS = ("length_mm", "unit", "speed_mm_s", "acceleration_mm_s2", "halt")

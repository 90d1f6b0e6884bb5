import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.estimate.moves import Kind, moves_of
from meanbead.core.estimate.timing import (
    melt_limits_mm_s,
    set_accelerations_mm_s2,
    set_speeds_mm_s,
    stronger,
    stronger_plan,
    time_strokes,
)
from meanbead.core.model import Material, Nozzle, Printer, Recipe
from meanbead.core.model.plan import Plan
from meanbead.core.motion.lookahead import Moves, plan_speeds
from meanbead.core.recipe.resolve import resolve
from meanbead.core.strokes import Feature, Strokes, plan_strokes
from tests.core.motion.test_motion import JERK, paths
from tests.running.effort import cases
from tests.support.reference_limits import corner_speeds_jerk, limit_by_axis, motor_shares, speed_limits_mm_s
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


def z_move_s(rise_mm: float) -> float:
    """By hand: Z takes 0.4 mm/s at once, 200 mm/s2 from there, and never reaches 10 mm/s on such short ways."""
    return 2 * (np.sqrt(200 * rise_mm + 0.4**2) - 0.4) / 200


class Standing(unittest.TestCase):
    def test_z_hop_costs_two_moves_a_retraction(self) -> None:
        strokes, plan = planned({"retraction": {"z_hop_mm": 0.4, "min_travel_mm": 1}})
        timing = time_strokes(strokes, plan, Printer(), 9.0)
        lifts = timing.moves.kind == Kind.LIFT
        self.assertEqual(np.count_nonzero(lifts), 2 * len(timing.pulled_strokes))
        # A lift that a layer's rise continues keeps its speed; every other one is as by hand.
        after = np.roll(timing.moves.kind, -1)
        alone = lifts & (after != Kind.LAYER)
        np.testing.assert_allclose(timing.move_s[alone], z_move_s(0.4), rtol=1e-9)

    def test_layer_changes_take_their_z_moves(self) -> None:
        strokes, plan = planned({"retraction": {"min_travel_mm": 500}})
        timing = time_strokes(strokes, plan, Printer(), 9.0)
        layer_s = timing.by_cause_s()[:, CAUSES.index("z_and_layer_change")]
        self.assertAlmostEqual(layer_s.sum(), 14 * z_move_s(0.2), places=9)
        self.assertEqual(len(timing.pulled_strokes), 0)

    def test_a_wipe_goes_back_along_the_stroke_while_it_pulls(self) -> None:
        strokes, plan = planned({"travel": "straight", "retraction": {"wipe_mm": 1.5, "min_travel_mm": 1}})
        moves = moves_of(strokes, plan, Printer())
        wipes = np.flatnonzero(moves.kind == Kind.RETRACT)
        way = np.hypot(moves.delta[wipes, 0], moves.delta[wipes, 1])
        self.assertLessEqual(way.max(), 1.5 + 1e-9)
        self.assertGreater(np.count_nonzero(way > 1.49), 5)
        np.testing.assert_allclose(moves.delta[wipes, 3], -plan.retraction_mm)
        # The detour changes no place: all moves together lead from the first point to the last.
        np.testing.assert_allclose(moves.delta[:, :2].sum(axis=0), strokes.end_xy[-1] - strokes.start_xy[0], atol=1e-6)
        laid = (strokes.length_mm * strokes.area_mm2)[~strokes.is_travel].sum() / (np.pi * 1.75**2 / 4)
        self.assertAlmostEqual(moves.delta[:, 3].sum(), laid, places=6)


class Ledgers(unittest.TestCase):
    @settings(max_examples=cases(12, 500), deadline=None)
    @given(
        st.sampled_from(["jerk", "junction_deviation"]),
        st.sampled_from(["bed_moving", "gantry", "coupled_gantry"]),
        st.floats(0, 1),
        st.floats(0, 2),
        st.floats(0, 30),
        st.floats(3, 15),
    )
    def test_both_add_up_to_every_layer_and_to_the_whole(
        self, law: str, kinematics: str, hop: float, wipe: float, least_s: float, ceiling: float
    ) -> None:
        strokes, plan = planned(
            {"retraction": {"z_hop_mm": hop, "wipe_mm": wipe}, "cooling": {"min_layer_time_s": least_s}}
        )
        printer = Printer.model_validate({"corner": {"law": law, "deviation_mm": 0.02}, "kinematics": kinematics})
        timing = time_strokes(strokes, plan, printer, ceiling)
        feature, cause = timing.by_feature_s(), timing.by_cause_s()
        np.testing.assert_allclose(feature.sum(axis=1), cause.sum(axis=1), atol=1e-6)
        self.assertAlmostEqual(feature.sum(), timing.print_time_s, places=6)
        self.assertGreaterEqual(cause.min(), -1e-9)
        self.assertGreaterEqual(feature.min(), 0)

    def test_corners_cost_what_lifting_them_saves(self) -> None:
        """A square of four sides: without its three inner corners it is one straight run of the same length."""
        plan = resolve(
            Recipe.model_validate(
                {"walls": 1, "top_layers": 0, "bottom_layers": 0, "infill": {"density": 0}}
                | {"adhesion": {"kind": "none"}, "line_width_mm": {"outer_wall": 0.5}}
                | {"speed_mm_s": {"first_layer": 50, "outer_wall": 50}}
            ),
            Printer(),
            Nozzle(),
            Material(),
        )
        strokes = plan_strokes(box(40.5, 40.5, 0.2), plan.shape)
        timing = time_strokes(strokes, plan, Printer(), 100.0)
        causes = dict(zip(CAUSES, timing.by_cause_s().sum(axis=0), strict=True))
        straight = 2 * (50 - 8) / 800 + (160 - (50**2 - 8**2) / 800) / 50
        self.assertAlmostEqual(causes["at_set_speed"], 160 / 50, places=9)
        self.assertAlmostEqual(causes["ramps"], straight - 160 / 50, places=9)
        self.assertAlmostEqual(causes["corners"], timing.print_time_s - straight, places=9)


class SharedMotors(unittest.TestCase):
    def test_diagonals_are_slower_and_axes_are_not(self) -> None:
        straight = np.array([[1, 0, 0, 0], [0, 1, 0, 0], [0.5**0.5, 0.5**0.5, 0, 0]], dtype=float)
        for kinematics, diagonal in (("gantry", 250 * 2**0.5), ("coupled_gantry", 250 / 2**0.5)):
            printer = Printer.model_validate({"kinematics": kinematics})
            limits = speed_limits_mm_s(motor_shares(straight, printer), printer)
            np.testing.assert_allclose(limits, [250, 250, diagonal])


class Cooling(unittest.TestCase):
    def test_every_layer_but_the_first_takes_its_time(self) -> None:
        cooling = {"min_layer_time_s": 25, "min_speed_mm_s": 12, "short_layers": "wait"}
        strokes, plan = planned({"cooling": cooling}, cylinder(5, 3, 40))
        timing = time_strokes(strokes, plan, Printer(), 9.0)
        count = len(strokes.layers)
        per_layer = timing.by_feature_s().sum(axis=1)
        self.assertEqual(len(per_layer), count)
        np.testing.assert_allclose(per_layer[1:], 25)
        self.assertEqual(timing.cooling.wait_s[0], 0)

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
        self.assertEqual((machine.acceleration_mm_s2.print, machine.max_acceleration_mm_s2.x), (1600, 4000))
        self.assertEqual(machine.corner.deviation_mm, 0.04)


class Pieces(unittest.TestCase):
    @settings(max_examples=cases(30, 1200), deadline=None)
    @given(paths())
    def test_what_is_settled_is_what_the_whole_path_gives(self, case: tuple[Moves, float]) -> None:
        """Plan a first part alone; what it calls settled must not change when the rest is known."""
        self._settles(case[0])

    def test_a_move_that_is_slower_than_a_stop_may_follow(self) -> None:
        count = 9
        length, speed = np.full(count, 1.0), np.array([5, 5, 5, 5, 5, 5, 7, 7, 5.0])
        length[7] = 0.0546875
        unit = np.tile([1.0, 0, 0, 0], (count, 1))
        self._settles(Moves(length, unit, speed, np.full(count, 200.0), np.arange(count) == 0))

    def _settles(self, moves: Moves) -> None:
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

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.model import Printer
from meanbead.core.motion.limits import path_limits
from meanbead.core.motion.lookahead import Moves, plan_speeds, straight_move_time_s
from meanbead.core.motion.paired_lookahead import plan_with_and_without
from tests.core.motion.reference_motion import curve_corner, dense_time, deviation_corner, jerk_corner
from tests.running.effort import cases
from tests.support.reference_limits import (
    acceleration_limits_mm_s2,
    corner_limits_mm_s,
    corner_speeds_deviation,
    corner_speeds_jerk,
    limit_by_axis,
    motor_shares,
    speed_limits_mm_s,
)

JERK = np.array([8.0, 8.0, 0.4, 5.0])


def moves_of(
    points: list[tuple[float, float]], speed: float = 100.0, acceleration: float = 1000.0, e_per_mm: float = 0.0
) -> Moves:
    xy = np.array(points)
    delta = np.diff(xy, axis=0)
    length = np.hypot(delta[:, 0], delta[:, 1])
    unit = np.zeros((len(length), 4))
    unit[:, :2] = delta / length[:, None]
    unit[:, 3] = e_per_mm
    halt = np.zeros(len(length), dtype=bool)
    halt[0] = True
    return Moves(length, unit, np.full(len(length), speed), np.full(len(length), acceleration), halt)


def total(moves: Moves, corner: np.ndarray, stop: np.ndarray | None = None) -> float:
    return float(plan_speeds(moves, corner, np.zeros(len(corner)) if stop is None else stop).time_s.sum())


class SingleMoves(unittest.TestCase):
    def test_trapezoid_by_hand(self) -> None:
        # 0.1 s up to 100 mm/s over 5 mm, 90 mm in 0.9 s, 0.1 s down: 1.1 s.
        moves = moves_of([(0, 0), (100, 0)])
        self.assertAlmostEqual(total(moves, np.zeros(1)), 1.1)
        self.assertAlmostEqual(straight_move_time_s(100, 100, 1000), 1.1)

    def test_triangle_by_hand(self) -> None:
        # 2 mm at 1000 mm/s2 never reaches 100 mm/s: 2 sqrt(2 / 1000).
        moves = moves_of([(0, 0), (2, 0)])
        self.assertAlmostEqual(total(moves, np.zeros(1)), 2 * math.sqrt(0.002))
        self.assertAlmostEqual(straight_move_time_s(2, 100, 1000), 2 * math.sqrt(0.002))

    def test_nothing_takes_no_time(self) -> None:
        self.assertEqual(straight_move_time_s(0, 100, 1000), 0)

    def test_a_move_cut_in_pieces_takes_the_same_time(self) -> None:
        whole = moves_of([(0, 0), (80, 60)])
        pieces = moves_of([(0.8 * k, 0.6 * k) for k in range(101)])
        straight = np.full(100, np.inf)
        straight[0] = 0
        self.assertAlmostEqual(total(pieces, straight), total(whole, np.zeros(1)), places=9)


class Corners(unittest.TestCase):
    def test_right_angle_by_the_jerk_law(self) -> None:
        # x drops by v and y rises by v: v = 8 mm/s.
        moves = moves_of([(0, 0), (10, 0), (10, 10)])
        self.assertAlmostEqual(corner_speeds_jerk(moves.unit, JERK, moves.halt)[1], 8.0)

    def test_reversal_by_the_jerk_law_halves_it(self) -> None:
        moves = moves_of([(0, 0), (10, 0), (0, 0)])
        self.assertAlmostEqual(corner_speeds_jerk(moves.unit, JERK, moves.halt)[1], 4.0)

    def test_extruder_jerk_binds_where_plastic_starts(self) -> None:
        moves = moves_of([(0, 0), (10, 0), (20, 0)])
        moves.unit[1, 3] = 0.5
        self.assertAlmostEqual(corner_speeds_jerk(moves.unit, np.array([8.0, 8, 0.4, 2.0]), moves.halt)[1], 4.0)

    def test_right_angle_by_junction_deviation(self) -> None:
        # sin 45 = 0.7071: r = 0.02 x 0.7071 / 0.2929 = 0.04828 mm, v = sqrt(1000 x 0.04828) = 6.949 mm/s.
        moves = moves_of([(0, 0), (10, 0), (10, 10)])
        speeds = corner_speeds_deviation(moves.unit, moves.length_mm, moves.acceleration_mm_s2, 0.02, False, moves.halt)
        self.assertAlmostEqual(speeds[1], 6.949, places=3)
        self.assertEqual(speeds[0], 0)

    def test_straight_on_is_not_slowed(self) -> None:
        moves = moves_of([(0, 0), (10, 0), (20, 0)])
        self.assertEqual(corner_speeds_jerk(moves.unit, JERK, moves.halt)[1], np.inf)
        self.assertEqual(
            corner_speeds_deviation(moves.unit, moves.length_mm, moves.acceleration_mm_s2, 0.02, False, moves.halt)[1],
            np.inf,
        )

    def test_corner_time_by_hand(self) -> None:
        # Two sides of 50 mm, corner at 8 mm/s. Each: up to 100 mm/s (5 mm), cruise, and a ramp to or from 8 mm/s.
        moves = moves_of([(0, 0), (50, 0), (50, 50)])
        ramp_mm = (100**2 - 8**2) / 2000
        side = 0.1 + (50 - 5 - ramp_mm) / 100 + (100 - 8) / 1000
        self.assertAlmostEqual(total(moves, np.array([0.0, 8.0])), 2 * side)


class Axes(unittest.TestCase):
    def test_slowest_axis_binds(self) -> None:
        unit = np.array([[0.6, 0.8, 0, 0.05], [1.0, 0, 0, 0], [0, 0, 0, 0]])
        bound = limit_by_axis(unit, np.array([300.0, 200.0, 10.0, 5.0]))
        np.testing.assert_allclose(bound, [100.0, 300.0, np.inf])


@st.composite
def paths(draw: st.DrawFn) -> tuple[Moves, float]:
    count = draw(st.integers(1, 14))
    turns = draw(st.lists(st.floats(-math.pi, math.pi), min_size=count, max_size=count))
    lengths = draw(st.lists(st.floats(0.05, 40), min_size=count, max_size=count))
    speeds = draw(st.lists(st.floats(5, 300), min_size=count, max_size=count))
    accelerations = draw(st.lists(st.floats(200, 8000), min_size=count, max_size=count))
    flows = draw(st.lists(st.sampled_from([0.0, 0.03, 0.08]), min_size=count, max_size=count))
    halts = draw(st.lists(st.sampled_from([False, False, False, True]), min_size=count, max_size=count))
    heading = np.cumsum(turns)
    unit = np.stack([np.cos(heading), np.sin(heading), np.zeros(count), np.array(flows)], axis=1)
    halt = np.array([True, *halts[1:]])
    return Moves(np.array(lengths), unit, np.array(speeds), np.array(accelerations), halt), draw(st.floats(0.005, 0.1))


class AgainstTheReference(unittest.TestCase):
    """Random paths against the dense sweep, whose own error is a few parts in ten thousand."""

    @settings(max_examples=cases(20, 800), deadline=None)
    @given(paths())
    def test_jerk_law(self, case: tuple[Moves, float]) -> None:
        moves, _ = case
        units = [tuple(row) for row in moves.unit]
        rest = (0.0, 0.0, 0.0, 0.0)
        jerk = tuple(JERK)
        corners = [jerk_corner(rest if moves.halt[k] else units[k - 1], units[k], jerk) for k in range(len(units))]
        exits = [min(jerk_corner(unit, rest, jerk), speed) for unit, speed in zip(units, moves.speed_mm_s, strict=True)]
        slow = dense_time(moves.length_mm, moves.speed_mm_s, moves.acceleration_mm_s2, corners, exits, moves.halt)
        fast = total(moves, corner_speeds_jerk(moves.unit, JERK, moves.halt), limit_by_axis(moves.unit, JERK))
        self.assertAlmostEqual(fast / slow, 1.0, delta=0.003)

    @settings(max_examples=cases(20, 800), deadline=None)
    @given(paths())
    def test_junction_deviation_law(self, case: tuple[Moves, float]) -> None:
        moves, deviation = case
        units = [tuple(row) for row in moves.unit]
        a = moves.acceleration_mm_s2
        corners = [
            0.0
            if moves.halt[k]
            else min(
                deviation_corner(units[k - 1], units[k], min(a[k - 1], a[k]), deviation),
                curve_corner(units[k - 1], units[k], moves.length_mm[k - 1], moves.length_mm[k], min(a[k - 1], a[k])),
            )
            for k in range(len(units))
        ]
        slow = dense_time(moves.length_mm, moves.speed_mm_s, a, corners, [0.0] * len(units), moves.halt)
        fast = total(moves, corner_speeds_deviation(moves.unit, moves.length_mm, a, deviation, True, moves.halt))
        self.assertAlmostEqual(fast / slow, 1.0, delta=0.003)

    def test_arcs_and_dense_curves_on_both_kinematics(self) -> None:
        """Circles in chords, and a wave of thousands of tiny moves, within what each machine's axes or motors allow."""
        turn = np.linspace(0, 4 * math.pi, 241)
        wave = np.linspace(0, 60, 1501)
        curves = {
            "arc": np.column_stack([8 * np.cos(turn), 8 * np.sin(turn)]),
            "small arc": np.column_stack([0.7 * np.cos(turn), 0.7 * np.sin(turn)]),
            "wave": np.column_stack([wave, 3 * np.sin(wave)]),
        }
        for kinematics in ("gantry", "coupled_gantry"):
            for corner in ({"law": "jerk"}, {"law": "junction_deviation", "deviation_mm": 0.03}):
                printer = Printer.model_validate({"kinematics": kinematics, "corner": corner})
                for name, points in curves.items():
                    step = np.diff(points, axis=0)
                    delta = np.column_stack([step, np.zeros(len(step)), 0.04 * np.hypot(*step.T)])
                    limits = path_limits(delta, np.full(len(delta), 120.0), np.full(len(delta), 1500.0), printer)
                    ours = plan_with_and_without(limits, limits.speed_mm_s, np.zeros(len(delta), bool)).time_s.sum()
                    slow = self.slow_time(delta, printer)
                    self.assertAlmostEqual(ours / slow, 1.0, delta=0.003, msg=f"{name} {kinematics} {corner['law']}")

    def slow_time(self, delta: np.ndarray, printer: Printer) -> float:
        """The reference's time, limits and all, worked out move by move in plain Python."""
        rest, units, lengths, speeds, accelerations = (0.0, 0.0, 0.0, 0.0), [], [], [], []
        for x, y, z, e in delta.tolist():
            length = math.sqrt(x * x + y * y + z * z)
            motors = (x + y, x - y, z, e) if printer.kinematics == "coupled_gantry" else (x, y, z, e)
            unit = tuple(part / length for part in motors)
            top, most = printer.max_speed_mm_s, printer.max_acceleration_mm_s2
            parts = [abs(part) for part in unit]
            speeds.append(min([120.0] + [t / p for t, p in zip((top.x, top.y, top.z, top.e), parts, strict=True) if p]))
            accelerations.append(
                min([1500.0] + [m / p for m, p in zip((most.x, most.y, most.z, most.e), parts, strict=True) if p])
            )
            units.append(unit)
            lengths.append(length)
        jerk = printer.corner.jerk
        steps = (jerk.x, jerk.y, jerk.z, jerk.e)
        if printer.corner.law == "jerk":
            corners = [jerk_corner(units[k - 1] if k else rest, units[k], steps) for k in range(len(units))]
            exits = [min(jerk_corner(unit, rest, steps), v) for unit, v in zip(units, speeds, strict=True)]
        else:
            ways = [tuple(value / length for value in row) for row, length in zip(delta.tolist(), lengths, strict=True)]
            corners = [0.0] + [
                min(
                    deviation_corner(ways[k - 1], ways[k], min(accelerations[k - 1], accelerations[k]), 0.03),
                    curve_corner(
                        ways[k - 1], ways[k], lengths[k - 1], lengths[k], min(accelerations[k - 1], accelerations[k])
                    ),
                )
                for k in range(1, len(ways))
            ]
            exits = [0.0] * len(ways)
        halts = [True] + [False] * (len(units) - 1)
        return dense_time(lengths, speeds, accelerations, corners, exits, halts, steps=60)

    @settings(max_examples=cases(30, 1200), deadline=None)
    @given(st.floats(0.3, 60), st.floats(0.01, 3.0), st.floats(300, 5000), st.floats(0.005, 0.1), st.integers(0, 1000))
    def test_sideways_acceleration_on_arcs_of_any_fineness(
        self, radius: float, chord: float, acceleration: float, deviation: float, seed: int
    ) -> None:
        """v^2 / r never exceeds what the machine has, however fine or uneven the chords of a circle."""
        rng = np.random.default_rng(seed)
        chord = min(chord, 0.8 * radius)
        step = 2 * math.asin(chord / 2 / radius) * rng.uniform(0.4, 1.0, 60)
        turn = np.concatenate([[0], np.cumsum(step)])
        points = radius * np.column_stack([np.cos(turn), np.sin(turn)])
        delta = np.column_stack([np.diff(points, axis=0), np.zeros((60, 2))])
        corner = {"law": "junction_deviation", "deviation_mm": deviation}
        fastest = {}
        for limited in (True, False):
            printer = Printer.model_validate(
                {
                    "corner": corner | {"curve_limit": limited},
                    "max_speed_mm_s": {"x": 900, "y": 900},
                    "max_acceleration_mm_s2": {"x": 20_000, "y": 20_000},
                }
            )
            limits = path_limits(delta, np.full(60, 500.0), np.full(60, acceleration), printer)
            unit = delta / limits.length_mm[:, None]
            moves = Moves(limits.length_mm, unit, limits.speed_mm_s, limits.acceleration_mm_s2, limits.halt)
            profile = plan_speeds(moves, limits.corner_mm_s, limits.stop_mm_s)
            fastest[limited] = float(np.max(profile.entry_mm_s**2))
        self.assertLessEqual(fastest[True] / radius, 1.01 * acceleration)
        self.assertLessEqual(fastest[True], fastest[False] + 1e-9)

    def test_finer_chords_are_not_taken_faster(self) -> None:
        """The audit's case: a circle of 1 mm at 60 mm/s, 1,000 mm/s2, a deviation of 0.02 mm."""
        for limited, most in ((True, 1000.0), (False, 3590.0)):
            printer = Printer.model_validate(
                {"corner": {"law": "junction_deviation", "deviation_mm": 0.02, "curve_limit": limited}}
            )
            turn = np.linspace(0, 2 * math.pi, 33)
            delta = np.column_stack([np.diff(np.cos(turn)), np.diff(np.sin(turn)), np.zeros((32, 2))])
            limits = path_limits(delta, np.full(32, 60.0), np.full(32, 1000.0), printer)
            self.assertAlmostEqual(min(60.0, float(limits.corner_mm_s[1:].min())) ** 2 / most, 1, delta=0.02)

    @settings(max_examples=cases(20, 800), deadline=None)
    @given(paths())
    def test_no_limit_is_broken(self, case: tuple[Moves, float]) -> None:
        moves, _ = case
        corner = corner_speeds_jerk(moves.unit, JERK, moves.halt)
        profile = plan_speeds(moves, corner, limit_by_axis(moves.unit, JERK))
        eps = 1e-6
        self.assertTrue(np.all(profile.peak_mm_s <= moves.speed_mm_s + eps))
        self.assertTrue(np.all(profile.entry_mm_s <= corner + eps))
        reach = np.abs(profile.exit_mm_s**2 - profile.entry_mm_s**2)
        self.assertTrue(np.all(reach <= 2 * moves.acceleration_mm_s2 * moves.length_mm + eps))
        joined = ~moves.halt[1:]
        np.testing.assert_allclose(profile.exit_mm_s[:-1][joined], profile.entry_mm_s[1:][joined])


class WholePaths(unittest.TestCase):
    """The one-pass functions for whole paths against those that they stand for."""

    def check(self, delta: np.ndarray, printer: Printer, rng: np.random.Generator) -> None:
        asked, requested = rng.uniform(5, 200, len(delta)), rng.uniform(200, 3000, len(delta))
        limits = path_limits(delta, asked, requested, printer)
        path = np.sqrt((delta[:, :3] ** 2).sum(axis=1))
        length = np.where(path > 0, path, np.abs(delta[:, 3]))
        unit = delta / length[:, None]
        shares = motor_shares(unit, printer)
        halt = np.zeros(len(delta), dtype=bool)
        halt[0] = True
        acceleration = np.minimum(requested, acceleration_limits_mm_s2(shares, printer))
        corner, stop = corner_limits_mm_s(unit, length, shares, acceleration, halt, printer)
        np.testing.assert_allclose(limits.length_mm, length)
        np.testing.assert_allclose(limits.speed_mm_s, np.minimum(asked, speed_limits_mm_s(shares, printer)))
        np.testing.assert_allclose(limits.acceleration_mm_s2, acceleration)
        # Near straight on, where a cosine is all but 1, its last digit decides; such corners bind nothing.
        np.testing.assert_allclose(limits.corner_mm_s.clip(max=1e4), corner.clip(max=1e4), rtol=1e-6)
        np.testing.assert_allclose(limits.stop_mm_s, stop)
        np.testing.assert_array_equal(limits.halt, halt)
        moves = Moves(length, unit, limits.speed_mm_s, limits.acceleration_mm_s2, limits.halt)
        loose = rng.random(len(delta)) < 0.4
        both = plan_with_and_without(limits, limits.speed_mm_s, loose)
        tight = plan_speeds(moves, limits.corner_mm_s, limits.stop_mm_s)
        free = plan_speeds(moves, np.where(loose, np.inf, limits.corner_mm_s), limits.stop_mm_s)
        np.testing.assert_array_equal(both.time_s, tight.time_s)
        np.testing.assert_array_equal(both.peak_mm_s, tight.peak_mm_s)
        np.testing.assert_allclose(both.free_time_s, free.time_s, rtol=1e-12)

    def test_agree_for_all_machines_and_also_when_cut_in_two(self) -> None:
        rng = np.random.default_rng(5)
        for kinematics in ("gantry", "coupled_gantry"):
            for corner in ({"law": "jerk"}, {"law": "junction_deviation", "deviation_mm": 0.02}):
                printer = Printer.model_validate({"kinematics": kinematics, "corner": corner})
                for count in (40, 60_000):
                    delta = rng.normal(0, 2, (count, 4)) * [1, 1, 0, 0.03]
                    delta[rng.random(count) < 0.1, :3] = 0
                    delta[rng.random(count) < 0.02] = [0, 0, 0.2, 0]
                    self.check(delta, printer, rng)

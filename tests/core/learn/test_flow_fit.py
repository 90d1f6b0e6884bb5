"""The fit against simulated tests whose truth is known. ``python -m benchmarks.flow_coverage`` does thousands."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from meanbead.core.learn.flow.fit import fit_flow_test, grouped, posteriors
from meanbead.core.learn.flow.proposal import next_flow
from meanbead.core.learn.flow.strands import strand_limit
from meanbead.core.model.flow_test import STRANDS, FlowFit, FlowPoint, FlowTest
from tests.running.effort import cases
from tests.support.flow_tests import Truth, ladder, strand


def looks(*pairs: tuple[float, str]) -> list[FlowPoint]:
    return [FlowPoint.model_validate({"flow_mm3_s": flow, "temp_c": 215, "strand": look}) for flow, look in pairs]


def first_knee(fit: FlowFit) -> tuple[float, float, float] | None:
    knee = fit.by_temp[0].knee_mm3_s
    return None if knee is None else (knee.low, knee.value, knee.high)


class Coverage(unittest.TestCase):
    def test_the_interval_covers_as_it_says_over_scales_cuts_and_gross_errors(self) -> None:
        """Tests of truths that nothing was tuned to: 90 % within four standard deviations of the count."""
        rng = np.random.default_rng(20261126)
        inside, off = 0, []
        seen = 0
        tried = cases(80, 2000)
        for number in range(tried):
            truth = Truth(
                knee=math.exp(rng.uniform(math.log(5), math.log(32))),
                drive=rng.normal(1, 0.04),
                fall=rng.uniform(0.25, 1.2),
            )
            guess = truth.knee * math.exp(0.25 * rng.normal())
            scale = (0.1, 0.01, 0.001)[number % 3]
            gross = 0.05 if number % 2 else 0.0
            test = ladder(rng, truth, 0.5 * guess, 1.75 * guess, 10, scale, cut_mm=rng.uniform(0.3, 3), gross=gross)
            knee = first_knee(fit_flow_test(test))
            if knee is None:
                continue
            seen += 1
            inside += knee[0] <= truth.knee <= knee[2]
            off.append((knee[1] - truth.knee) / (knee[2] - knee[0]))
        self.assertGreater(seen, 0.8 * tried)
        self.assertLess(abs(inside / seen - 0.9), 4 * math.sqrt(0.09 / seen))
        self.assertLess(abs(float(np.median(off))), 0.1)

    def test_no_knee_within_reach_proves_a_bound(self) -> None:
        rng = np.random.default_rng(3)
        held = 0
        for _ in range(60):
            truth = Truth(knee=rng.uniform(16, 40))
            fit = fit_flow_test(ladder(rng, truth, 5, 15, 7))
            (entry,) = fit.by_temp
            self.assertTrue(entry.knee_mm3_s is None or entry.knee_mm3_s.low < 15)
            if entry.above_mm3_s is not None:
                held += entry.above_mm3_s <= truth.knee
                self.assertLessEqual(entry.above_mm3_s, 15)
                self.assertFalse(entry.enough)
                self.assertGreater(entry.next_flow_mm3_s or 0, 10)
        self.assertGreaterEqual(held, 54)

    def test_several_temperatures_share_the_drive_and_narrow_each_other(self) -> None:
        rng = np.random.default_rng(11)
        covered, alone_width, shared_width = 0, [], []
        for _ in range(cases(14, 40)):
            truths = {temp: Truth(knee=11 * math.exp(0.011 * (temp - 205))) for temp in (205, 215, 225)}
            points = tuple(
                strand(rng, truth, flow, temp_c=temp, cut_mm=2.5)
                for temp, truth in truths.items()
                for flow in (0.6 * truth.knee, 0.85 * truth.knee, 1.15 * truth.knee, 1.4 * truth.knee)
            )
            together = fit_flow_test(FlowTest(points=points))
            for entry, truth in zip(together.by_temp, truths.values(), strict=True):
                alone = fit_flow_test(FlowTest(points=tuple(p for p in points if p.temp_c == entry.temp_c))).by_temp[0]
                if entry.knee_mm3_s and alone.knee_mm3_s:
                    covered += entry.knee_mm3_s.low <= truth.knee <= entry.knee_mm3_s.high
                    shared_width.append(entry.knee_mm3_s.high - entry.knee_mm3_s.low)
                    alone_width.append(alone.knee_mm3_s.high - alone.knee_mm3_s.low)
        self.assertGreater(covered / len(shared_width), 0.84)
        self.assertLess(np.mean(shared_width), 0.95 * np.mean(alone_width))


class OneTest(unittest.TestCase):
    def test_a_constant_shortfall_is_the_drives_and_not_a_knee(self) -> None:
        fit = fit_flow_test(ladder(np.random.default_rng(1), Truth(knee=14, drive=0.93), 7, 22, 9))
        assert fit.drive_ratio is not None
        self.assertTrue(fit.drive_ratio.low < 0.93 < fit.drive_ratio.high, fit.drive_ratio)
        low, _, high = first_knee(fit) or (0, 0, 0)
        self.assertTrue(low < 14 < high)
        self.assertTrue(any("calibration" in note for note in fit.notes))

    def test_one_bad_weighing_is_left_out_and_named(self) -> None:
        test = ladder(np.random.default_rng(2), Truth(knee=14), 7, 22, 10)
        bad = test.points[3].model_copy(update={"mass_g": 0.71})
        points = (*test.points[:3], bad, *test.points[4:])
        fit = fit_flow_test(test.model_copy(update={"points": points}))
        self.assertEqual(fit.left_out, [3])
        self.assertTrue(any("0.71" in note for note in fit.notes))
        clean = first_knee(fit_flow_test(test.model_copy(update={"points": (*test.points[:3], *test.points[4:])})))
        found = first_knee(fit)
        assert clean is not None
        assert found is not None
        self.assertAlmostEqual(found[1], clean[1], places=6)

    def test_the_plan_is_the_lowest_limit_less_the_margin(self) -> None:
        test = ladder(np.random.default_rng(4), Truth(knee=14), 7, 22, 9)
        for margin in (0.0, 0.1, 0.25):
            (entry,) = fit_flow_test(test.model_copy(update={"margin": margin})).by_temp
            assert entry.knee_mm3_s is not None
            self.assertAlmostEqual(entry.plan_mm3_s or 0, entry.knee_mm3_s.low * (1 - margin))
        curled = tuple(looks((8, "straight"), (9.5, "straight"), (11, "curl"), (13, "corkscrew")))
        (entry,) = fit_flow_test(test.model_copy(update={"points": test.points + curled})).by_temp
        self.assertEqual((entry.curl_mm3_s, entry.curl_seen_mm3_s, entry.bound), (9.5, 11, "curl"))
        self.assertAlmostEqual(entry.plan_mm3_s or 0, 9.5 * 0.9)

    def test_looks_alone_give_limits_and_weights_alone_a_knee(self) -> None:
        (entry,) = fit_flow_test(FlowTest(points=tuple(looks((6, "straight"), (8, "curl"), (12, "skips"))))).by_temp
        self.assertEqual((entry.knee_mm3_s, entry.curl_mm3_s, entry.skip_seen_mm3_s), (None, 6, 12))
        self.assertAlmostEqual(entry.plan_mm3_s or 0, 5.4)
        empty = fit_flow_test(FlowTest())
        self.assertEqual((empty.by_temp, empty.enough, empty.next_flow_mm3_s), ([], False, None))

    def test_strands_left_out_by_hand_change_nothing(self) -> None:
        test = ladder(np.random.default_rng(6), Truth(), 6, 20, 9)
        odd = test.points[0].model_copy(update={"mass_g": 3.0, "used": False})
        with_odd = fit_flow_test(test.model_copy(update={"points": (*test.points, odd)}))
        self.assertEqual(first_knee(with_odd), first_knee(fit_flow_test(test)))

    def test_the_same_points_give_the_same_bits(self) -> None:
        test = ladder(np.random.default_rng(7), Truth(), 6, 20, 9)
        self.assertEqual(fit_flow_test(test).model_dump(), fit_flow_test(test).model_dump())

    def test_the_band_holds_the_true_line_where_strands_were_weighed(self) -> None:
        rng, inside, told = np.random.default_rng(8), 0, 0
        for _ in range(30):
            truth = Truth(knee=rng.uniform(10, 18), fall=rng.uniform(0.3, 1))
            (entry,) = fit_flow_test(ladder(rng, truth, 6, 24, 9)).by_temp
            assert entry.curve is not None
            for flow, low, high in zip(entry.curve.flow_mm3_s, entry.curve.low, entry.curve.high, strict=True):
                if 6 <= flow <= 24:
                    told += 1
                    inside += low - 2e-3 <= truth.share(flow) <= high + 2e-3
        self.assertGreater(inside / told, 0.85)


class NextFlow(unittest.TestCase):
    def _steps(self, seed: int, *, adaptive: bool, target: float) -> int:
        rng = np.random.default_rng(seed)
        truth = Truth(knee=math.exp(rng.uniform(math.log(7), math.log(26))), fall=rng.uniform(0.35, 1))
        guess = truth.knee * math.exp(0.25 * rng.normal())
        points = [strand(rng, truth, round(share * guess, 2), cut_mm=2) for share in (0.5, 1.0, 1.5)]
        for count in range(4, 40):
            if not adaptive:
                points = [
                    strand(rng, truth, round(float(flow), 2), cut_mm=2)
                    for flow in np.linspace(0.5 * guess, 1.75 * guess, count)
                ]
            test = FlowTest(points=tuple(points))
            knee = first_knee(fit_flow_test(test))
            if knee is not None and (knee[2] - knee[0]) / knee[1] <= target:
                return len(points)
            if adaptive:
                (group,) = grouped(test.points)
                found = posteriors(test, [group])[215.0, False]
                top = 1.5 * knee[2] if knee else 1.6 * max(p.flow_mm3_s for p in points)
                flow = next_flow(found, 0.5 * guess, top, 0.003)
                points.append(strand(rng, truth, flow, cut_mm=2))
        return 40

    def test_it_needs_a_third_fewer_strands_than_an_even_ladder(self) -> None:
        even, own = (
            sum(self._steps(seed, adaptive=adaptive, target=0.045) for seed in range(cases(10, 14)))
            for adaptive in (False, True)
        )
        self.assertLess(own, even * 2 / 3)


class Strands(unittest.TestCase):
    def test_between_the_last_good_and_the_first_bad(self) -> None:
        points = looks((6, "straight"), (8, "straight"), (10, "curl"), (12, "beaded"), (14, "skips"))
        curl, skip = strand_limit(points, "curl"), strand_limit(points, "skips")
        self.assertEqual((curl.good_mm3_s, curl.bad_mm3_s, curl.doubtful), (8, 10, False))
        self.assertEqual((skip.good_mm3_s, skip.bad_mm3_s), (12, 14))

    def test_repeats_are_joined_and_contradictions_told(self) -> None:
        points = looks((6, "straight"), (8, "curl"), (8, "straight"), (8, "straight"), (10, "straight"), (12, "curl"))
        found = strand_limit(points, "curl")
        self.assertEqual((found.good_mm3_s, found.bad_mm3_s, found.doubtful), (10, 12, True))

    @given(st.lists(st.tuples(st.integers(1, 20), st.sampled_from(STRANDS)), min_size=1, max_size=25))
    @settings(max_examples=cases(100, 4000), deadline=None)
    def test_good_lies_below_bad_whatever_was_seen(self, seen: list[tuple[int, str]]) -> None:
        found = strand_limit(looks(*((float(flow), look) for flow, look in seen)), "curl")
        if found.good_mm3_s is not None and found.bad_mm3_s is not None:
            self.assertLess(found.good_mm3_s, found.bad_mm3_s)
        self.assertFalse(found.good_mm3_s is None and found.bad_mm3_s is None)


class AnyTest(unittest.TestCase):
    @given(
        st.lists(
            st.builds(
                FlowPoint,
                flow_mm3_s=st.floats(0.2, 300),
                temp_c=st.sampled_from([200.0, 201.5, 230.0]),
                length_mm=st.floats(20, 5000),
                mass_g=st.none() | st.floats(0, 50),
                fan=st.sampled_from([0.0, 1.0]),
                strand=st.none() | st.sampled_from(STRANDS),
            ),
            max_size=14,
        ),
        st.sampled_from([0.001, 0.01, 1.0]),
    )
    @settings(max_examples=cases(40, 1600), deadline=None)
    def test_whatever_was_entered_gives_an_answer_that_holds_together(
        self, points: list[FlowPoint], scale: float
    ) -> None:
        fit = fit_flow_test(FlowTest(points=tuple(points), scale_g=scale))
        for entry in fit.by_temp:
            for value in (entry.plan_mm3_s, entry.limit_mm3_s, entry.next_flow_mm3_s, entry.above_mm3_s):
                self.assertTrue(value is None or (math.isfinite(value) and value > 0), entry)
            if entry.knee_mm3_s is not None:
                self.assertTrue(0 < entry.knee_mm3_s.low <= entry.knee_mm3_s.value <= entry.knee_mm3_s.high)
                self.assertLessEqual(entry.limit_mm3_s or 0, entry.knee_mm3_s.low + 1e-9)
            self.assertGreaterEqual(entry.fall, 0)
